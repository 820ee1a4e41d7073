import type { StageContext } from "../common/context.ts";
import { Random } from "../common/random.ts";
import { blockClockCount, cellKind, ffMode, ffPin, type MappedNetlist } from "../netlist/mapped.ts";
import { bitName, type RtlNetlist } from "../netlist/rtl.ts";
import { prepareNetlist, type SynthOptions } from "../synth/synthesize.ts";
import { checkWords, type WordFault } from "./check-words.ts";
import { JointGraph, nextValue, type ProofPoint } from "./joint-graph.ts";
import { MachineLeaves } from "./machine-leaves.ts";
import { MappedLogic } from "./mapped-logic.ts";
import { Sweep } from "./sweep.ts";
import { WordLogic } from "./word-logic.ts";

/** Inputs and both sides' values of a run from the start that shows a difference. */
export interface Counterexample {
  /** What differs in the last cycle. */
  readonly point: string;
  readonly what: ProofPoint["what"];
  readonly written: number;
  readonly built: number;
  /** For each cycle, the bits that were given to the inputs, and both values of all outputs. */
  readonly cycles: readonly CounterCycle[];
  /** False where the state was found by itself: no run from the start that leads there is known. */
  readonly fromStart: boolean;
}
export interface CounterCycle {
  readonly inputs: Readonly<Record<string, number>>;
  readonly outputs: Readonly<Record<string, { readonly written: number; readonly built: number }>>;
}

export interface Proof {
  readonly verdict: "equal" | "different" | "undecided";
  readonly points: number;
  /** Points that differ or could not be decided, at most 50. */
  readonly open: readonly { readonly name: string; readonly what: ProofPoint["what"] }[];
  readonly counterexample: Counterexample | null;
  /** Word operators that are not what whole numbers say. */
  readonly wordFaults: readonly WordFault[];
  readonly cyclesSimulated: number;
  readonly nodes: number;
  readonly satQuestions: number;
  /** Blocks whose inputs were compared and whose insides were taken as they are. */
  readonly blocks: number;
  /** Names of latches, which are compared as they stand. */
  readonly latches: number;
}

export interface ProveOptions {
  /** Cycles of random simulation, 32 runs side by side. */
  readonly cycles: number;
  /** Conflicts that a SAT question inside the graph, and one about a point, may take. */
  readonly innerBudget: number;
  readonly pointBudget: number;
  readonly seed: number;
}
export const defaultProveOptions: ProveOptions = { cycles: 400, innerBudget: 300, pointBudget: 200_000, seed: 1 };

/**
 * Proves that the mapped circuit does what the elaborated one does: registers correspond, and from any state in which
 * they agree (with the registers that synthesis found constant at their value) every output, every register's next
 * value, clock and reset, and every pin of a block agree too. Random simulation from the start looks for a difference
 * first; then equal nodes are merged from the leaves up and what is left is asked of a SAT solver.
 */
export function prove(
  elaborated: RtlNetlist,
  mapped: MappedNetlist,
  synthOptions: SynthOptions,
  options: ProveOptions,
  context: StageContext,
): Proof {
  const wordFaults = checkWords(elaborated, synthOptions.lutInputs, options.seed);
  const joint = buildJoint(elaborated, mapped, synthOptions);
  const { graph } = joint;
  const simulated = simulate(graph, options, context);
  const base = {
    points: graph.points.length,
    wordFaults,
    nodes: graph.aig.nodeCount,
    blocks: mapped.blocks.length,
    latches: joint.latches,
  };
  if (simulated.counterexample) {
    const { point, what } = simulated.counterexample;
    return {
      ...base,
      verdict: "different",
      open: [{ name: point, what }],
      counterexample: simulated.counterexample,
      cyclesSimulated: simulated.cycles,
      satQuestions: 0,
    };
  }
  const sweep = new Sweep(graph.aig, {
    ...context,
    progress: ({ fraction, figure }) => context.progress({ fraction: 0.2 + 0.7 * fraction, figure }),
  });
  sweep.run(options.innerBudget);
  const open: { name: string; what: ProofPoint["what"] }[] = [];
  let counterexample: Counterexample | null = null;
  let undecided = false;
  for (const point of graph.points) {
    context.checkCancelled();
    const answer = sweep.equal(point.written, point.built, options.pointBudget);
    if (answer === true) continue;
    if (open.length < 50) open.push({ name: point.name, what: point.what });
    if (answer === null) undecided = true;
    else counterexample ??= singleState(graph, point, sweep.pattern);
  }
  if (counterexample) {
    // a state that only the solver chose may not be reachable: look for a way there
    const found = simulate(graph, { ...options, cycles: options.cycles * 20, seed: options.seed + 1 }, context);
    counterexample = found.counterexample ?? counterexample;
  }
  return {
    ...base,
    verdict: counterexample ? "different" : undecided || wordFaults.length ? "undecided" : "equal",
    open,
    counterexample,
    cyclesSimulated: simulated.cycles,
    satQuestions: sweep.satCalls,
  };
}

export interface Joint {
  readonly graph: JointGraph;
  readonly latches: number;
}

/** Both circuits over the same leaves. */
export function buildJoint(elaborated: RtlNetlist, mapped: MappedNetlist, options: SynthOptions): Joint {
  const graph = new JointGraph();
  const { aig } = graph;
  const { netlist } = prepareNetlist(elaborated, options);
  const ffState = new Map<number, number>(); // flip-flop cell -> index of its state
  const stateOf = (cell: number): number => {
    let index = ffState.get(cell);
    if (index === undefined) {
      index = graph.states.length;
      ffState.set(cell, index);
      const init = mapped.modes[cell] & ffMode.init ? 1 : 0;
      graph.states.push({ name: mapped.cellName[cell], node: aig.input() >> 1, init, next: -1 });
    }
    return index;
  };
  const machines = mapped.machines.map((machine, m) => new MachineLeaves(graph, machine, `state machine ${m}`));
  const codeBit = new Map<number, { readonly machine: MachineLeaves; readonly bit: number }>(); // net -> written code's bit
  const builtBit = new Map<number, number>(); // flip-flop of a new code -> literal
  for (const machine of machines) {
    for (const [net, bit] of machine.machine.nets) codeBit.set(net, { machine, bit });
    machine.machine.flipFlops.forEach((cell, bit) => builtBit.set(cell, machine.builtBit(bit)));
  }
  const originalOf = new Map<number, number>();
  for (let i = 0; i < mapped.copies.length; i += 2) originalOf.set(mapped.copies[i], mapped.copies[i + 1]);
  const flipFlop = (copy: number) => {
    const cell = originalOf.get(copy) ?? copy;
    return builtBit.get(cell) ?? 2 * graph.states[stateOf(cell)].node;
  };
  const byNet = new Map<number, number>();
  for (let i = 0; i < mapped.states.length; i += 2) byNet.set(mapped.states[i], mapped.states[i + 1]);
  const hint = (c: number, bit: number) => byNet.get(netlist.cells[c].output[bit]);
  const blockCells = netlist.cells.flatMap((cell, c) => (cell.kind === "block" ? [c] : []));
  const blockIndex = new Map<number, number>(); // word-level block cell -> block of the mapped netlist
  mapped.blocks.forEach((block, b) => blockIndex.set(blockCells[block.source], b));
  const portName = new Map<number, string>();
  for (const port of netlist.ports)
    if (port.direction === "input") port.bits.forEach((net, i) => portName.set(net, bitName(port, i)));
  const latchLeaf = new Map<number, number>(); // LUT cell of a latch -> literal
  const constants: { cell: number; bit: number; value: number }[] = [];

  const words = new WordLogic(aig, netlist, options.lutInputs, {
    port: (net) => {
      const name = portName.get(net);
      return name === undefined ? null : graph.input(name);
    },
    state: (c, bit) => {
      const coded = codeBit.get(netlist.cells[c].output[bit]);
      if (coded) return coded.machine.writtenBit(coded.bit);
      const cell = hint(c, bit);
      if (cell === undefined) {
        // synthesis says that it never changes; that is one of the things to prove
        const init = netlist.cells[c].modes?.init ?? "x";
        const reset = netlist.cells[c].modes?.resetValue ?? "x";
        const pick = (text: string) => text[text.length - 1 - bit];
        const value = pick(init) === "1" || (pick(init) === "x" && pick(reset) === "1") ? 1 : 0;
        constants.push({ cell: c, bit, value });
        return value;
      }
      if (mapped.kind[cell] === cellKind.lut) {
        let leaf = latchLeaf.get(cell);
        if (leaf === undefined) {
          leaf = graph.freeLeaf(mapped.cellName[cell]);
          latchLeaf.set(cell, leaf);
        }
        return leaf;
      }
      return flipFlop(cell);
    },
    block: (c, pin) => graph.freeLeaf(`block ${blockIndex.get(c) ?? -1} pin ${pin}`),
  });
  const built = new MappedLogic(aig, mapped, {
    pad: (cell) => graph.input(mapped.cellName[cell]),
    flipFlop,
    block: (block, pin) => graph.freeLeaf(`block ${block} pin ${pin}`),
    loop: (cell) => {
      let leaf = latchLeaf.get(cell);
      if (leaf === undefined) {
        leaf = graph.freeLeaf(mapped.cellName[cell]);
        latchLeaf.set(cell, leaf);
      }
      return leaf;
    },
  });
  const point = (name: string, what: ProofPoint["what"], left: number, right: number) =>
    graph.points.push({ name, what, written: left, built: right });

  for (const port of netlist.ports) {
    if (port.direction !== "output") continue;
    const other = mapped.ports.find((each) => each.name === port.name)!;
    port.bits.forEach((net, i) => {
      const pad = other.pads[i];
      point(bitName(port, i), "output", words.get(net), built.get(mapped.inputNet[mapped.inputStart[pad]]));
    });
  }
  for (const [net, own] of mapped.kept) point(mapped.netName[own], "net", words.get(net), built.get(own));
  // registers that nothing reads are there because the source keeps them
  for (const net of byNet.keys()) if (net < netlist.netCount) words.get(net);
  // a machine's states are told apart by all bits of its code
  for (const net of codeBit.keys()) words.get(net);
  words.finish();
  const control = (cell: number, pin: number) => {
    const net = mapped.inputNet[mapped.inputStart[cell] + pin];
    return net < 0 ? -1 : built.get(net);
  };
  for (const state of words.states) {
    const { cell: c, bit } = state;
    const cell = hint(c, bit);
    const modes = netlist.cells[c].modes;
    const pick = (text: string) => text[text.length - 1 - bit];
    const net = netlist.cells[c].output[bit];
    const q = words.literal[net];
    const coded = codeBit.get(net);
    if (coded) {
      coded.machine.take(coded.bit, state, q, modes!);
      continue;
    }
    if (cell === undefined) continue; // among the constants below
    const name = mapped.cellName[cell];
    if (state.isLatch) {
      const value = aig.mux(state.enable, state.d, q);
      for (let slot = mapped.inputStart[cell]; slot < mapped.inputStart[cell + 1]; slot++)
        built.get(mapped.inputNet[slot]);
      point(name, "register", value, built.gate(cell));
      continue;
    }
    const own = mapped.modes[cell];
    const resetValue = own & ffMode.resetValue ? 1 : 0;
    const isAsync = modes!.asyncReset && state.reset >= 0;
    // an open start or reset value is whatever the flip-flop has
    const written = pick(modes!.resetValue) === "x" ? resetValue : Number(pick(modes!.resetValue));
    const init = pick(modes!.init) === "x" ? own & ffMode.init : Number(pick(modes!.init));
    point(name, "start value", init, own & ffMode.init ? 1 : 0);
    const next = nextValue(aig, { d: state.d, q, enable: state.enable, reset: state.reset, resetValue: written });
    const enable = control(cell, ffPin.enable);
    const reset = control(cell, ffPin.reset);
    const d = built.get(mapped.inputNet[mapped.inputStart[cell] + ffPin.d]);
    point(name, "register", next, nextValue(aig, { d, q, enable, reset, resetValue }));
    graph.states[stateOf(cell)].next = next;
    const falling = own & ffMode.clockFalling ? 1 : 0;
    point(name, "clock", state.clock ^ (modes!.clockRising ? 0 : 1), control(cell, ffPin.clock) ^ falling);
    const builtAsync = (own & ffMode.asyncReset) !== 0 && reset >= 0;
    point(name, "reset", isAsync ? state.reset : 0, builtAsync ? reset : 0);
  }
  for (const [copy, cell] of originalOf) {
    const name = mapped.cellName[copy];
    const next = (of: number) =>
      nextValue(aig, {
        d: control(of, ffPin.d),
        q: flipFlop(of),
        enable: control(of, ffPin.enable),
        reset: control(of, ffPin.reset),
        resetValue: mapped.modes[of] & ffMode.resetValue ? 1 : 0,
      });
    point(name, "register", next(cell), next(copy));
    const clock = (of: number) => control(of, ffPin.clock) ^ (mapped.modes[of] & ffMode.clockFalling ? 1 : 0);
    point(name, "clock", clock(cell), clock(copy));
    point(name, "start value", mapped.modes[cell] & ffMode.init, mapped.modes[copy] & ffMode.init);
    const async = (of: number) => (mapped.modes[of] & ffMode.asyncReset ? Math.max(0, control(of, ffPin.reset)) : 0);
    point(name, "reset", async(cell), async(copy));
  }
  for (const machine of machines) machine.compare(mapped, control, point);
  for (const { cell: c, bit, value } of constants) {
    const state = words.states.find((each) => each.cell === c && each.bit === bit);
    if (!state) continue;
    const modes = netlist.cells[c].modes;
    const resetValue = modes && modes.resetValue[modes.resetValue.length - 1 - bit] === "1" ? 1 : 0;
    const free = modes && modes.resetValue[modes.resetValue.length - 1 - bit] === "x" ? value : resetValue;
    const next = nextValue(aig, { d: state.d, q: value, enable: state.enable, reset: state.reset, resetValue: free });
    const vector = netlist.cells[c].name.replace(/\$(ff|latch)\d*$/, "");
    point(`${vector}[${bit}] is always ${value}`, "register", next, value);
  }
  mapped.blocks.forEach((block) => {
    const source = netlist.cells[blockCells[block.source]];
    const last = block.inputNames.length;
    source.inputs.forEach((bits, pin) => {
      const clocks = blockClockCount(block.modes);
      const name = `${mapped.cellName[block.cell]}.${pin < last ? block.inputNames[pin] : `clock ${pin - last + 1} of ${clocks}`}`;
      const net = mapped.inputNet[mapped.inputStart[block.cell] + pin];
      point(name, "block pin", bits.length ? words.get(bits[0]) : 0, net < 0 ? 0 : built.get(net));
    });
  });
  return { graph, latches: latchLeaf.size };
}

interface Run {
  readonly counterexample: Counterexample | null;
  readonly cycles: number;
}

/** Runs both circuits from the start, 32 random runs at a time. */
function simulate(graph: JointGraph, options: ProveOptions, context: StageContext): Run {
  const { aig, states, points } = graph;
  const random = new Random(options.seed);
  const value = new Int32Array(aig.nodeCount);
  const { fanin0, fanin1 } = aig;
  const inputs = [...graph.inputs].filter(([, literal]) => literal > 1);
  const free = [...graph.free.values()];
  const read = (literal: number) => (literal & 1 ? ~value[literal >> 1] : value[literal >> 1]);
  const outputs = points.filter((point) => point.what === "output");
  const perRun = 64;
  let done = 0;
  const bias = new Int8Array(inputs.length);
  const history: Int32Array[] = [];
  const shown: { written: Int32Array; built: Int32Array }[] = [];
  while (done < options.cycles) {
    context.checkCancelled();
    context.progress({ fraction: (0.2 * done) / options.cycles, figure: `${done} cycles simulated` });
    history.length = shown.length = 0;
    for (const state of states) value[state.node] = state.init ? -1 : 0;
    // how often each input is 1 differs from run to run: resets must also rest
    for (let i = 0; i < inputs.length; i++) bias[i] = random.below(4);
    for (let cycle = 0; cycle < perRun && done < options.cycles; cycle++, done++) {
      const given = new Int32Array(inputs.length);
      inputs.forEach(([, literal], i) => {
        const a = random.uint32();
        const word = bias[i] === 0 ? a & random.uint32() & random.uint32() : bias[i] === 1 ? a | random.uint32() : a;
        given[i] = word;
        value[literal >> 1] = word;
      });
      for (const literal of free) value[literal >> 1] = random.uint32();
      for (let node = 1; node < aig.nodeCount; node++) {
        const f0 = fanin0[node];
        if (f0 < 0) continue;
        const f1 = fanin1[node];
        const a = value[f0 >> 1];
        const b = value[f1 >> 1];
        value[node] = (f0 & 1 ? ~a : a) & (f1 & 1 ? ~b : b);
      }
      history.push(given);
      shown.push({
        written: Int32Array.from(outputs, (point) => read(point.written)),
        built: Int32Array.from(outputs, (point) => read(point.built)),
      });
      for (const point of points) {
        const differs = read(point.written) ^ read(point.built);
        if (differs === 0) continue;
        const lane = 31 - Math.clz32(differs & -differs);
        const bit = (word: number) => (word >>> lane) & 1;
        return {
          cycles: done + 1,
          counterexample: {
            point: point.name,
            what: point.what,
            written: bit(read(point.written)),
            built: bit(read(point.built)),
            fromStart: true,
            cycles: history.map((words, c) => ({
              inputs: Object.fromEntries(inputs.map(([name], i) => [name, bit(words[i])])),
              outputs: Object.fromEntries(
                outputs.map((out, i) => [
                  out.name,
                  { written: bit(shown[c].written[i]), built: bit(shown[c].built[i]) },
                ]),
              ),
            })),
          },
        };
      }
      const next = states.map((state) => (state.next < 0 ? value[state.node] : read(state.next)));
      states.forEach((state, i) => {
        value[state.node] = next[i];
      });
    }
  }
  return { counterexample: null, cycles: done };
}

/** A difference that the solver found in a state of its own choice. */
function singleState(graph: JointGraph, point: ProofPoint, pattern: ReadonlyMap<number, number>): Counterexample {
  const { aig } = graph;
  const value = new Uint8Array(aig.nodeCount);
  for (let node = 1; node < aig.nodeCount; node++) {
    if (!aig.isAnd(node)) {
      value[node] = pattern.get(node) ?? 0;
      continue;
    }
    const read = (literal: number) => value[literal >> 1] ^ (literal & 1);
    value[node] = read(aig.fanin0[node]) & read(aig.fanin1[node]);
  }
  const read = (literal: number) => value[literal >> 1] ^ (literal & 1);
  return {
    point: point.name,
    what: point.what,
    written: read(point.written),
    built: read(point.built),
    fromStart: false,
    cycles: [
      {
        inputs: Object.fromEntries([...graph.inputs].map(([name, literal]) => [name, read(literal)])),
        outputs: Object.fromEntries(
          graph.points
            .filter((each) => each.what === "output")
            .map((each) => [each.name, { written: read(each.written), built: read(each.built) }]),
        ),
      },
    ],
  };
}
