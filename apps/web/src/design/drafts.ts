import type { Design, DesignFile } from "@gate-clock/contract";
import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { api } from "../app/api.ts";
import { designQuery, updateDesign } from "../app/queries.ts";

const saveAfterMs = 900;

export interface Drafts {
  /** Text as it stands in the editor. */
  text(file: DesignFile): string;
  edit(fileId: string, text: string): void;
  /** Saves all that is open; false if something could not be saved. */
  flush(): Promise<boolean>;
  readonly unsaved: ReadonlySet<string>;
  readonly problem: string | null;
  dismissProblem(): void;
  /** Drops the local text of files, so that what the server has shows again. */
  discard(): void;
  readonly texts: ReadonlyMap<string, string>;
}

/** Texts that were typed and are not saved yet. They are saved after a pause, before a build, and on leaving. */
export function useDrafts(design: Design): Drafts {
  const queries = useQueryClient();
  const [texts, setTexts] = useState<ReadonlyMap<string, string>>(new Map());
  const [problem, setProblem] = useState<string | null>(null);
  const latest = useRef({ texts, design });
  latest.current = { texts, design };
  const saving = useRef<Promise<boolean>>(Promise.resolve(true));

  const flush = useCallback((): Promise<boolean> => {
    saving.current = saving.current.then(async () => {
      let good = true;
      for (const [fileId, text] of latest.current.texts) {
        const known = queries.getQueryData(designQuery(latest.current.design.id).queryKey) ?? latest.current.design;
        const file = known.files.find((candidate) => candidate.id === fileId);
        if (!file || file.text === text) {
          setTexts((old) => without(old, fileId, text));
          continue;
        }
        try {
          const saved = await api.saveFile(known.id, fileId, text, file.version);
          updateDesign(queries, known.id, (old) => ({
            ...old,
            files: old.files.map((each) => (each.id === fileId ? saved : each)),
          }));
          setTexts((old) => without(old, fileId, text));
          setProblem(null);
        } catch (error) {
          setProblem((error as Error).message);
          good = false;
        }
      }
      if (good) void queries.invalidateQueries({ queryKey: ["designs"] });
      return good;
    });
    return saving.current;
  }, [queries]);

  useEffect(() => {
    if (texts.size === 0 || problem) return;
    const timer = setTimeout(() => void flush(), saveAfterMs);
    return () => clearTimeout(timer);
  }, [texts, problem, flush]);

  useEffect(() => {
    const warn = (event: BeforeUnloadEvent) => {
      if (latest.current.texts.size) {
        void flush();
        event.preventDefault();
      }
    };
    addEventListener("beforeunload", warn);
    return () => removeEventListener("beforeunload", warn);
  }, [flush]);

  const edit = useCallback((fileId: string, text: string) => {
    // at once for whoever saves or repairs next, and by a render for what is shown
    latest.current = { ...latest.current, texts: new Map(latest.current.texts).set(fileId, text) };
    setTexts((old) => new Map(old).set(fileId, text));
  }, []);
  return {
    texts,
    edit,
    flush,
    problem,
    dismissProblem: () => setProblem(null),
    discard: () => {
      setTexts(new Map());
      setProblem(null);
      void queries.invalidateQueries({ queryKey: designQuery(design.id).queryKey });
    },
    text: (file) => latest.current.texts.get(file.id) ?? file.text,
    unsaved: new Set(
      [...texts].filter(([id, text]) => design.files.find((file) => file.id === id)?.text !== text).map(([id]) => id),
    ),
  };
}

/** Forgets a draft, unless more was typed meanwhile. */
function without(old: ReadonlyMap<string, string>, fileId: string, saved: string): ReadonlyMap<string, string> {
  if (old.get(fileId) !== saved) return old;
  const next = new Map(old);
  next.delete(fileId);
  return next;
}
