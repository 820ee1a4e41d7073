import type { Kept } from "@gate-clock/contract";
import { type Finding, findingIdentities } from "@gate-clock/core";

/** Why somebody lets a finding stand. */
interface Acceptance {
  readonly reason: string;
  /** As the server keeps it. */
  readonly at: string;
}

/** A finding with what is known of it. */
export interface MarkedFinding {
  readonly finding: Finding;
  readonly identity: string;
  readonly accepted: Acceptance | null;
  /** It was not there in the trial that this one is compared with; null where nothing is compared. */
  readonly isNew: boolean | null;
}

export const acceptedName = (identity: string): string => `accepted:${identity}`;

/** What has been accepted of a design's findings, by identity. */
export function acceptancesIn(kept: readonly Kept[]): Map<string, Acceptance> {
  return new Map(
    kept.flatMap(({ name, value, updatedAt }): [string, Acceptance][] => {
      const { reason } = value as { readonly reason?: unknown };
      // one that was taken back has no reason any more
      return name.startsWith("accepted:") && typeof reason === "string" && reason !== ""
        ? [[name.slice("accepted:".length), { reason, at: updatedAt }]]
        : [];
    }),
  );
}

/** Errors are never accepted: nothing can be built with them. */
export const mayAccept = ({ severity }: Finding): boolean => severity !== "error";

/** @param before Findings of the trial that is compared with, if one is. */
export function marked(
  findings: readonly Finding[],
  acceptances: ReadonlyMap<string, Acceptance>,
  before: readonly Finding[] | null,
): MarkedFinding[] {
  const known = before && new Set(findingIdentities(before));
  const identities = findingIdentities(findings);
  return findings.map((finding, i) => ({
    finding,
    identity: identities[i],
    accepted: mayAccept(finding) ? (acceptances.get(identities[i]) ?? null) : null,
    isNew: known && !known.has(identities[i]),
  }));
}
