import type { Finding } from "@gate-clock/core";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { api } from "../app/api.ts";
import { keptQuery } from "../app/queries.ts";
import { acceptancesIn, acceptedName, type MarkedFinding, marked } from "./accepted.ts";
import { useDesign } from "./context.ts";

/** Findings with what was accepted of them, and which are new since the trial that is compared with. */
export function useFindings(findings: readonly Finding[]): {
  readonly all: readonly MarkedFinding[];
  /** Those that nobody has accepted. */
  readonly open: readonly Finding[];
} {
  const { design, against } = useDesign();
  const { data: kept } = useQuery(keptQuery(design.id));
  return useMemo(() => {
    const all = marked(findings, acceptancesIn(kept ?? []), against?.findings ?? null);
    return { all, open: all.filter(({ accepted }) => !accepted).map(({ finding }) => finding) };
  }, [findings, kept, against]);
}

/** Accepts a finding with a reason, or takes that back (with none). */
export function useAccept() {
  const { design } = useDesign();
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ identity, finding, reason }: { identity: string; finding: Finding; reason: string | null }) =>
      api.keep(design.id, acceptedName(identity), { reason, code: finding.code, message: finding.message }),
    onSettled: () => void queries.invalidateQueries({ queryKey: keptQuery(design.id).queryKey }),
  });
}
