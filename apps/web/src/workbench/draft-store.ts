import type { DesignFile } from "@gate-clock/contract";
import { createStore, delMany, entries, set } from "idb-keyval";

/** A draft as it is kept in the browser, so that it survives a closed tab. */
interface KeptDraft {
  readonly text: string;
  readonly base: DesignFile;
  /** When it was kept, in ms. */
  readonly at: number;
}

const store = typeof indexedDB === "undefined" ? null : createStore("gate-clock", "drafts");
/** Of this page, as long as it is open: what another open tab has not saved yet is its own affair. */
const me = crypto.randomUUID();
const lockOf = (owner: string) => `gate-clock-drafts-${owner}`;
if (typeof navigator !== "undefined" && "locks" in navigator)
  void navigator.locks.request(lockOf(me), () => new Promise<never>(() => {}));

const keyOf = (designId: string, fileId: string, owner: string) => `${designId}/${fileId}/${owner}`;

/** Takes over the drafts of a design that were not saved when their page was closed: the newest of each file. */
export async function takeKeptDrafts(designId: string): Promise<Map<string, KeptDraft>> {
  const found = new Map<string, KeptDraft>();
  if (!store || !("locks" in navigator)) return found;
  try {
    const { held = [] } = await navigator.locks.query();
    const open = new Set(held.map(({ name }) => name));
    const left: string[] = [];
    for (const [key, draft] of await entries<string, KeptDraft>(store)) {
      const [design, fileId, owner] = key.split("/");
      if (design !== designId || open.has(lockOf(owner))) continue;
      left.push(key);
      const other = found.get(fileId);
      if (!other || other.at < draft.at) found.set(fileId, draft);
    }
    // kept anew under this page's name as soon as they are among its drafts
    for (const [fileId, draft] of found) await set(keyOf(designId, fileId, me), draft, store);
    await delMany(left, store);
  } catch {
    // without storage there is nothing to take over
  }
  return found;
}

/** Failing to keep one costs nothing as long as the page is open. */
export function keepDraft(designId: string, fileId: string, { text, base }: Omit<KeptDraft, "at">): void {
  if (store) void set(keyOf(designId, fileId, me), { text, base, at: Date.now() }, store).catch(() => {});
}
export function forgetDraft(designId: string, fileId: string): void {
  if (store) void delMany([keyOf(designId, fileId, me)], store).catch(() => {});
}
