import { InvariantError } from "../../common/finding.ts";
import type { BlockModes } from "../../device/blocks/description.ts";
import type { Circuit, DecodedSite, Table } from "../decode.ts";
import type { CodeWriter } from "../wasm-writer.ts";

/** Byte address of a signal's word. */
export type Address = (signal: number) => number;

/** A block that runs in generated code, beside tables and registers. Its state lies in memory behind the signals. */
export interface CodeRun {
  readonly how: "code";
  stateBytes(block: DecodedSite): number;
  /** Laid at its state at configuration. */
  contents?(block: DecodedSite): Uint8Array;
  /** At an edge of some of its clocks: works out what is next. Locals 0 to 4 are scratch. @param at Byte that its state starts at. */
  next(code: CodeWriter, block: DecodedSite, clocks: readonly number[], at: number, address: Address): void;
  /** What is next becomes visible. */
  take(code: CodeWriter, block: DecodedSite, clocks: readonly number[], at: number, address: Address): void;
  /** Outputs that no register holds. */
  readonly value?: {
    isShown(block: DecodedSite): boolean;
    /** They follow pins without a register in between. */
    followsPins(block: DecodedSite): boolean;
    emit(code: CodeWriter, block: DecodedSite, at: number, address: Address): void;
  };
}

/** A block that is run as what it is made of. */
export interface Expansion {
  readonly how: "expansion";
  expand(block: DecodedSite, into: CircuitParts): void;
}
interface CircuitParts {
  signal(): number;
  /** Up to six inputs; input i has weight 2^i in the mask. */
  table(output: number, inputs: readonly number[], mask: number): void;
  flipFlop(fields: Pick<Circuit["flipFlops"][number], "output" | "d" | "clock" | "falling" | "init">): void;
}

/** Two ways that the engine itself knows: by edges of its clock as time goes on, and by words on a line. */
interface EngineRun {
  readonly how: "clock edges" | "serial line";
}

type BlockRun = CodeRun | Expansion | EngineRun;

const runs = new Map<string, BlockRun>();

/** Tells how blocks of a type run. @returns A function that takes it back. */
export function registerRun(type: string, run: BlockRun): () => void {
  if (runs.has(type)) throw new InvariantError(`There is a way to run ${type} already.`);
  runs.set(type, run);
  return () => runs.delete(type);
}

/** @throws InvariantError if nobody has told. */
export function runOf({ type }: BlockModes): BlockRun {
  const run = runs.get(type);
  if (!run) throw new InvariantError(`Nothing is known of how ${type} runs.`);
  return run;
}
export function codeRunOf(modes: BlockModes): CodeRun {
  const run = runOf(modes);
  if (run.how !== "code") throw new InvariantError(`${modes.type} does not run in generated code.`);
  return run;
}

/** The circuit with blocks as what they are made of, where they run so. */
export function expanded(circuit: Circuit): Circuit {
  const own = circuit.blocks.filter(({ modes }) => runOf(modes).how === "expansion");
  if (own.length === 0) return circuit;
  const tables: Table[] = [...circuit.tables];
  const flipFlops = [...circuit.flipFlops];
  let { signalCount } = circuit;
  for (const block of own) {
    let element = 0;
    (runOf(block.modes) as Expansion).expand(block, {
      signal: () => signalCount++,
      table: (output, inputs, mask) => tables.push({ output, inputs, low: mask, high: mask, block }),
      flipFlop: (fields) =>
        flipFlops.push({
          ...fields,
          enable: -1,
          reset: -1,
          asyncReset: false,
          resetValue: 0,
          tile: block.tile,
          element: element++,
          pins: { d: -1, clock: -1, enable: -1, reset: -1 },
          block,
        }),
    });
  }
  return { ...circuit, tables, flipFlops, signalCount, blocks: circuit.blocks.filter((block) => !own.includes(block)) };
}

/** One signal of a block's pin; 0 is the constant 0. */
export function pinOf(block: DecodedSite, name: string): number {
  const at = block.pinNames.get(name);
  return at === undefined ? 0 : block.inputs[at];
}
