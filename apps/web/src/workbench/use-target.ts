import type { UpdateTargetDto } from "@gate-clock/contract";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { useNavigate } from "react-router";
import { api } from "../app/api.ts";
import { targetsQuery, updateDesign } from "../app/queries.ts";
import { useDesign, useTexts } from "./context.ts";

/**
 * Looks at another target of the design. What is typed is saved first: it belongs to the old one's files. Who else has the design
 * open goes on with theirs.
 */
export function useChooseTarget() {
  const { drafts } = useTexts();
  const navigate = useNavigate();
  return useMutation({
    mutationFn: async (name: string) => {
      if (!(await drafts.flush())) throw new Error("What is typed could not be saved, so the target was not changed.");
      return name;
    },
    onSuccess: (name) => {
      const params = new URLSearchParams(location.search);
      params.set("target", name);
      // trials and places of the other one
      for (const key of ["trial", "against", "focus"]) params.delete(key);
      void navigate({ search: `?${params}` });
    },
  });
}

/** Changes part, board, recipe, seed or name of the target that is looked at now, whatever is looked at when it is called. */
export function useTargetSetter(): (dto: UpdateTargetDto) => Promise<void> {
  const { design } = useDesign();
  const queries = useQueryClient();
  const { id, targetId } = design;
  return useCallback(
    async (dto) => {
      const list = await api.updateTarget(id, targetId, dto);
      const saved = list.find((target) => target.id === targetId);
      if (saved) {
        const { part, board, recipe, seed } = saved;
        updateDesign(queries, id, (old) => (old.targetId === saved.id ? { ...old, part, board, recipe, seed } : old));
      }
      queries.setQueryData(targetsQuery(id).queryKey, list);
      void queries.invalidateQueries({ queryKey: ["designs"] });
    },
    [queries, id, targetId],
  );
}

/** The same, with whether it is under way and why it was refused. */
export function useUpdateTarget(onDone: () => void) {
  const set = useTargetSetter();
  return useMutation({ mutationFn: set, onSuccess: onDone });
}
