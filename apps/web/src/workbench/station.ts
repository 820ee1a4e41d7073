import type { Trial } from "@gate-clock/contract";
import type { DesignCheck, Staleness } from "@gate-clock/core";
import type { ComponentType } from "react";
import type { Tone } from "../ui/Verdict.tsx";
import type { Difference, Reference } from "./compare.ts";
import type { CheckState } from "./use-check.ts";

/** How a station stands, in one figure. */
export interface StationHead {
  readonly figure: string;
  readonly tone: Tone;
  /** Result of an older state of the inputs. */
  readonly isOld: boolean;
  /** How the figure differs from what the trial is compared with. */
  readonly change?: Difference | null;
}

/** What headline figures are taken from. */
export interface HeadView {
  readonly trial: Trial | null;
  /** What its figures are compared with. */
  readonly reference: Reference | null;
  readonly check: DesignCheck | null;
  readonly checkKind: CheckState["kind"];
  /** How the trial stands to the design; null while that is not known. */
  readonly told: Staleness | null;
  /** Identities of the findings that somebody lets stand: they are not counted. */
  readonly accepted: ReadonlySet<string>;
  /** How the design's test benches stand. */
  readonly benches: StationHead;
}

/** The way of the work: what is written, what it must obey, what is made of it, and what runs. */
export const stationGroups = ["Write", "Rules", "Build", "Run"] as const;

/** One step of the way. */
export interface Station {
  readonly path: string;
  readonly name: string;
  readonly group: (typeof stationGroups)[number];
  /** Behind `G`, the key that leads there. */
  readonly key: string;
  head(view: HeadView): StationHead;
}
/** With the page that it is: loaded when it is first looked at. */
export interface StationPage extends Station {
  readonly Page: ComponentType;
}
