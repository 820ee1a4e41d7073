import { useCallback } from "react";
import { useSearchParams } from "react-router";

/** The one object that is selected everywhere at once. Lives in the URL: `focus=net:picks[3]`, `focus=line:a.v:12`. */
type Focus =
  | { readonly kind: "net" | "cell" | "pin" | "contact"; readonly name: string }
  | { readonly kind: "line"; readonly file: string; readonly line: number };

export function parseFocus(text: string | null): Focus | null {
  const colon = text?.indexOf(":") ?? -1;
  if (!text || colon < 0) return null;
  const kind = text.slice(0, colon);
  const rest = text.slice(colon + 1);
  if (kind === "net" || kind === "cell" || kind === "pin" || kind === "contact")
    return rest ? { kind, name: rest } : null;
  const match = /^(.+):(\d+)$/.exec(rest);
  return kind === "line" && match ? { kind, file: match[1], line: Number(match[2]) } : null;
}

export function formatFocus(focus: Focus): string {
  return focus.kind === "line" ? `line:${focus.file}:${focus.line}` : `${focus.kind}:${focus.name}`;
}

export function useFocus(): [Focus | null, (focus: Focus | null) => void] {
  const [params, setParams] = useSearchParams();
  const setFocus = useCallback(
    (focus: Focus | null) =>
      setParams((old) => {
        const next = new URLSearchParams(old);
        if (focus) next.set("focus", formatFocus(focus));
        else next.delete("focus");
        return next;
      }),
    [setParams],
  );
  return [parseFocus(params.get("focus")), setFocus];
}
