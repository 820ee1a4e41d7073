/** What a sealed program may ask for, where its starter hands it files. Text goes as Latin-1 where it is bytes. */
export type FileRequest =
  | { readonly ask: "read"; readonly path: string }
  | { readonly ask: "kind"; readonly path: string }
  | { readonly ask: "mayWrite"; readonly path: string }
  | { readonly ask: "write"; readonly path: string; readonly bytes: Uint8Array; readonly append: boolean }
  | { readonly ask: "folder"; readonly path: string }
  /** Whether anybody is still there. */
  | { readonly ask: "alive" }
  /** No answer comes to these. */
  | { readonly tell: "print"; readonly to: "out" | "err"; readonly text: string; readonly encoding: "utf8" | "latin1" }
  | { readonly tell: "done"; readonly status: number };

export type FileAnswer =
  | { readonly bytes: Uint8Array | null }
  | { readonly kind: "file" | "folder" | null }
  | { readonly done: true }
  /** It may not be; the sentence says which option would allow it. */
  | { readonly refused: string }
  /** It was tried and failed. */
  | { readonly failed: string };
