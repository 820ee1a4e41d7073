import type { StageContext } from "../common/context.ts";
import { blockClockCount, isOutsidePin } from "../device/blocks/registry.ts";
import { elementAt, type LayoutInputs } from "../layout/layout.ts";
import { padSideOf } from "../layout/pads.ts";
import type { Aig } from "../logic/aig.ts";
import { portOfPad } from "../netlist/made-names.ts";
import { cellKind, ffMode, ffPin, padPin } from "../netlist/mapped.ts";
import { type Circuit, decodeCircuit, padRegisterElement } from "../silicon/decode.ts";
import { enableName, JointGraph, nextValue, type ProofPoint } from "./joint-graph.ts";
import { MappedLogic, tableLogic } from "./mapped-logic.ts";
import { defaultProveOptions } from "./prove.ts";
import { Sweep } from "./sweep.ts";

export interface ReadbackProof {
  readonly verdict: "equal" | "different" | "undecided";
  readonly points: number;
  readonly open: readonly { readonly name: string; readonly what: ProofPoint["what"] }[];
}

/**
 * Proves that configuration bits make the circuit that was laid out: what the simulated part decodes from them, with
 * nothing but the bits, against the mapped netlist. Pads, flip-flops and blocks correspond by their places on the die.
 * @param memory Configuration memory as read back.
 */
export function proveReadback(layout: LayoutInputs, memory: Uint8Array, context: StageContext): ReadbackProof {
  const { graph, points } = joinWithBits(layout, decodeCircuit(layout.part, memory));
  const sweep = new Sweep(graph.aig, context);
  sweep.run(defaultProveOptions.innerBudget);
  const open: { name: string; what: ProofPoint["what"] }[] = [];
  let verdict: ReadbackProof["verdict"] = "equal";
  for (const point of points) {
    const answer = sweep.equal(point.written, point.built, defaultProveOptions.pointBudget);
    if (answer === true) continue;
    if (open.length < 50) open.push({ name: point.name, what: point.what });
    if (answer === false) verdict = "different";
    else if (verdict === "equal") verdict = "undecided";
  }
  return { verdict, points: points.length, open };
}

function joinWithBits(layout: LayoutInputs, circuit: Circuit): { graph: JointGraph; points: readonly ProofPoint[] } {
  const { netlist, packed, placed, part } = layout;
  const graph = new JointGraph();
  const { aig } = graph;
  const padName = (pad: number) => `pad ${pad}`;
  const placeName = (tile: number, element: number) =>
    `x${part.fabric.tileX(tile)}y${part.fabric.tileY(tile)}.${element}`;
  const blockName = (type: string, tile: number, pin: number) => `${type} ${tile} pin ${pin}`;
  const placeOf = (cell: number) => {
    const side = padSideOf(netlist, packed, cell);
    if (side) {
      const pad = part.fabric.pads[packed.cellPad[cell]];
      return { tile: pad.tile, element: padRegisterElement(pad.index, side) };
    }
    const e = packed.cellElement[cell];
    const { tile, place } = elementAt(part, placed, e);
    return { tile, element: place };
  };
  const built = new MappedLogic(aig, netlist, {
    pad: (cell) => graph.input(padName(packed.cellPad[cell])),
    flipFlop: (cell) => {
      const { tile, element } = placeOf(cell);
      return graph.freeLeaf(placeName(tile, element));
    },
    block: (block, pin) => graph.freeLeaf(blockName(netlist.blocks[block].modes.type, placed.blockTile[block], pin)),
    loop: (cell) => {
      const { tile, element } = placeOf(cell);
      return graph.freeLeaf(`loop ${placeName(tile, element)}`);
    },
  });
  const decoded = new DecodedLogic(aig, circuit, {
    input: (pad) => graph.input(padName(pad)),
    flipFlop: (ff) => graph.freeLeaf(placeName(ff.tile, ff.element)),
    block: (type, tile, pin) => graph.freeLeaf(blockName(type, tile, pin)),
  });
  const point = (name: string, what: ProofPoint["what"], left: number, right: number) =>
    graph.points.push({ name, what, written: left, built: right });
  // loops first, so that both sides are cut at the same places
  for (let cell = 0; cell < netlist.cellCount; cell++)
    if (netlist.kind[cell] === cellKind.lut && !isInside(layout, cell)) built.get(netlist.outputNet[cell]);
  for (const [cell, literal] of built.loops) {
    const { tile, element } = placeOf(cell);
    decoded.cut(part.graph.tileFirst[tile] + element, literal);
  }
  const outputs = new Map(circuit.outputs.map((output) => [output.pad, output]));
  for (let cell = 0; cell < netlist.cellCount; cell++) {
    if (netlist.kind[cell] !== cellKind.outputPad || packed.cellPad[cell] < 0) continue;
    const output = outputs.get(packed.cellPad[cell]);
    const first = netlist.inputStart[cell];
    const wanted = built.get(netlist.inputNet[first + padPin.value]);
    const name = portOfPad(netlist.cellName[cell]);
    point(name, "output", wanted, output ? decoded.get(output.signal) : wanted ^ 1);
    if (!output) continue;
    const enable = netlist.inputNet[first + padPin.enable];
    point(
      enableName(name),
      "output",
      enable < 0 ? 1 : built.get(enable),
      output.enable < 0 ? 1 : decoded.get(output.enable),
    );
  }
  const flipFlops = new Map(circuit.flipFlops.map((ff) => [placeName(ff.tile, ff.element), ff]));
  for (let cell = 0; cell < netlist.cellCount; cell++) {
    if (netlist.kind[cell] !== cellKind.flipFlop) continue;
    const { tile, element } = placeOf(cell);
    const ff = flipFlops.get(placeName(tile, element));
    if (!ff) continue; // nothing that leads to a pad reads it
    const name = netlist.cellName[cell];
    const pin = (i: number) => {
      const net = netlist.inputNet[netlist.inputStart[cell] + i];
      return net < 0 ? -1 : built.get(net);
    };
    const q = graph.freeLeaf(placeName(tile, element));
    const modes = netlist.modes[cell];
    const resetValue = modes & ffMode.resetValue ? 1 : 0;
    const reset = pin(ffPin.reset);
    const read = (signal: number) => (signal < 0 ? -1 : decoded.get(signal));
    const ownReset = read(ff.reset);
    point(
      name,
      "register",
      nextValue(aig, { d: pin(ffPin.d), q, enable: pin(ffPin.enable), reset, resetValue }),
      nextValue(aig, { d: read(ff.d), q, enable: read(ff.enable), reset: ownReset, resetValue: ff.resetValue }),
    );
    point(
      name,
      "clock",
      pin(ffPin.clock) ^ (modes & ffMode.clockFalling ? 1 : 0),
      read(ff.clock) ^ (ff.falling ? 1 : 0),
    );
    point(name, "start value", modes & ffMode.init ? 1 : 0, ff.init);
    const isAsync = (modes & ffMode.asyncReset) !== 0 && reset >= 0;
    point(name, "reset", isAsync ? reset : 0, ff.asyncReset && ownReset >= 0 ? ownReset : 0);
  }
  const siteName = (type: string, tile: number) => `${type} ${tile}`;
  const blocks = new Map(circuit.blocks.map((block) => [siteName(block.modes.type, block.tile), block]));
  netlist.blocks.forEach((block, b) => {
    const found = blocks.get(siteName(block.modes.type, placed.blockTile[b]));
    if (!found) return;
    const name = netlist.cellName[block.cell];
    point(name, "start value", 1, sameValue(block.modes, found.modes) ? 1 : 0);
    const clocks = blockClockCount(block.modes);
    [...found.inputs, ...found.clocks].forEach((signal, i) => {
      const net = netlist.inputNet[netlist.inputStart[block.cell] + i];
      if (isOutsidePin(block.modes.type, block.inputNames[i] ?? "")) return;
      const label = i < found.inputs.length ? block.inputNames[i] : `clock ${i - found.inputs.length + 1} of ${clocks}`;
      point(`${name}.${label}`, "block pin", net < 0 ? 0 : built.get(net), decoded.get(signal));
    });
  });
  return { graph, points: graph.points };
}

function sameValue(a: unknown, b: unknown): boolean {
  if (typeof a !== "object" || typeof b !== "object" || !a || !b) return a === b;
  const keys = Object.keys(a);
  return keys.length === Object.keys(b).length && keys.every((key) => sameValue(a[key as never], b[key as never]));
}

/** True for a LUT that only its own element's carry reads. */
function isInside({ packed }: LayoutInputs, cell: number): boolean {
  const e = packed.cellElement[cell];
  return e >= 0 && (packed.elementSum[e] >= 0 || packed.elementMux[e] >= 0);
}

/** What was decoded from bits, as gates, on demand. */
class DecodedLogic {
  private readonly literal: Int32Array;
  private readonly tableOf: Int32Array;

  constructor(
    private readonly aig: Aig,
    private readonly circuit: Circuit,
    leaf: {
      input(pad: number): number;
      flipFlop(ff: Circuit["flipFlops"][number]): number;
      block(type: string, tile: number, pin: number): number;
    },
  ) {
    this.literal = new Int32Array(circuit.signalCount).fill(-1);
    this.tableOf = new Int32Array(circuit.signalCount).fill(-1);
    this.literal[0] = 0;
    circuit.tables.forEach((table, t) => {
      this.tableOf[table.output] = t;
    });
    for (const { read, pad } of circuit.inputs) this.literal[read] = leaf.input(pad);
    for (const ff of circuit.flipFlops) this.literal[ff.output] = leaf.flipFlop(ff);
    for (const { modes, tile, outputs } of circuit.blocks)
      for (const [pin, signal] of outputs) this.literal[signal] = leaf.block(modes.type, tile, pin);
  }

  /** Takes a literal for the output of the element at a routing node, where a loop is cut. */
  cut(node: number, literal: number): void {
    const signal = this.circuit.signalOfNode.get(node);
    if (signal !== undefined) this.literal[signal] = literal;
  }

  get(root: number): number {
    const { literal, tableOf, circuit } = this;
    const stack = [root];
    const onWay = new Set<number>();
    while (stack.length) {
      const signal = stack[stack.length - 1];
      if (literal[signal] >= 0) {
        stack.pop();
        continue;
      }
      const table = circuit.tables[tableOf[signal]];
      if (!table || (onWay.has(signal) && table.inputs.some((input) => literal[input] < 0 && onWay.has(input)))) {
        literal[signal] = this.aig.input(); // a loop that the netlist does not have: equal to nothing
        continue;
      }
      onWay.add(signal);
      const before = stack.length;
      for (const input of table.inputs) if (literal[input] < 0) stack.push(input);
      if (stack.length > before) continue;
      literal[signal] = tableLogic(
        this.aig,
        table.low,
        table.high,
        table.inputs.map((input) => literal[input]),
      );
    }
    return literal[root];
  }
}
