import { blockClockCount, blockOf } from "../../device/blocks/registry.ts";
import { ownerOfName } from "../../netlist/made-names.ts";
import {
  bitName,
  firstNet,
  type HierarchyNode,
  type RtlCell,
  type RtlNetlist,
  type RtlVector,
} from "../../netlist/rtl.ts";
import { NameTable } from "./names.ts";

/** What queries find. The number of an object holds its kind and its place in the table of that kind. */
const objectKinds = ["port", "cell", "pin", "net", "clock"] as const;
export type ObjectKind = (typeof objectKinds)[number];
const kindShift = 27;
export const refOf = (kind: ObjectKind, id: number): number => (objectKinds.indexOf(kind) << kindShift) | id;
export const kindOf = (ref: number): ObjectKind => objectKinds[ref >>> kindShift];
export const idOf = (ref: number): number => ref & ((1 << kindShift) - 1);

export type PinWay = "in" | "out" | "inout";
export type CellKind = "register" | "latch" | "memory" | "block" | "instance";

interface PortObject {
  readonly name: string;
  readonly direction: PinWay;
  /** Net that is read from it, and net that drives it; -1 where there is none. */
  readonly reads: number;
  readonly drives: number;
}
interface CellObject {
  readonly name: string;
  readonly kind: CellKind;
  /** Module of an instance, type of a block. */
  readonly module: string;
  /** Cell of the circuit as written, and the bit of a register or latch; -1 for instances. */
  readonly rtl: number;
  readonly bit: number;
  /** Its pins in the table. */
  readonly firstPin: number;
  readonly pinCount: number;
}

/** Names of a register's pins, as in the structural netlist. */
const registerPins = { d: "d", clock: "clk", enable: "en", reset: "reset", q: "q" } as const;

/**
 * Everything of a circuit as written that a rule can name: port bits, register and latch bits, memories, blocks and
 * instances as cells, their pins, and nets under all of their names. No build is needed for it.
 */
export class CircuitObjects {
  readonly ports: readonly PortObject[];
  readonly cells: readonly CellObject[];
  /** [pins] */
  readonly pinCell: Int32Array;
  readonly pinName: readonly string[];
  readonly pinNet: Int32Array;
  readonly pinIsOut: Uint8Array;
  /** [pins] 1: a clock comes in here. */
  readonly pinIsClock: Uint8Array;
  /** [net names] Net of each. A net has a name in every scope that it passes. */
  readonly netOfName: Int32Array;

  readonly portNames: NameTable;
  readonly cellNames: NameTable;
  readonly netNames: NameTable;

  constructor(
    readonly netlist: RtlNetlist,
    hierarchy: HierarchyNode | null,
  ) {
    this.ports = portsOf(netlist);
    this.portNames = new NameTable(this.ports.map(({ name }) => name));
    const nets: string[] = [];
    const netIds: number[] = [];
    for (const signal of netlist.signals)
      signal.bits.forEach((net, i) => {
        if (net < firstNet) return;
        nets.push(bitName(signal, i));
        netIds.push(net);
      });
    this.netNames = new NameTable(nets);
    this.netOfName = Int32Array.from(netIds);
    const table = new CellTable(netlist);
    if (hierarchy) table.instances(hierarchy);
    this.cells = table.cells;
    this.cellNames = new NameTable(this.cells.map(({ name }) => name));
    this.pinCell = Int32Array.from(table.pinCell);
    this.pinName = table.pinName;
    this.pinNet = Int32Array.from(table.pinNet);
    this.pinIsOut = Uint8Array.from(table.pinIsOut);
    this.pinIsClock = Uint8Array.from(table.pinIsClock);
  }

  get top(): string {
    return this.netlist.top;
  }
  /** `u_edge.count[3]/q`. */
  pinFullName(pin: number): string {
    return `${this.cells[this.pinCell[pin]].name}/${this.pinName[pin]}`;
  }

  private netPins: Map<number, number[]> | null = null;
  /** Pins of cells that hold state, of blocks and of instances on a net. */
  pinsOfNet(net: number): readonly number[] {
    if (!this.netPins) {
      this.netPins = new Map();
      for (let pin = 0; pin < this.pinNet.length; pin++) {
        const list = this.netPins.get(this.pinNet[pin]);
        if (list) list.push(pin);
        else this.netPins.set(this.pinNet[pin], [pin]);
      }
    }
    return this.netPins.get(net) ?? [];
  }
  private idsOfNet: Map<number, number[]> | null = null;
  private nameIds(net: number): readonly number[] {
    if (!this.idsOfNet) {
      this.idsOfNet = new Map();
      for (let id = 0; id < this.netOfName.length; id++) {
        const list = this.idsOfNet.get(this.netOfName[id]);
        if (list) list.push(id);
        else this.idsOfNet.set(this.netOfName[id], [id]);
      }
    }
    return this.idsOfNet.get(net) ?? [];
  }
  /** The first of a net's names, as an id of the table of names; -1 for one that has none. */
  nameOfNet(net: number): number {
    return this.nameIds(net)[0] ?? -1;
  }
  namesOfNet(net: number): string[] {
    return this.nameIds(net).map((id) => this.netNames.names[id]);
  }
}

function portsOf(netlist: RtlNetlist): PortObject[] {
  const byName = new Map<string, { name: string; direction: PinWay; reads: number; drives: number }>();
  for (const port of netlist.ports)
    port.bits.forEach((net, i) => {
      const name = bitName(port, i);
      const own = byName.get(name) ?? {
        name,
        direction: port.direction === "input" ? "in" : "out",
        reads: -1,
        drives: -1,
      };
      if (port.isInout) own.direction = "inout";
      if (port.direction === "input") own.reads = net;
      else own.drives = net;
      byName.set(name, own);
    });
  return [...byName.values()];
}

/** Cells that hold state, as they are named when built, and instances. */
class CellTable {
  readonly cells: CellObject[] = [];
  readonly pinCell: number[] = [];
  readonly pinName: string[] = [];
  readonly pinNet: number[] = [];
  readonly pinIsOut: number[] = [];
  readonly pinIsClock: number[] = [];
  private readonly names = new Set<string>();

  private readonly signals: ReadonlyMap<string, RtlVector>;

  constructor(netlist: RtlNetlist) {
    const byName = new Map(netlist.signals.map((signal) => [signal.name, signal]));
    this.signals = byName;
    const nameOfNet = new Map<number, string>();
    for (const signal of netlist.signals)
      signal.bits.forEach((net, i) => {
        if (!nameOfNet.has(net)) nameOfNet.set(net, bitName(signal, i));
      });
    netlist.cells.forEach((cell, c) => {
      const owner = ownerOfName(cell.name, cell.kind);
      if (cell.kind === "ff" || cell.kind === "latch") {
        const vector = byName.get(owner);
        const places = new Map(vector?.bits.map((net, i) => [net, i]));
        cell.output.forEach((net, bit) => {
          const at = places.get(net);
          const name =
            vector && at !== undefined ? bitName(vector, at) : (nameOfNet.get(net) ?? `${cell.name}[${bit}]`);
          this.register(cell, c, bit, name);
        });
      } else if (cell.kind === "mem") this.memory(cell, c, owner);
      else if (cell.kind === "block") this.block(cell, c, owner);
    });
  }

  private add(name: string, kind: CellKind, module: string, rtl: number, bit: number, pins: readonly PinEntry[]): void {
    if (this.names.has(name) && kind === "instance") return;
    this.names.add(name);
    const firstPin = this.pinCell.length;
    for (const pin of pins) {
      this.pinCell.push(this.cells.length);
      this.pinName.push(pin.name);
      this.pinNet.push(pin.net);
      this.pinIsOut.push(pin.isOut ? 1 : 0);
      this.pinIsClock.push(pin.isClock ? 1 : 0);
    }
    this.cells.push({ name, kind, module, rtl, bit, firstPin, pinCount: pins.length });
  }

  private register(cell: RtlCell, c: number, bit: number, name: string): void {
    const { inputs, output } = cell;
    if (cell.kind === "latch") {
      this.add(name, "latch", "latch", c, bit, [
        { name: registerPins.d, net: inputs[0][bit] },
        { name: registerPins.enable, net: inputs[1][0], isClock: true },
        { name: registerPins.q, net: output[bit], isOut: true },
      ]);
      return;
    }
    const optional = (own: string, bits: readonly number[]) => (bits.length ? [{ name: own, net: bits[0] }] : []);
    this.add(name, "register", "register", c, bit, [
      { name: registerPins.d, net: inputs[0][bit] },
      { name: registerPins.clock, net: inputs[1][0], isClock: true },
      ...optional(registerPins.enable, inputs[2]),
      ...optional(registerPins.reset, inputs[3]),
      { name: registerPins.q, net: output[bit], isOut: true },
    ]);
  }

  private memory(cell: RtlCell, c: number, name: string): void {
    const { reads, writes } = cell.memory!;
    const pins: PinEntry[] = writes.flatMap((_, w) => {
      const [address, data, enable, clock] = cell.inputs.slice(reads + 4 * w, reads + 4 * w + 4);
      const port = writes.length > 1 ? `${w}` : "";
      return [
        ...vectorPins(`write_address${port}`, address),
        ...vectorPins(`write_data${port}`, data),
        ...vectorPins(`write_enable${port}`, enable),
        { name: `clk${port}`, net: clock[0], isClock: true },
      ];
    });
    for (let r = 0; r < reads; r++) pins.push(...vectorPins(`read_address${reads > 1 ? r : ""}`, cell.inputs[r]));
    for (let r = 0; r < reads; r++) {
      const { width } = cell.memory!;
      const bits = cell.output.slice(r * width, (r + 1) * width);
      pins.push(...vectorPins(`read_data${reads > 1 ? r : ""}`, bits).map((pin) => ({ ...pin, isOut: true })));
    }
    this.add(name, "memory", "memory", c, -1, pins);
  }

  private block(cell: RtlCell, c: number, name: string): void {
    const description = blockOf(cell.block!.modes);
    const { module } = description;
    const clocks = blockClockCount(cell.block!.modes);
    const firstClock = cell.inputs.length - clocks;
    // the module's ports are told apart by what leads to them: the block's pins come in the order of its description
    const names = module?.inputs ?? [];
    const pins: PinEntry[] = [];
    cell.inputs.forEach((bits, i) => {
      if (bits.length === 0) return;
      const isClock = i >= firstClock;
      const own = isClock ? names[names.length - clocks + i - firstClock] : undefined;
      const pinNames = module?.pins.inputs ?? [];
      pins.push({ name: own ?? blockPinName(names, pinNames, i), net: bits[0], isClock });
    });
    cell.output.forEach((net, i) => {
      const at = cell.block!.outputPins[i];
      const own = module && module.outputs.length === module.pins.outputs.length ? module.outputs[at] : undefined;
      pins.push({ name: own ?? module?.pins.outputs[at].toLowerCase() ?? `out${at}`, net, isOut: true });
    });
    this.add(name, "block", description.type, c, -1, pins);
  }

  /** Modules within modules, with their ports as pins. */
  instances(root: HierarchyNode): void {
    const stack = root.children.map((node) => ({ node, path: node.instance }));
    while (stack.length) {
      const { node, path } = stack.pop()!;
      const pins = (node.ports ?? []).flatMap(({ name, direction, bits }) => {
        const vector = this.signals.get(`${path}.${name}`);
        return bits.map((net, i) => ({
          name: vector && bits.length === vector.bits.length ? bitName({ ...vector, name }, i) : `${name}[${i}]`,
          net,
          isOut: direction === "output",
        }));
      });
      this.add(path, "instance", node.module, -1, -1, pins);
      for (const child of [...node.children].reverse()) stack.push({ node: child, path: `${path}.${child.instance}` });
    }
  }
}

interface PinEntry {
  readonly name: string;
  readonly net: number;
  readonly isOut?: boolean;
  readonly isClock?: boolean;
}

function vectorPins(name: string, bits: readonly number[]): PinEntry[] {
  return bits.length === 1 ? [{ name, net: bits[0] }] : bits.map((net, i) => ({ name: `${name}[${i}]`, net }));
}

/** `T3` of ports `tx_word`, `slip`: the vector's port with the number, where the pins are those of one vector. */
function blockPinName(ports: readonly string[], pins: readonly string[], at: number): string {
  if (ports.length >= pins.length && ports[at] !== undefined) return ports[at];
  return (pins[at] ?? `in${at}`).toLowerCase();
}
