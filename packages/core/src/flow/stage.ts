import type { StageContext } from "../common/context.ts";
import type { StageResult } from "../common/finding.ts";
import type { SourceFile } from "../common/source.ts";
import type { BoardDescription } from "../device/boards.ts";
import type { Part } from "../device/part.ts";
import type { PortShape } from "../netlist/port-shape.ts";
import type { PlaceOptions } from "../place/place.ts";
import type { RouteOptions } from "../route/route.ts";
import type { SynthOptions } from "../synth/synthesize.ts";
import type { FacetName, FacetValue, StageArtifacts, StageFacets } from "./artifacts.ts";
import type { StageName } from "./design-input.ts";

/** What a stage may read of a design besides earlier results. */
export interface Settings {
  sources: readonly SourceFile[];
  "pin files": readonly SourceFile[];
  "timing files": readonly SourceFile[];
  top: string | null;
  part: Part;
  /** Null for none, and where the part is another than the board's. */
  board: BoardDescription | null;
  synthesis: SynthOptions;
  /** What pin files change of the circuit before synthesis. */
  "port shape": PortShape;
  placement: PlaceOptions;
  routing: RouteOptions;
  seed: number;
}
export type SettingName = keyof Settings;

/** The inputs that a stage declares, and no others. */
export interface Given<N extends SettingName, F extends FacetName> {
  setting<K extends N>(name: K): Settings[K];
  read<K extends F>(facet: K): Promise<FacetValue<K>>;
  /** Key that the result will have. */
  readonly key: string;
}

/** Something that is kept beside a result for the next run of the same stage, and changes nothing in what it computes. */
export interface StageMemory {
  load(): Promise<unknown>;
  save(value: unknown): Promise<void>;
}

/** How one facet is taken out of a result, and hashed where that is not over the value itself. */
interface FacetOf<A, V> {
  of(artifact: A): V;
  hash?(artifact: A): string;
}
type FacetsOf<S extends StageName> = {
  readonly [K in keyof StageFacets[S]]: FacetOf<StageArtifacts[S], StageFacets[S][K]>;
};

/** One step of the flow, as data: what it reads, which its key is taken over, and what others may read of its result. */
interface StageBody<S extends StageName, N extends SettingName, F extends FacetName> {
  /** What it does, for people: "synthesize". */
  readonly word: string;
  /** Goes up when it computes something else from the same inputs. */
  readonly version: number;
  readonly settings: readonly N[];
  readonly reads: readonly F[];
  readonly facets: FacetsOf<S>;
  run(
    given: Given<N, F>,
    context: StageContext,
    memory: StageMemory,
  ): StageResult<StageArtifacts[S]> | Promise<StageResult<StageArtifacts[S]>>;
}

export interface Stage<
  S extends StageName = StageName,
  N extends SettingName = SettingName,
  F extends FacetName = FacetName,
> extends StageBody<S, N, F> {
  readonly name: S;
}

/** Checks a description against its own types. */
export function stage<S extends StageName, const N extends SettingName, const F extends FacetName>(
  name: S,
  description: StageBody<S, N, F>,
): Stage<S, N, F> {
  return { name, ...description };
}
