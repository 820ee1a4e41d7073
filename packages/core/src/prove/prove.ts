import type { StageContext } from "../common/context.ts";
import { Random } from "../common/random.ts";
import type { MappedNetlist } from "../netlist/mapped.ts";
import type { RtlNetlist } from "../netlist/rtl.ts";
import type { SynthOptions } from "../synth/synthesize.ts";
import { buildJoint } from "./build-joint.ts";
import { checkWords, type WordFault } from "./check-words.ts";
import type { JointGraph, ProofPoint } from "./joint-graph.ts";
import { Sweep } from "./sweep.ts";

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
interface CounterCycle {
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

interface ProveOptions {
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
