import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api } from "../app/api.ts";
import { updateDesign } from "../app/queries.ts";
import { useDesign } from "./context.ts";

/** Makes another target the one that is worked on. What is typed is saved first: it belongs to the old one's files. */
export function useChooseTarget() {
  const { design, drafts } = useDesign();
  const queries = useQueryClient();
  return useMutation({
    mutationFn: async (targetId: string) => {
      if (!(await drafts.flush())) throw new Error("What is typed could not be saved, so the target was not changed.");
      return api.updateDesign(design.id, { targetId });
    },
    onSuccess: (saved) => {
      updateDesign(queries, design.id, () => saved);
      void queries.invalidateQueries({ queryKey: ["designs"] });
      void queries.invalidateQueries({ queryKey: ["targets", design.id] });
    },
  });
}
