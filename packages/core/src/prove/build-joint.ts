import { blockClockCount } from "../device/blocks/registry.ts";
import { ownerOfName } from "../netlist/made-names.ts";
import { cellKind, ffMode, ffPin, type MappedNetlist, padPin } from "../netlist/mapped.ts";
import { bitName, type RtlNetlist } from "../netlist/rtl.ts";
import { prepareNetlist, type SynthOptions } from "../synth/synthesize.ts";
import { enableName, JointGraph, nextValue, type ProofPoint } from "./joint-graph.ts";
import { MachineLeaves } from "./machine-leaves.ts";
import { MappedLogic } from "./mapped-logic.ts";
import { MovedLeaves } from "./moved-leaves.ts";
import { WordLogic } from "./word-logic.ts";

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
  const moves = new MovedLeaves(graph, mapped, (net) => {
    const cell = byNet.get(net);
    return cell === undefined ? null : 2 * graph.states[stateOf(cell)].node;
  });
  for (const [cell, literal] of moves.built()) builtBit.set(cell, literal);
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
      const moved = moves.written(netlist.cells[c].output[bit]);
      if (moved !== null) return moved;
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
    const other = mapped.ports.find((each) => each.name === port.name && each.direction === "output")!;
    port.bits.forEach((net, i) => {
      const first = mapped.inputStart[other.pads[i]];
      const value = words.get(net);
      const builtValue = built.get(mapped.inputNet[first + padPin.value]);
      if (!port.enable) {
        point(bitName(port, i), "output", value, builtValue);
        return;
      }
      // a value counts only while it is driven
      const enable = words.get(port.enable[i]);
      const enableNet = mapped.inputNet[first + padPin.enable];
      point(enableName(bitName(port, i)), "output", enable, enableNet < 0 ? 1 : built.get(enableNet));
      point(bitName(port, i), "output", aig.and(enable, value), aig.and(enable, builtValue));
    });
  }
  for (const [net, own] of mapped.kept) point(mapped.netName[own], "net", words.get(net), built.get(own));
  // registers that nothing reads are there because the source keeps them
  for (const net of byNet.keys()) if (net < netlist.netCount) words.get(net);
  for (const { ins, register } of mapped.moved.records)
    for (const net of [register, ...ins]) if (net >= 0) words.get(net);
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
    const writtenName = `${ownerOfName(netlist.cells[c].name, netlist.cells[c].kind)}[${bit}]`;
    if (modes && moves.take(net, writtenName, state, q, modes)) continue;
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
  moves.compare(control, point);
  for (const machine of machines) machine.compare(mapped, control, point);
  for (const { cell: c, bit, value } of constants) {
    const state = words.states.find((each) => each.cell === c && each.bit === bit);
    if (!state) continue;
    const modes = netlist.cells[c].modes;
    const resetValue = modes && modes.resetValue[modes.resetValue.length - 1 - bit] === "1" ? 1 : 0;
    const free = modes && modes.resetValue[modes.resetValue.length - 1 - bit] === "x" ? value : resetValue;
    const next = nextValue(aig, { d: state.d, q: value, enable: state.enable, reset: state.reset, resetValue: free });
    const vector = ownerOfName(netlist.cells[c].name, netlist.cells[c].kind);
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
