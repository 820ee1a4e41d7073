import type { Design, DesignFile } from "@gate-clock/contract";
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { ApiError, api } from "../app/api.ts";
import { designKey, designQuery, updateDesign } from "../app/queries.ts";
import { listenToOtherTabs, tellOtherTabs } from "../app/tabs.ts";
import { forgetDraft, keepDraft, takeKeptDrafts } from "./draft-store.ts";
import { type Beside, EditHistory } from "./edit-history.ts";
import { mergeTexts } from "./merge-texts.ts";
import { canPass, pauseBefore } from "./retry.ts";

const saveAfterMs = 900;
const keepAfterMs = 200;

/** Text that was typed and is not saved yet, with the saved file that it started from. */
interface Draft {
  readonly text: string;
  readonly base: DesignFile;
}
type DraftMap = ReadonlyMap<string, Draft>;

/** A draft that cannot be saved because the file has changed since it was begun. */
export interface Conflict {
  readonly fileId: string;
  readonly path: string;
  /** The file as somebody else has saved it; null if it was removed. */
  readonly theirs: DesignFile | null;
}
export type Resolution = "merge" | "mine" | "theirs";

interface Outage {
  readonly since: number;
  readonly nextAt: number;
  readonly reason: string;
}

export interface Drafts {
  /** Text as it stands in the editor. */
  text(file: DesignFile): string;
  /** What was typed. */
  edit(fileId: string, text: string): void;
  /**
   * What was done otherwise, to one file or to several at once. @param label As one says it after "Undo:".
   * @param beside What was done to more than texts, and goes back with them.
   */
  act(label: string, texts: readonly { readonly fileId: string; readonly text: string }[], beside?: Beside): void;
  /** Takes back, or does again, what was done last to any of the files. A step that cannot be is told as a problem. */
  undo(): void;
  redo(): void;
  /** What these two would do; null if there is nothing. */
  readonly history: EditHistory["next"];
  /** Saves all that is open; false if something could not be saved. */
  flush(): Promise<boolean>;
  readonly unsaved: ReadonlySet<string>;
  /** Saving fails for a reason that passes: since when there is something unsaved, and when it is tried again. */
  readonly outage: Outage | null;
  /** Saving was refused. */
  readonly problem: string | null;
  dismissProblem(): void;
  /** The first conflict that waits for a decision. */
  readonly conflict: Conflict | null;
  /** @returns Number of places where a merge left both texts for the engineer to choose. */
  resolve(conflict: Conflict, how: Resolution): Promise<number>;
  readonly texts: ReadonlyMap<string, string>;
}

/**
 * Texts that were typed and are not saved yet. They are saved after a pause, before a build, and on leaving.
 * @param target As the design was asked for.
 */
export function useDrafts(design: Design, target: string | null): Drafts {
  const queries = useQueryClient();
  const [drafts, setDrafts] = useState<DraftMap>(new Map());
  const [conflicts, setConflicts] = useState<ReadonlyMap<string, Conflict>>(new Map());
  const [problem, setProblem] = useState<string | null>(null);
  const latest = useRef({ drafts, conflicts, design, target });
  latest.current = { drafts, conflicts, design, target };
  const saving = useRef<Promise<boolean>>(Promise.resolve(true));
  const [outage, setOutage] = useState<(Outage & { readonly attempts: number }) | null>(null);
  /** Texts that the server has refused as they are: they are not sent again unchanged. */
  const refused = useRef(new Map<string, string>());

  /** Both at once: for the next render, and for whoever saves before it. */
  const change = useCallback((next: (old: DraftMap) => DraftMap) => {
    latest.current = { ...latest.current, drafts: next(latest.current.drafts) };
    setDrafts(next);
  }, []);

  const flush = useCallback((): Promise<boolean> => {
    const { queryKey } = designQuery(latest.current.design.id, latest.current.target);
    const save = async (fileId: string, { text, base }: Draft): Promise<boolean> => {
      const known = queries.getQueryData(queryKey) ?? latest.current.design;
      const file = known.files.find((each) => each.id === fileId);
      if (file?.text === text) {
        change((old) => settled(old, fileId, text, file));
        return true;
      }
      if (latest.current.conflicts.has(fileId) || refused.current.get(fileId) === text) return false;
      try {
        const saved = await api.saveFile(known.id, fileId, text, base.version);
        updateDesign(queries, known.id, (old) => ({
          ...old,
          files: old.files.map((each) => (each.id === fileId ? saved : each)),
        }));
        change((old) => settled(old, fileId, text, saved));
        tellOtherTabs(known.id);
        refused.current.delete(fileId);
        setProblem(null);
        setOutage(null);
        return true;
      } catch (error) {
        const isConflict = error instanceof ApiError && (error.status === 409 || error.status === 404);
        if (isConflict) {
          const now = await api.design(known.id, latest.current.target).catch(() => null);
          if (now) {
            queries.setQueryData(queryKey, now);
            const theirs = now.files.find((each) => each.id === fileId) ?? null;
            setConflicts((old) => new Map(old).set(fileId, { fileId, path: base.path, theirs }));
            return false;
          }
        }
        const status = error instanceof ApiError ? error.status : null;
        if (canPass(status)) {
          const now = Date.now();
          setOutage((old) => {
            const attempts = (old?.attempts ?? 0) + 1;
            const reason = (error as Error).message;
            return { since: old?.since ?? now, nextAt: now + pauseBefore(attempts), reason, attempts };
          });
        } else {
          refused.current.set(fileId, text);
          setProblem((error as Error).message);
        }
        return false;
      }
    };
    saving.current = saving.current.then(async () => {
      let good = true;
      for (const [fileId, draft] of latest.current.drafts) good = (await save(fileId, draft)) && good;
      if (good) void queries.invalidateQueries({ queryKey: ["designs"] });
      return good;
    });
    return saving.current;
  }, [queries, change]);

  const waiting = [...drafts.keys()].some((id) => !conflicts.has(id));
  useEffect(() => {
    // every further key puts it off, as `drafts` is another map then
    if (!waiting || drafts.size === 0) return;
    const pause = outage ? Math.max(saveAfterMs, outage.nextAt - Date.now()) : saveAfterMs;
    const timer = setTimeout(() => void flush(), pause);
    return () => clearTimeout(timer);
  }, [waiting, drafts, flush, outage]);

  // as soon as the network says that it is back
  useEffect(() => {
    const back = () => void flush();
    addEventListener("online", back);
    return () => removeEventListener("online", back);
  }, [flush]);

  // what was typed outlives the tab: it is kept in the browser until it is saved
  const kept = useRef<DraftMap>(new Map());
  const keepAll = useCallback(() => {
    const { design, drafts } = latest.current;
    for (const [fileId, draft] of drafts) if (kept.current.get(fileId) !== draft) keepDraft(design.id, fileId, draft);
    for (const fileId of kept.current.keys()) if (!drafts.has(fileId)) forgetDraft(design.id, fileId);
    kept.current = drafts;
  }, []);
  // biome-ignore lint/correctness/useExhaustiveDependencies: every change is kept, after a short pause
  useEffect(() => {
    const timer = setTimeout(keepAll, keepAfterMs);
    return () => clearTimeout(timer);
  }, [drafts, keepAll]);
  useEffect(() => {
    addEventListener("pagehide", keepAll);
    return () => {
      removeEventListener("pagehide", keepAll);
      keepAll();
    };
  }, [keepAll]);
  useEffect(() => {
    let isGone = false;
    void takeKeptDrafts(design.id).then((found) => {
      if (isGone || found.size === 0) return;
      const { files } = latest.current.design;
      const isSaved = (fileId: string, text: string) => files.find((file) => file.id === fileId)?.text === text;
      for (const [fileId, { text }] of found) if (isSaved(fileId, text)) forgetDraft(design.id, fileId);
      change((old) => new Map([...[...found].filter(([fileId, { text }]) => !isSaved(fileId, text)), ...old]));
    });
    return () => {
      isGone = true;
    };
  }, [design.id, change]);

  useEffect(() => {
    const warn = (event: BeforeUnloadEvent) => {
      if (latest.current.drafts.size) {
        void flush();
        event.preventDefault();
      }
    };
    addEventListener("beforeunload", warn);
    return () => removeEventListener("beforeunload", warn);
  }, [flush]);

  useEffect(
    () => listenToOtherTabs(design.id, () => void queries.invalidateQueries({ queryKey: designKey(design.id) })),
    [design.id, queries],
  );

  const [history] = useState(() => new EditHistory());
  /** The file as it is known, and its text as it stands in the editor. */
  const current = useCallback(
    (fileId: string) => {
      const { queryKey } = designQuery(latest.current.design.id, latest.current.target);
      const known = queries.getQueryData(queryKey) ?? latest.current.design;
      const file = known.files.find((each) => each.id === fileId);
      return { file, text: latest.current.drafts.get(fileId)?.text ?? file?.text ?? null };
    },
    [queries],
  );
  const put = useCallback(
    (fileId: string, text: string) => {
      const { file } = current(fileId);
      change((old) => {
        const base = old.get(fileId)?.base ?? file;
        return base ? new Map(old).set(fileId, { text, base }) : old;
      });
    },
    [current, change],
  );
  const edit = useCallback(
    (fileId: string, text: string) => {
      const { file, text: before } = current(fileId);
      if (file && before !== null) history.typed(file.path, { fileId, before, after: text }, Date.now());
      put(fileId, text);
    },
    [history, current, put],
  );
  const act = useCallback<Drafts["act"]>(
    (label, texts, beside) => {
      history.act(
        label,
        texts.map(({ fileId, text }) => ({ fileId, before: current(fileId).text ?? "", after: text })),
        beside,
      );
      for (const { fileId, text } of texts) put(fileId, text);
    },
    [history, current, put],
  );
  const step = useCallback(
    (way: "undo" | "redo") => {
      try {
        const made = history[way]((fileId) => current(fileId).text);
        for (const { fileId, text } of made?.texts ?? []) put(fileId, text);
        setProblem(null);
        void made?.beside?.[way === "undo" ? "back" : "again"]().catch((error: Error) => setProblem(error.message));
      } catch (error) {
        setProblem((error as Error).message);
      }
    },
    [history, current, put],
  );
  const undo = useCallback(() => step("undo"), [step]);
  const redo = useCallback(() => step("redo"), [step]);

  const resolve = useCallback(
    async ({ fileId, theirs }: Conflict, how: Resolution): Promise<number> => {
      const draft = latest.current.drafts.get(fileId);
      let left = 0;
      if (!draft || how === "theirs") change((old) => without(old, fileId));
      else if (!theirs) {
        // it was removed: what was typed becomes a file again
        const { path, kind } = draft.base;
        try {
          await api.addFile(latest.current.design.id, latest.current.target, { path, kind, text: draft.text });
        } catch (error) {
          setProblem((error as Error).message);
          return 0;
        }
        change((old) => without(old, fileId));
        void queries.invalidateQueries({ queryKey: designKey(latest.current.design.id) });
      } else if (how === "mine") change((old) => new Map(old).set(fileId, { text: draft.text, base: theirs }));
      else {
        const merged = mergeTexts(draft.base.text, draft.text, theirs.text);
        left = merged.conflicts;
        change((old) => new Map(old).set(fileId, { text: merged.text, base: theirs }));
      }
      setConflicts((old) => without(old, fileId));
      return left;
    },
    [queries, change],
  );

  const texts = useMemo(() => new Map([...drafts].map(([id, draft]) => [id, draft.text])), [drafts]);
  const dismissProblem = useCallback(() => setProblem(null), []);
  return useMemo(
    () => ({
      texts,
      edit,
      act,
      undo,
      redo,
      history: history.next,
      flush,
      outage,
      problem,
      dismissProblem,
      conflict: [...conflicts.values()][0] ?? null,
      resolve,
      text: (file) => latest.current.drafts.get(file.id)?.text ?? file.text,
      unsaved: new Set(
        [...drafts]
          .filter(([id, { text }]) => design.files.find((file) => file.id === id)?.text !== text)
          .map(([id]) => id),
      ),
    }),
    [
      texts,
      edit,
      undo,
      redo,
      history,
      flush,
      outage,
      problem,
      dismissProblem,
      conflicts,
      resolve,
      drafts,
      design.files,
      act,
    ],
  );
}

/** Forgets a draft that has been saved; if more was typed meanwhile, that goes on from the saved file. */
function settled(old: DraftMap, fileId: string, text: string, saved: DesignFile): DraftMap {
  const draft = old.get(fileId);
  if (!draft) return old;
  if (draft.text !== text) return new Map(old).set(fileId, { text: draft.text, base: saved });
  return without(old, fileId);
}

function without<T>(old: ReadonlyMap<string, T>, key: string): ReadonlyMap<string, T> {
  const next = new Map(old);
  next.delete(key);
  return next;
}
