import type { StageContext } from "../common/context.ts";
import type { Finding, StageResult } from "../common/finding.ts";
import type { BlockFamily } from "../device/blocks/description.ts";
import { findFamily, type Part } from "../device/part.ts";
import type { StateCoding } from "../netlist/attributes.ts";
import type { InferredItem, StateMachine } from "../netlist/inferred.ts";
import { ownerOfName } from "../netlist/made-names.ts";
import type { MappedNetlist } from "../netlist/mapped.ts";
import type { RtlNetlist } from "../netlist/rtl.ts";
import { balance } from "./balance.ts";
import { type BitGraph, blast, outsideLiterals, type StateBit } from "./blast.ts";
import { canonical } from "./canonical.ts";
import { takeInCarries } from "./carry-in.ts";
import { takeOutFactors } from "./common-factors.ts";
import { copyRegisters } from "./copy-registers.ts";
import { countLevels, GraphLevels } from "./graph-levels.ts";
import { type LutCover, mapLuts } from "./lut-map.ts";
import { mapMemories } from "./memory-map.ts";
import { mapMultipliers } from "./multiplier-map.ts";
import { NetlistWriter } from "./netlist-writer.ts";
import { codesFor, recodeStates } from "./recode-states.ts";
import { mapRegions, SynthMemory } from "./regions.ts";
import { retime } from "./retime.ts";
import { type EditedNetlist, RtlEditor } from "./rtl-editor.ts";
import { shareOperators } from "./share.ts";
import { findShiftRegisters } from "./shift-registers.ts";
import { findStateMachines } from "./state-machines.ts";
import { Wishes } from "./wishes.ts";

export interface SynthOptions {
  /** Inputs of the part's LUT. */
  readonly lutInputs: number;
  /** Enables and synchronous resets used by fewer flip-flops than this become logic: each one claims half a tile. */
  readonly minControlShare: number;
  /** Elements that a carry climbs in about the time of a LUT with its wires: what speed is bought and sold by. */
  readonly elementsPerLevel: number;
  /** Elements of a logic tile: every one that a carry climbs counts as a level to people. */
  readonly elementsPerTile: number;
  /** Elements that one column of tiles can link by carry. */
  readonly maxCarry: number;
  /** The part's hard blocks, and how many multipliers it has: more products than those are logic. */
  readonly blocks: BlockFamily;
  readonly multipliers: number;
  /** Codes of state machines whose source asks for none. */
  readonly stateCoding: StateCoding;
  /** Loads from which a register gets copies, where the source does not say; 0 for never. */
  readonly mostLoads: number;
  /** Registers may move through logic to shorten paths, unless the source says otherwise. */
  readonly retime: boolean;
  /** Levels that are short enough for the clocks asked for: retiming goes no further. */
  readonly goalLevels: number;
  /** How often the bit-level graph is written anew with fewer gates. */
  readonly rewriteRounds: number;
}

export const defaultSynthOptions: SynthOptions = {
  lutInputs: 6,
  minControlShare: 3,
  elementsPerLevel: 24,
  elementsPerTile: 8,
  maxCarry: 128,
  blocks: blocksOf(findFamily("Twill")),
  multipliers: 4,
  stateCoding: "as written",
  mostLoads: 0,
  retime: false,
  goalLevels: 1,
  rewriteRounds: 1,
};

function blocksOf(family: BlockFamily): BlockFamily {
  const { name, lutInputs, memory, memoryPins, multiplier, blockRows } = family;
  return { name, lutInputs, memory, memoryPins, multiplier, blockRows };
}

/** Options as a part wants them. */
export function synthOptionsFor(part: Part): SynthOptions {
  const { lutInputs, elementsPerTile, delays } = part.family;
  const { lutPs, wirePs, pinMuxPs, carryPs } = delays;
  const levelPs = lutPs[lutInputs >> 1] + wirePs[0] + wirePs[1] + pinMuxPs;
  return {
    ...defaultSynthOptions,
    lutInputs,
    elementsPerLevel: Math.floor(levelPs / carryPs),
    elementsPerTile,
    maxCarry: elementsPerTile * part.die.rows,
    blocks: blocksOf(part.family),
    multipliers: part.fabric.blockSites("multiplier").length,
  };
}

/**
 * Word-level netlist to LUTs and flip-flops, carry chains and hard blocks.
 * @param memory What an earlier run of a similar design left; regions that did not change are taken over from it. The
 * result is the same with any.
 */
export function synthesize(
  elaborated: RtlNetlist,
  options: SynthOptions,
  context: StageContext,
  memory = new SynthMemory(),
): StageResult<MappedNetlist> {
  const findings: Finding[] = [];
  const prepared = prepareNetlist(elaborated, options);
  for (const item of prepared.inferred) {
    if (item.failure)
      findings.push({
        code: "synth/memory",
        severity: "error",
        place: { object: item.name },
        message: `No circuit can be made of '${item.name}' (${item.shape}): ${item.failure}, and ${item.reason}.`,
        remedy:
          "Read it into a register at the clock, and write it at one clock or from two ports with addresses of their own.",
      });
  }
  if (findings.length) return { artifact: null, findings };
  const shared = shareResources(prepared);
  const { netlist, origin } = shared;
  const bits = blast(netlist, options);
  const machines = codeMachines(findStateMachines(bits, netlist), netlist, options);
  const recoded = recodeStates(
    bits,
    netlist,
    machines.filter(({ codes }) => codes !== undefined).map((machine) => ({ machine, codes: machine.codes! })),
  );
  // only the cases of new codes: those of the source are as quick as they are, and most are slower with fewer gates
  const raw = recoded === bits ? bits : takeOutFactors(recoded);
  const chosen = mapBits(raw, netlist, options, context, memory);
  const { graph } = chosen;
  const cover = { ...chosen.cover, levels: countLevels(graph, chosen.cover, options.elementsPerTile) };
  const inferred = [
    ...prepared.inferred,
    ...structures(raw, machines, netlist, origin),
    ...movedRegisters(graph, netlist, origin),
  ];
  const reused = memory.gates ? Math.round((100 * memory.reusedGates) / memory.gates) : 0;
  const taken = reused ? `, ${reused} % taken over` : "";
  context.progress({ fraction: 0.9, figure: `${cover.roots.length} LUTs, ${cover.levels} levels${taken}` });
  const written = new NetlistWriter(netlist, origin, inferred, options.blocks, graph, cover).write();
  const mapped = copyRegisters(written, loadLimits(written, elaborated, options.mostLoads));
  if (mapped.cellCount === 0) {
    findings.push({
      code: "synth/empty",
      severity: "warning",
      place: { object: netlist.top },
      message: "The design has no ports that do anything, so nothing is left of it.",
      remedy: "Give the top module outputs that depend on its inputs.",
    });
  }
  return { artifact: mapped, findings };
}

/** What synthesis does on the word level: memories and multipliers onto the part's blocks. */
export function prepareNetlist(
  netlist: RtlNetlist,
  options: SynthOptions,
): EditedNetlist & { inferred: InferredItem[] } {
  const editor = new RtlEditor(
    netlist,
    Int32Array.from(netlist.cells, (_, c) => c),
  );
  const memories = mapMemories(editor, options.blocks);
  const available = options.blocks.multiplier === "none" ? 0 : options.multipliers;
  const multipliers = mapMultipliers(editor, available);
  return { ...editor.finish(), inferred: [...memories, ...multipliers] };
}

function shareResources({ netlist, origin }: EditedNetlist): EditedNetlist {
  const editor = new RtlEditor(netlist, origin);
  return takeInCarries(editor) + shareOperators(editor) ? editor.finish() : { netlist, origin };
}

/** Gates anew, registers moved where they may, and LUTs. */
function mapBits(
  raw: BitGraph,
  netlist: RtlNetlist,
  options: SynthOptions,
  context: StageContext,
  memory: SynthMemory,
): { readonly graph: BitGraph; readonly cover: LutCover } {
  const folded = (graph: BitGraph) => ({ ...graph, states: foldSmallControls(graph, options.minControlShare) });
  const isMovable = movableIn(raw, netlist, options);
  if (!raw.states.some(isMovable))
    return mapRegions(canonical(folded(raw), netlist), netlist, options, context, memory);
  const { graph } = mapRegions(canonical(raw, netlist), netlist, options, context, memory);
  const moved = folded(balance(retime(graph, netlist, isMovable, options, context), options.lutInputs));
  const targets = new Set<number>();
  for (const literal of outsideLiterals(moved)) if (literal > 1) targets.add(literal >> 1);
  const levels = new GraphLevels(moved, options.elementsPerLevel);
  return { graph: moved, cover: mapLuts(moved.aig, [...targets], options.lutInputs, context, levels) };
}

/** Which registers the source or the options let move. */
function movableIn(graph: BitGraph, netlist: RtlNetlist, options: SynthOptions): (state: StateBit) => boolean {
  const wishes = new Wishes(netlist);
  const netOf = (state: StateBit) => netlist.cells[state.cell].output[state.bit];
  const byNode = new Map(graph.states.map((state) => [state.qNode, state]));
  const firstCatches = new Set<number>();
  // a register that takes a value from another clock or from outside as it is must stay where it is
  for (const state of graph.states) {
    if (graph.aig.isAnd(state.d >> 1)) continue;
    const before = byNode.get(state.d >> 1);
    if (!before || before.clock !== state.clock || before.clockRising !== state.clockRising)
      firstCatches.add(netOf(state));
  }
  return (state) => {
    const { retime: wish, separate: isApart } = wishes.of(netlist.cells[state.cell]);
    if (state.isLatch || state.code || isApart || wishes.kept.has(netOf(state))) return false;
    return wish ?? (options.retime && !firstCatches.has(netOf(state)));
  };
}

/** What retiming did to each register of the source. */
function movedRegisters(graph: BitGraph, netlist: RtlNetlist, origin: Int32Array): InferredItem[] {
  const cellOf = new Map<number, number>(); // net -> register's cell
  if (graph.moved.length)
    netlist.cells.forEach((cell, c) => {
      if (cell.kind === "ff") for (const net of cell.output) cellOf.set(net, c);
    });
  const found = new Map<number, { bits: Set<number>; ways: Set<string> }>();
  for (const { register, ins, isBackward } of graph.moved)
    for (const net of isBackward ? [register] : ins) {
      const cell = cellOf.get(net);
      if (cell === undefined) continue;
      const entry = found.get(cell) ?? { bits: new Set(), ways: new Set() };
      found.set(cell, entry);
      entry.bits.add(net);
      entry.ways.add(isBackward ? "towards the inputs" : "towards the outputs");
    }
  return [...found].map(([cell, { bits, ways }]) => ({
    kind: "moved register",
    name: ownerOfName(netlist.cells[cell].name, "ff"),
    origin: origin[cell],
    shape: `${bits.size} ${bits.size === 1 ? "bit" : "bits"}`,
    becomes: "registers",
    count: 0,
    reason: `moved through logic ${[...ways].join(" and ")}, which makes the longest path shorter`,
  }));
}

/** Gives the machines the codes that the source or the options ask for; a register that is to be kept stays as it is. */
function codeMachines(found: readonly StateMachine[], netlist: RtlNetlist, options: SynthOptions): StateMachine[] {
  const wishes = new Wishes(netlist);
  return found.map((machine) => {
    const cell = netlist.cells[machine.cell];
    const coding = wishes.of(cell).states_as ?? options.stateCoding;
    if (coding === "as written" || cell.output.some((net) => wishes.kept.has(net))) return machine;
    return { ...machine, coding, codes: codesFor(coding, machine.states.length) };
  });
}

function loadLimits(mapped: MappedNetlist, elaborated: RtlNetlist, general: number): (cell: number) => number {
  const wishes = new Wishes(elaborated);
  return (cell) => {
    const origin = mapped.origin[cell];
    const own = origin >= 0 ? wishes.of(elaborated.cells[origin]).most_loads : undefined;
    return own ?? (general || Number.POSITIVE_INFINITY);
  };
}

/** State machines and shift registers, which stay registers but are worth knowing of. */
function structures(
  graph: BitGraph,
  machines: readonly StateMachine[],
  netlist: RtlNetlist,
  origin: Int32Array,
): InferredItem[] {
  const nameOf = (cell: number) => ownerOfName(netlist.cells[cell].name, "ff");
  const items = [...machines]
    .sort((a, b) => a.cell - b.cell)
    .map((machine): InferredItem => {
      const unreachable = 2 ** machine.bits - machine.states.length;
      const how = machine.coding ? `coded anew, ${machine.coding}, in ${machine.codes![0].length} bits` : "as written";
      return {
        kind: "state machine",
        name: nameOf(machine.cell),
        origin: origin[machine.cell],
        shape: `${machine.states.length} states in ${machine.bits} bits, ${machine.transitions.length} transitions`,
        becomes: "registers",
        count: 0,
        reason: unreachable ? `${how}; ${unreachable} of ${2 ** machine.bits} codes are never reached` : how,
        machine,
      };
    });
  const shifts = findShiftRegisters(graph).map(
    ({ cell, length }): InferredItem => ({
      kind: "shift register",
      name: nameOf(cell),
      origin: origin[cell],
      shape: `${length} long`,
      becomes: "registers",
      count: 0,
      reason: "each bit is one flip-flop, fed past its LUT",
    }),
  );
  return [...items, ...shifts];
}

function foldSmallControls(graph: BitGraph, least: number): StateBit[] {
  const { aig } = graph;
  const share = new Map<string, number>();
  const keyOf = (state: StateBit) =>
    `${state.clock} ${state.clockRising} ${state.enable} ${state.reset} ${state.asyncReset}`;
  for (const state of graph.states) share.set(keyOf(state), (share.get(keyOf(state)) ?? 0) + 1);
  return graph.states.map((state) => {
    if (state.isLatch || share.get(keyOf(state))! >= least) return state;
    aig.currentOrigin = state.cell;
    let { d, enable, reset } = state;
    if (enable >= 0) d = aig.mux(enable, d, 2 * state.qNode);
    enable = -1;
    if (reset >= 0 && !state.asyncReset) {
      d = aig.mux(reset, state.resetValue, d);
      reset = -1;
    }
    return { ...state, d, enable, reset };
  });
}
