import type { BlockFamily } from "../device/blocks/description.ts";
import { blockPinsOf, isFromSource } from "../device/blocks/registry.ts";
import type { Aig } from "../logic/aig.ts";
import type { CarryChain } from "../logic/carry.ts";
import { ConeFunction, dependsOn, permuteMask } from "../logic/truth-table.ts";
import type { InferredItem } from "../netlist/inferred.ts";
import { madeName, ownerOfName } from "../netlist/made-names.ts";
import {
  carryStart,
  cellKind,
  ffMode,
  type MappedBlock,
  type MappedChain,
  type MappedMoves,
  type MappedNetlist,
  type MappedPort,
  type NameFate,
} from "../netlist/mapped.ts";
import { bitName, firstNet, type RtlCell, type RtlNetlist, type RtlPort, type RtlVector } from "../netlist/rtl.ts";
import type { BitGraph, BlockBits, KeptNet, StateBit } from "./blast.ts";
import { foldedLiteral } from "./graph-copy.ts";
import type { LutCover } from "./lut-map.ts";

/** Builds the mapped netlist from the cover: names, truth tables, polarity. */
export class NetlistWriter {
  private readonly kind: number[] = [];
  private readonly cellName: string[] = [];
  private readonly origin: number[] = [];
  private readonly inputs: number[][] = [];
  private readonly outputNet: number[] = [];
  private readonly maskLow: number[] = [];
  private readonly maskHigh: number[] = [];
  private readonly modes: number[] = [];
  private readonly netName: string[] = [];
  private readonly netDriver: number[] = [];
  private readonly usedNames = new Set<string>();
  /** Literal -> net that carries it. */
  private readonly netOf = new Map<number, number>();
  private readonly nodeName: (string | undefined)[];
  private readonly signalByName: ReadonlyMap<string, RtlVector>;
  /** Word-level block cell -> its place among the blocks; later steps add none and keep their order. */
  private readonly blockOrdinal = new Map<number, number>();
  private readonly aig: Aig;
  private readonly states: readonly StateBit[];
  private readonly cone: ConeFunction;

  constructor(
    private readonly rtl: RtlNetlist,
    /** [cells of `rtl`] Cell of the elaborated netlist. */
    private readonly rtlOrigin: Int32Array,
    private readonly inferred: readonly InferredItem[],
    private readonly blockFamily: BlockFamily,
    private readonly graph: BitGraph,
    private readonly cover: LutCover,
  ) {
    this.aig = graph.aig;
    this.states = graph.states;
    this.cone = new ConeFunction(this.aig);
    this.nodeName = new Array(this.aig.nodeCount);
    rtl.cells.forEach((cell, c) => {
      if (cell.kind === "block") this.blockOrdinal.set(c, this.blockOrdinal.size);
    });
    this.signalByName = new Map(rtl.signals.map((signal) => [signal.name, signal]));
  }

  write(): MappedNetlist {
    this.nameNodes();
    const ports = this.inputPorts();
    const stateCells = this.states.map((state) => this.stateCell(state));
    const chainSums = this.graph.carry.chains.map((chain) => this.chainSums(chain));
    const blocks = this.graph.blocks.map((block) => this.blockCells(block));
    // a root that only outputs use is made there, in the polarity that they want
    const isLeaf = new Uint8Array(this.aig.nodeCount);
    for (const root of this.cover.roots) {
      for (let i = 0; i < this.cover.k; i++)
        if (this.cover.leaves[root * this.cover.k + i] >= 0) isLeaf[this.cover.leaves[root * this.cover.k + i]] = 1;
    }
    const kept = new Map(this.graph.kept.map((each) => [each.node, each]));
    const order = [...this.cover.roots, ...kept.keys()].sort((a, b) => a - b);
    for (const node of order) {
      const own = kept.get(node);
      if (own) this.keptNet(own);
      else if (isLeaf[node]) this.lut(2 * node, this.nodeName[node]);
    }
    const chains = this.graph.carry.chains.map((chain, i) => this.chain(chain, chainSums[i]));
    this.states.forEach((state, i) => {
      const cell = stateCells[i];
      const name = this.cellName[cell];
      const need = (literal: number, suffix: string) =>
        literal < 0 ? -1 : this.netFor(literal, madeName(name, suffix), state.cell);
      this.inputs[cell] = state.isLatch
        ? [need(state.enable, "enable"), need(state.d, "data"), this.outputNet[cell]]
        : [need(state.d, "data"), need(state.clock, "clock"), need(state.enable, "enable"), need(state.reset, "reset")];
    });
    this.graph.blocks.forEach((block, i) => {
      const { cell } = blocks[i];
      this.inputs[cell] = block.inputs.map((literal, pin) =>
        literal <= 0 ? -1 : this.netFor(literal, `${this.cellName[cell]}:pin${pin}`, block.cell),
      );
    });
    const outputs = this.outputPorts();
    const inputStart = new Int32Array(this.kind.length + 1);
    this.inputs.forEach((list, c) => {
      inputStart[c + 1] = inputStart[c] + list.length;
    });
    return {
      top: this.rtl.top,
      cellCount: this.kind.length,
      netCount: this.netName.length,
      kind: Uint8Array.from(this.kind),
      cellName: this.cellName,
      origin: Int32Array.from(this.origin, (cell) => (cell >= 0 ? this.rtlOrigin[cell] : -1)),
      inputStart,
      inputNet: Int32Array.from(this.inputs.flat()),
      outputNet: Int32Array.from(this.outputNet),
      maskLow: Uint32Array.from(this.maskLow),
      maskHigh: Uint32Array.from(this.maskHigh),
      modes: Uint8Array.from(this.modes),
      netName: this.netName,
      netDriver: Int32Array.from(this.netDriver),
      chains,
      blocks,
      states: this.stateNets(stateCells),
      kept: this.graph.kept.map(({ net, node }) => [net, this.netOf.get(2 * node)!] as const),
      copies: new Int32Array(0),
      moved: this.moves(stateCells),
      machines: this.graph.recoded.map(({ states: written, codes: built, initState, nets }, m) => ({
        written,
        built,
        initState,
        nets,
        flipFlops: built[0].split("").map((_, bit) => {
          const at = this.states.findIndex(({ code }) => code?.machine === m && code.bit === bit);
          return stateCells[at];
        }),
      })),
      inferred: this.inferred,
      ports: this.rtl.ports.map((port) => (port.direction === "input" ? ports : outputs).get(port.name)!),
      levels: this.cover.levels,
      fates: this.fates(),
    };
  }

  private moves(stateCells: readonly number[]): MappedMoves {
    const { moved: records, merged } = this.graph;
    const ids = new Set(records.flatMap(({ register, ins }) => [register, ...ins]));
    const aliases: [number, number][] = [];
    if (records.length)
      for (const net of merged.keys()) {
        let at = net;
        while (merged.has(at)) at = merged.get(at)!;
        if (ids.has(at)) aliases.push([net, at]);
      }
    const cells = this.states.flatMap((state, i) =>
      state.moved ? [[-1 - state.moved.id, stateCells[i]] as const] : [],
    );
    return { records, cells, aliases };
  }

  /** A net that is to stay is the output of the LUT or carry sum that makes it, or of a LUT that hands it on. */
  private keptNet({ node, literal }: KeptNet): void {
    const from = literal >> 1;
    const name = this.nodeName[node] ?? this.originName(this.aig.origin[node]);
    const isOwn = !(literal & 1) && this.nodeName[from] === name;
    const isNew = this.aig.isAnd(from) && !this.netOf.has(literal);
    if (isOwn || isNew) {
      this.netOf.set(2 * node, this.aig.isAnd(from) ? this.lut(literal, name) : this.netOf.get(literal)!);
      return;
    }
    const known = this.netOf.get(literal);
    const cell = this.addCell(cellKind.lut, name, this.aig.origin[node], true);
    this.inputs[cell] = [known ?? this.netOf.get(literal ^ 1)!];
    this.maskLow[cell] = this.maskHigh[cell] = known === undefined ? 0x55555555 : 0xaaaaaaaa;
    this.netOf.set(2 * node, this.outputNet[cell]);
  }

  private stateNets(stateCells: readonly number[]): Int32Array {
    const cellOf = new Map(
      this.states.flatMap((state, i) =>
        state.code || state.moved ? [] : [[this.rtl.cells[state.cell].output[state.bit], stateCells[i]] as const],
      ),
    );
    for (const net of this.graph.merged.keys()) {
      let at = net;
      while (this.graph.merged.has(at)) at = this.graph.merged.get(at)!;
      const cell = cellOf.get(at);
      if (cell !== undefined) cellOf.set(net, cell);
    }
    return Int32Array.from([...cellOf].flat());
  }

  /** A node takes the name of the first declared signal bit that equals it or its inverse, tops before inner scopes. */
  private nameNodes(): void {
    for (const signal of this.rtl.signals) {
      signal.bits.forEach((net, i) => {
        if (net < firstNet) return;
        const literal = this.graph.literal[net];
        if (literal > 1 && this.nodeName[literal >> 1] === undefined) this.nodeName[literal >> 1] = bitName(signal, i);
      });
    }
    // what is only there for a kept net goes by its name
    const isOwn = (from: number) => this.aig.isAnd(from) || this.graph.carry.places.has(from);
    for (const { node, literal } of this.graph.kept)
      if (!(literal & 1) && isOwn(literal >> 1)) this.nodeName[literal >> 1] ??= this.nodeName[node];
  }

  private unique(name: string): string {
    let candidate = name;
    for (let i = 2; this.usedNames.has(candidate); i++) candidate = `${name}:${i}`;
    this.usedNames.add(candidate);
    return candidate;
  }

  private addCell(kind: number, name: string, origin: number, hasOutput: boolean): number {
    const cell = this.kind.length;
    const unique = this.unique(name);
    this.kind.push(kind);
    this.cellName.push(unique);
    this.origin.push(origin);
    this.inputs.push([]);
    this.maskLow.push(0);
    this.maskHigh.push(0);
    this.modes.push(0);
    this.outputNet.push(hasOutput ? this.netName.length : -1);
    if (hasOutput) {
      this.netName.push(unique);
      this.netDriver.push(cell);
    }
    return cell;
  }

  private inputPorts(): Map<string, MappedPort> {
    const nodes = new Map(this.graph.inputs.map((input) => [input.net, input.node]));
    const result = new Map<string, MappedPort>();
    for (const port of this.rtl.ports) {
      if (port.direction !== "input") continue;
      const bitNames = port.bits.map((_, i) => bitName(port, i));
      const pads = port.bits.map((net, i) => {
        const node = nodes.get(net);
        if (node === undefined) return -1;
        const cell = this.addCell(cellKind.inputPad, bitNames[i], -1, true);
        this.netOf.set(2 * node, this.outputNet[cell]);
        return cell;
      });
      result.set(port.name, { ...mappedPort(port), pads, bitNames });
    }
    return result;
  }

  private outputPorts(): Map<string, MappedPort> {
    const literals = new Map(
      this.graph.outputs.map(({ port, bit, isEnable, literal }) => [`${port}:${bit}:${isEnable}`, literal]),
    );
    const result = new Map<string, MappedPort>();
    this.rtl.ports.forEach((port, p) => {
      if (port.direction !== "output") return;
      const bitNames = port.bits.map((_, i) => bitName(port, i));
      const pads = port.bits.map((_, i) => {
        const net = this.netFor(literals.get(`${p}:${i}:false`)!, madeName(bitNames[i], "value"), -1);
        const enable = literals.get(`${p}:${i}:true`) ?? 1;
        const enableNet = enable === 1 ? -1 : this.netFor(enable, madeName(bitNames[i], "driven"), -1);
        const cell = this.addCell(cellKind.outputPad, madeName(bitNames[i], "pad"), -1, false);
        this.inputs[cell] = [net, enableNet];
        return cell;
      });
      result.set(port.name, { ...mappedPort(port), pads, bitNames });
    });
    return result;
  }

  private stateCell(state: StateBit): number {
    const source = this.rtl.cells[state.cell];
    const name =
      state.code?.name ??
      state.moved?.name ??
      this.registerName(source, state.bit) ??
      this.nodeName[state.qNode] ??
      `${source.name}[${state.bit}]`;
    const cell = this.addCell(state.isLatch ? cellKind.lut : cellKind.flipFlop, name, state.cell, true);
    if (state.isLatch) {
      // inputs en, d, q: en ? d : q
      this.maskLow[cell] = 0xd8d8d8d8;
      this.maskHigh[cell] = 0xd8d8d8d8;
    } else {
      this.modes[cell] =
        (state.init ? ffMode.init : 0) |
        (state.resetValue ? ffMode.resetValue : 0) |
        (state.asyncReset ? ffMode.asyncReset : 0) |
        (state.clockRising ? 0 : ffMode.clockFalling);
    }
    this.netOf.set(2 * state.qNode, this.outputNet[cell]);
    return cell;
  }

  /** A register goes by the name it was declared under, however many wires of outer scopes carry its value. */
  private registerName(cell: RtlCell, bit: number): string | undefined {
    const vector = this.signalByName.get(ownerOfName(cell.name, cell.kind));
    const at = vector?.bits.indexOf(cell.output[bit]) ?? -1;
    return vector && at >= 0 ? bitName(vector, at) : undefined;
  }

  private blockCells(block: BlockBits): MappedBlock {
    const source = this.rtl.cells[block.cell];
    // blocks that the source instantiates go by their instance's name
    const name = isFromSource(source.block!.modes)
      ? ownerOfName(source.name, "block")
      : source.name.replace(/:block/, ":");
    const cell = this.addCell(cellKind.block, name, block.cell, true);
    for (const [pin, node] of [...block.outputs].sort((a, b) => a[0] - b[0])) {
      const out = this.addCell(cellKind.blockOutput, this.nodeName[node] ?? `${name}:out${pin}`, block.cell, true);
      this.inputs[out] = [this.outputNet[cell]];
      this.modes[out] = pin;
      this.netOf.set(2 * node, this.outputNet[out]);
    }
    const { modes } = source.block!;
    const { inputs, outputs } = blockPinsOf(this.blockFamily, modes);
    return { cell, source: this.blockOrdinal.get(block.cell)!, modes, inputNames: inputs, outputNames: outputs };
  }

  /** Outputs of a chain's elements come first: LUTs may read them. */
  private chainSums(chain: CarryChain): Int32Array {
    return Int32Array.from(chain.elements, ({ sumNode }, i) => {
      if (sumNode < 0 || !this.graph.carry.places.has(sumNode)) return -1;
      const name = this.nodeName[sumNode] ?? `${this.originName(chain.origin)}[${i}]`;
      const cell = this.addCell(cellKind.carrySum, name, this.aig.origin[sumNode], true);
      this.netOf.set(2 * sumNode, this.outputNet[cell]);
      return cell;
    });
  }

  private chain(chain: CarryChain, sum: Int32Array): MappedChain {
    const { elements, start } = chain;
    const lut = new Int32Array(elements.length);
    const mux = new Int32Array(elements.length).fill(-1);
    let carryIn = -1;
    const name = this.originName(chain.origin);
    elements.forEach(({ p, b }, i) => {
      lut[i] = this.innerLut(p, `${name}:propagate[${i}]`, chain.origin);
      const open = i === 0 ? start * carryStart : 0;
      if (sum[i] >= 0) {
        this.inputs[sum[i]] = [this.outputNet[lut[i]], carryIn];
        this.modes[sum[i]] = open;
      }
      if (i + 1 === elements.length) return;
      const from = b === 0 ? -1 : this.netFor(b, `${name}:b[${i}]`, chain.origin);
      mux[i] = this.addCell(cellKind.carryMux, `${name}:carry[${i}]`, chain.origin, true);
      this.inputs[mux[i]] = [this.outputNet[lut[i]], carryIn, from];
      this.modes[mux[i]] = open;
      carryIn = this.outputNet[mux[i]];
    });
    return { lut, sum, mux };
  }

  private originName(origin: number): string {
    return origin >= 0 ? this.rtl.cells[origin].name : "carry";
  }

  /** A LUT whose output stays inside its element. */
  private innerLut(literal: number, name: string, origin: number): number {
    const node = literal >> 1;
    if (this.aig.isAnd(node)) return this.newLut(literal, name);
    const cell = this.addCell(cellKind.lut, name, origin, true);
    if (node > 0) {
      this.inputs[cell] = [this.netOf.get(2 * node)!];
      this.maskLow[cell] = this.maskHigh[cell] = literal & 1 ? 0x55555555 : 0xaaaaaaaa;
    } else this.maskLow[cell] = this.maskHigh[cell] = literal === 1 ? 0xffffffff : 0;
    return cell;
  }

  /** A LUT for the literal of an AND node of the cover; both polarities of a node may get one. */
  private lut(literal: number, name: string | undefined): number {
    const known = this.netOf.get(literal);
    if (known !== undefined) return known;
    const cell = this.newLut(literal, name);
    this.netOf.set(literal, this.outputNet[cell]);
    return this.outputNet[cell];
  }

  private newLut(literal: number, name: string | undefined): number {
    const node = literal >> 1;
    const { k, leaves } = this.cover;
    const nodes: number[] = [];
    for (let i = 0; i < k && leaves[node * k + i] >= 0; i++) nodes.push(leaves[node * k + i]);
    this.cone.compute(node, nodes);
    let low = this.cone.resultLow;
    let high = this.cone.resultHigh;
    if (literal & 1) [low, high] = [~low >>> 0, ~high >>> 0];
    const used = nodes.map((_, i) => i).filter((i) => dependsOn(low, high, i));
    const mask = permuteMask(
      low,
      high,
      nodes.map((_, i) => used.indexOf(i)),
    );
    const origin = this.aig.origin[node];
    const fallback = origin >= 0 ? this.rtl.cells[origin].name : "lut";
    const cell = this.addCell(cellKind.lut, name ?? fallback, origin, true);
    this.inputs[cell] = used.map((i) => this.netOf.get(2 * nodes[i])!);
    this.maskLow[cell] = mask.low;
    this.maskHigh[cell] = mask.high;
    return cell;
  }

  /** The net of a literal; makes a constant, an inverter or an inverted LUT where none carries it yet. */
  private netFor(literal: number, name: string, origin: number): number {
    const known = this.netOf.get(literal);
    if (known !== undefined) return known;
    const node = literal >> 1;
    if (node > 0 && this.aig.isAnd(node)) return this.lut(literal, literal & 1 ? name : (this.nodeName[node] ?? name));
    const cell = this.addCell(cellKind.lut, name, origin, true);
    if (node > 0) {
      this.inputs[cell] = [this.netOf.get(literal ^ 1)!];
      this.maskLow[cell] = 0x55555555;
      this.maskHigh[cell] = 0x55555555;
    } else if (literal === 1) {
      this.maskLow[cell] = 0xffffffff;
      this.maskHigh[cell] = 0xffffffff;
    }
    this.netOf.set(literal, this.outputNet[cell]);
    return this.outputNet[cell];
  }

  private fates(): NameFate[] {
    const fates: NameFate[] = [];
    const here = new Set(
      this.states.map(({ cell, bit, moved, code }) => (moved || code ? -1 : this.rtl.cells[cell].output[bit])),
    );
    const moved = new Set(
      this.graph.moved.flatMap(({ register, ins }) => [register, ...ins]).filter((net) => !here.has(net)),
    );
    const recoded = new Set(this.graph.recoded.flatMap(({ nets }) => nets.map(([net]) => net)));
    for (const signal of this.rtl.signals) {
      signal.bits.forEach((net, i) => {
        const name = bitName(signal, i);
        if (this.usedNames.has(name)) return;
        const literal = this.graph.literal[net];
        const carrier = literal > 1 ? this.netOf.get(literal) : undefined;
        if (moved.has(net)) fates.push({ name, became: "moved through logic" });
        else if (recoded.has(net)) fates.push({ name, became: "coded anew" });
        else if (literal === 0 || literal === 1) fates.push({ name, became: literal ? "constant 1" : "constant 0" });
        else if (carrier !== undefined) fates.push({ name, became: "another name of", net: this.netName[carrier] });
        else if (literal === foldedLiteral) fates.push({ name, became: "folded into logic" });
        else if (literal < 0) fates.push({ name, became: "unused" });
        else fates.push({ name, became: "folded into logic" });
      });
    }
    return fates;
  }
}

function mappedPort({ name, direction, isInout, pulls, msb, lsb }: RtlPort): Omit<MappedPort, "pads" | "bitNames"> {
  return { name, direction, ...(isInout ? { isInout } : {}), ...(pulls ? { pulls } : {}), msb, lsb };
}
