import { blockOf } from "../device/blocks/registry.ts";
import { portOfPad } from "../netlist/made-names.ts";
import { cellKind, ffMode, type MappedNetlist } from "../netlist/mapped.ts";
import { inputLetters, lutExpression, maskOf } from "./lut-text.ts";
import type { NodeKind, Schematic, SchematicEdge, SchematicNode, SchematicPin } from "./schematic.ts";

/** LUT levels behind the registers and ports, by cell: what a LUT's place in its cone is. */
export function builtLevels(netlist: MappedNetlist): Int32Array {
  const { cellCount, kind, inputStart, inputNet, netDriver } = netlist;
  const level = new Int32Array(cellCount).fill(-1);
  const onWay = new Uint8Array(cellCount);
  const stack: number[] = [];
  for (let root = 0; root < cellCount; root++) {
    stack.push(root);
    while (stack.length) {
      const cell = stack[stack.length - 1];
      if (level[cell] >= 0) {
        stack.pop();
        continue;
      }
      const passes =
        kind[cell] === cellKind.lut || kind[cell] === cellKind.carrySum || kind[cell] === cellKind.carryMux;
      if (!passes && kind[cell] !== cellKind.outputPad) {
        level[cell] = 0;
        stack.pop();
        continue;
      }
      onWay[cell] = 1;
      let most = 0;
      let waits = false;
      for (let slot = inputStart[cell]; slot < inputStart[cell + 1]; slot++) {
        if (inputNet[slot] < 0) continue;
        const from = netDriver[inputNet[slot]];
        if (level[from] < 0 && !onWay[from]) {
          stack.push(from);
          waits = true;
        } else most = Math.max(most, level[from]);
      }
      if (waits) continue;
      level[cell] = most + (kind[cell] === cellKind.lut ? 1 : 0);
      onWay[cell] = 0;
      stack.pop();
    }
  }
  return level;
}

/** The circuit as built as a picture: LUTs with their functions, registers, whole carry chains, blocks, pads. */
export function builtSchematic(netlist: MappedNetlist): Schematic {
  return new BuiltWriter(netlist).write();
}

class BuiltWriter {
  private readonly nodes: SchematicNode[] = [];
  private readonly edges: SchematicEdge[] = [];
  /** [cells] Node that a cell is drawn as. */
  private readonly nodeOf: string[];
  private readonly level: Int32Array;
  private readonly fanout: Int32Array;

  constructor(private readonly netlist: MappedNetlist) {
    this.nodeOf = netlist.cellName.map((name) => `cell ${name}`);
    this.level = builtLevels(netlist);
    this.fanout = new Int32Array(netlist.netCount);
    for (const net of netlist.inputNet) if (net >= 0) this.fanout[net]++;
  }

  write(): Schematic {
    const { netlist } = this;
    const { kind, inputStart, inputNet, outputNet, cellName, origin } = netlist;
    const inChain = new Uint8Array(netlist.cellCount);
    netlist.chains.forEach((chain, i) => {
      for (const cells of [chain.lut, chain.sum, chain.mux])
        for (const cell of cells) {
          if (cell < 0) continue;
          inChain[cell] = 1;
          this.nodeOf[cell] = `chain ${i}`;
        }
    });
    const blockOutputs = new Map<number, number[]>();
    for (let cell = 0; cell < netlist.cellCount; cell++) {
      if (kind[cell] !== cellKind.blockOutput) continue;
      const block = netlist.netDriver[inputNet[inputStart[cell]]];
      this.nodeOf[cell] = this.nodeOf[block];
      const list = blockOutputs.get(block);
      if (list) list.push(cell);
      else blockOutputs.set(block, [cell]);
    }
    netlist.chains.forEach((_, i) => this.chain(i));
    for (let cell = 0; cell < netlist.cellCount; cell++) {
      if (inChain[cell] || kind[cell] === cellKind.blockOutput) continue;
      const first = inputStart[cell];
      const count = inputStart[cell + 1] - first;
      const output = outputNet[cell] >= 0 && kind[cell] !== cellKind.block ? [this.pin("o", "", outputNet[cell])] : [];
      const node = (
        what: NodeKind,
        symbol: string,
        names: readonly string[],
        detail: readonly string[],
        outputs: readonly SchematicPin[] = output,
      ) => {
        const inputs: SchematicPin[] = [];
        for (let pin = 0; pin < count; pin++) {
          const net = inputNet[first + pin];
          if (net < 0) continue;
          inputs.push(this.pin(`i${pin}`, names[pin] ?? `i${pin}`, net));
          this.edge(net, this.nodeOf[cell], `i${pin}`);
        }
        this.nodes.push({
          id: this.nodeOf[cell],
          kind: what,
          symbol,
          label: portOfPad(cellName[cell]),
          parent: null,
          inputs,
          outputs,
          origin: origin[cell],
          path: null,
          isExpanded: false,
          hidden: 0,
          detail,
        });
      };
      switch (kind[cell]) {
        case cellKind.lut:
          node("lut", this.expression(cell), inputLetters, this.lutWords(cell));
          break;
        case cellKind.flipFlop: {
          const modes = netlist.modes[cell];
          const has = (pin: number) => inputNet[first + pin] >= 0;
          const words = [`starts with ${modes & ffMode.init ? 1 : 0}`];
          if (has(3))
            words.push(
              `${modes & ffMode.asyncReset ? "asynchronous" : "synchronous"} reset to ${modes & ffMode.resetValue ? 1 : 0}`,
            );
          node("register", modes & ffMode.clockFalling ? "falling" : "rising", ["d", "clk", "en", "r"], words);
          break;
        }
        case cellKind.inputPad:
          node("input port", "", [], []);
          break;
        case cellKind.outputPad:
          node("output port", "", ["in", "drives"], [`${this.level[cell]} levels of logic`]);
          break;
        case cellKind.block: {
          const block = netlist.blocks.find((each) => each.cell === cell)!;
          const { modes, inputNames, outputNames } = block;
          const names = [
            ...inputNames,
            ...Array.from({ length: count - inputNames.length }, (_, p) => `clk ${"AB"[p]}`),
          ];
          const outputs = (blockOutputs.get(cell) ?? []).map((out) =>
            this.pin(`o${netlist.modes[out]}`, outputNames[netlist.modes[out]], outputNet[out]),
          );
          const { symbol, words } = blockOf(modes);
          node(symbol.kind, symbol.text, names, [...words(modes)], outputs);
        }
      }
    }
    return { title: netlist.top, nodes: this.nodes, edges: this.edges, total: this.nodes.length };
  }

  private pin(id: string, label: string, net: number): SchematicPin {
    return { id, label, width: 1, constant: null, isOpen: this.fanout[net] === 0, net };
  }

  private edge(net: number, node: string, pin: string): void {
    const { netlist } = this;
    const driver = netlist.netDriver[net];
    const from = this.nodeOf[driver];
    if (from === node && netlist.kind[driver] !== cellKind.flipFlop && from.startsWith("chain")) return;
    let outPin = "o";
    if (from.startsWith("chain")) outPin = `s${net}`;
    else if (netlist.kind[driver] === cellKind.blockOutput) outPin = `o${netlist.modes[driver]}`;
    this.edges.push({
      id: `${net}>${node} ${pin}`,
      from: { node: from, pin: outPin },
      to: { node, pin },
      width: 1,
      name: netlist.netName[net],
      net,
    });
  }

  /** A whole chain is one node: what its LUTs and bypass pins read, and the sums that are read. */
  private chain(i: number): void {
    const { netlist } = this;
    const { inputStart, inputNet, outputNet } = netlist;
    const { lut, sum, mux } = netlist.chains[i];
    const id = `chain ${i}`;
    const inner = new Set<number>();
    for (const cells of [lut, mux]) for (const cell of cells) if (cell >= 0) inner.add(outputNet[cell]);
    const inputs = new Map<number, SchematicPin>();
    lut.forEach((_, at) => {
      for (const cell of [lut[at], mux[at]]) {
        if (cell < 0) continue;
        for (let slot = inputStart[cell]; slot < inputStart[cell + 1]; slot++) {
          const net = inputNet[slot];
          if (net >= 0 && !inner.has(net) && !inputs.has(net))
            inputs.set(net, this.pin(`n${net}`, netlist.netName[net], net));
        }
      }
    });
    const named = sum.find((cell) => cell >= 0) ?? lut[0];
    const origin = netlist.origin[named];
    this.nodes.push({
      id,
      kind: "carry",
      symbol: `carry, ${lut.length}`,
      label: netlist.cellName[named],
      parent: null,
      inputs: [...inputs.values()],
      outputs: [...sum]
        .filter((cell) => cell >= 0)
        .map((cell) => this.pin(`s${outputNet[cell]}`, netlist.netName[outputNet[cell]], outputNet[cell])),
      origin,
      path: null,
      isExpanded: false,
      hidden: 0,
      detail: [`${lut.length} elements linked by carry`],
    });
    for (const net of inputs.keys()) this.edge(net, id, `n${net}`);
  }

  private expression(cell: number): string {
    const { netlist } = this;
    const inputs = netlist.inputStart[cell + 1] - netlist.inputStart[cell];
    return lutExpression(netlist.maskLow[cell], netlist.maskHigh[cell], inputs);
  }

  private lutWords(cell: number): string[] {
    const { netlist } = this;
    const first = netlist.inputStart[cell];
    const inputs = netlist.inputStart[cell + 1] - first;
    const mask = maskOf(netlist.maskLow[cell], netlist.maskHigh[cell], inputs);
    const names = Array.from(
      { length: inputs },
      (_, i) => `${inputLetters[i]} = ${netlist.netName[netlist.inputNet[first + i]]}`,
    );
    return [
      `level ${this.level[cell]}`,
      ...names,
      `table ${mask.toString(16).padStart(Math.max(1, 2 ** inputs / 4), "0")}`,
    ];
  }
}

/** Nodes that a net's value comes from within one clock cycle, back to registers, ports and blocks. */
export function coneOf(whole: Schematic, node: string): Set<string> {
  const into = new Map<string, string[]>();
  for (const { from, to } of whole.edges) {
    const list = into.get(to.node);
    if (list) list.push(from.node);
    else into.set(to.node, [from.node]);
  }
  const kindOf = new Map(whole.nodes.map((each) => [each.id, each.kind]));
  const seen = new Set([node]);
  const stack = [node];
  while (stack.length) {
    const at = stack.pop()!;
    const kind = kindOf.get(at);
    if (
      at !== node &&
      kind !== "lut" &&
      kind !== "carry" &&
      kind !== "operator" &&
      kind !== "mux" &&
      kind !== "multiplier"
    )
      continue;
    for (const from of into.get(at) ?? []) {
      if (seen.has(from)) continue;
      seen.add(from);
      stack.push(from);
    }
  }
  return seen;
}
