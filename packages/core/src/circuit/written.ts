import { blockOf } from "../device/blocks/registry.ts";
import { ownerOfName } from "../netlist/made-names.ts";
import {
  type Bits,
  bit0,
  bit1,
  bitName,
  bitX,
  type HierarchyNode,
  portReads,
  type RtlCell,
  type RtlNetlist,
} from "../netlist/rtl.ts";
import { liveNets } from "../synth/rtl-editor.ts";
import type { NodeKind, Schematic, SchematicEdge, SchematicNode, SchematicPin } from "./schematic.ts";

/** Which part of the design is looked at. */
export interface WrittenView {
  /** Instance path; "" for the top. */
  readonly root: string;
  /** Instances below it that are drawn open. */
  readonly expanded: readonly string[];
}

const operators: Readonly<Record<string, string>> = {
  not: "1",
  and: "&",
  or: "≥1",
  xor: "=1",
  redand: "& all",
  redor: "≥1 all",
  redxor: "=1 all",
  add: "+",
  sub: "−",
  mul: "×",
  div: "÷",
  mod: "mod",
  eq: "=",
  lt: "<",
  shl: "«",
  shr: "»",
  sshr: "»±",
};
const inputNames: Readonly<Record<string, readonly string[]>> = {
  mux: ["sel", "1", "0"],
  ff: ["d", "clk", "en", "r"],
  latch: ["d", "en"],
  shl: ["a", "by"],
  shr: ["a", "by"],
  sshr: ["a", "by"],
};

interface Instance {
  readonly path: string;
  readonly module: string;
  readonly node: HierarchyNode;
}
/** Where a net comes from in the view. */
interface Source {
  readonly node: string;
  readonly pin: string;
  /** Place within the pin's word. */
  readonly at: number;
}

/** The elaborated netlist by instances; makes the picture of any of them. */
export class WrittenCircuit {
  private readonly instances = new Map<string, Instance>();
  private readonly children = new Map<string, string[]>();
  /** [cells] Path of the instance that a cell is written in. */
  private readonly ownerOf: string[];
  private readonly cellsOf = new Map<string, number[]>();
  private readonly driver: Int32Array;
  private readonly names: (string | undefined)[];
  /** [nets] 1 where an output of the design depends on a net. */
  private readonly live: Uint8Array;

  constructor(
    private readonly netlist: RtlNetlist,
    hierarchy: HierarchyNode,
  ) {
    const walk = (node: HierarchyNode, path: string, parent: string | null) => {
      this.instances.set(path, { path, module: node.module, node });
      if (parent !== null) this.children.set(parent, [...(this.children.get(parent) ?? []), path]);
      for (const child of node.children) walk(child, path ? `${path}.${child.instance}` : child.instance, path);
    };
    walk(hierarchy, "", null);
    this.live = liveNets(netlist);
    this.driver = new Int32Array(netlist.netCount).fill(-1);
    this.ownerOf = netlist.cells.map((cell, c) => {
      for (const net of cell.output) this.driver[net] = c;
      const path = this.instanceOf(cell.name);
      const list = this.cellsOf.get(path);
      if (list) list.push(c);
      else this.cellsOf.set(path, [c]);
      return path;
    });
    this.names = new Array(netlist.netCount);
    for (const signal of netlist.signals) {
      const depth = signal.name.split(".").length;
      signal.bits.forEach((net, i) => {
        const known = this.names[net];
        // names of outer scopes say most
        if (net > bitX && (known === undefined || known.split(".").length > depth))
          this.names[net] = bitName(signal, i);
      });
    }
  }

  /** Path of the innermost instance in whose scope a name lies. */
  instanceOf(name: string): string {
    for (let dot = name.lastIndexOf("."); dot > 0; dot = name.lastIndexOf(".", dot - 1))
      if (this.instances.has(name.slice(0, dot))) return name.slice(0, dot);
    return "";
  }

  has(path: string): boolean {
    return this.instances.has(path);
  }
  nameOf(net: number): string {
    return this.names[net] ?? "";
  }
  /** Instances with the number of cells that each holds with all below it. */
  list(): { path: string; module: string; cells: number }[] {
    return [...this.instances.values()].map(({ path, module }) => ({
      path,
      module,
      cells: [...this.cellsOf].reduce(
        (sum, [owner, list]) => sum + (path === "" || owner === path || owner.startsWith(`${path}.`) ? list.length : 0),
        0,
      ),
    }));
  }
  /** Node id of the cell that drives a net, as it is named in views; null for ports and constants. */
  nodeOfNet(net: number): { id: string; path: string } | null {
    const c = this.driver[net];
    return c < 0 ? null : { id: this.cellId(c), path: this.ownerOf[c] };
  }

  private cellId(c: number): string {
    return `cell ${this.netlist.cells[c].name}`;
  }

  /** @throws RangeError if there is no such instance. */
  view({ root, expanded }: WrittenView): Schematic {
    const top = this.instances.get(root);
    if (!top) throw new RangeError(`There is no instance ${root}.`);
    const open = new Set([root, ...expanded.filter((path) => this.instances.has(path))]);
    return new ViewWriter(this, this.netlist, top, open).write();
  }

  /** For `ViewWriter`. */
  get parts() {
    const { instances, children, cellsOf, ownerOf, driver, live } = this;
    return { instances, children, cellsOf, ownerOf, driver, live, cellId: (c: number) => this.cellId(c) };
  }
}

class ViewWriter {
  private readonly nodes: SchematicNode[] = [];
  private readonly edges: SchematicEdge[] = [];
  private readonly sources = new Map<number, Source>();
  private readonly read = new Set<number>();
  private readonly sinks: { node: string; pin: string; bits: Bits }[] = [];
  private readonly outside = new Map<number, string>();

  constructor(
    private readonly circuit: WrittenCircuit,
    private readonly netlist: RtlNetlist,
    private readonly root: { readonly path: string; readonly module: string; readonly node: HierarchyNode },
    private readonly open: ReadonlySet<string>,
  ) {}

  write(): Schematic {
    const { parts } = this.circuit;
    // operators that nothing live reads are left over from folding constants; registers stay, and stand out
    const isShown = (c: number) => {
      const cell = this.netlist.cells[c];
      const keeps = cell.kind === "ff" || cell.kind === "latch" || cell.kind === "mem";
      return keeps || cell.output.some((net) => parts.live[net] === 1);
    };
    for (const cell of this.netlist.cells.filter((_, c) => isShown(c)))
      for (const input of cell.inputs) for (const net of input) this.read.add(net);
    for (const port of this.netlist.ports)
      for (const bits of portReads(port)) for (const net of bits) this.read.add(net);
    this.ports();
    const visit = (path: string, parent: string | null) => {
      for (const c of parts.cellsOf.get(path) ?? []) if (isShown(c)) this.cell(c, parent);
      for (const child of parts.children.get(path) ?? []) {
        const isOpen = this.open.has(child);
        this.instance(child, parent, isOpen);
        if (isOpen) visit(child, `instance ${child}`);
      }
    };
    visit(this.root.path, null);
    this.connect();
    const title = this.root.path || this.netlist.top;
    return { title, nodes: this.nodes, edges: this.edges, total: this.nodes.length };
  }

  private pin(id: string, label: string, bits: Bits, isInput: boolean): SchematicPin {
    const isConstant = bits.length > 0 && bits.every((net) => net <= bit1);
    const isOpen = isInput
      ? bits.some((net) => net === bitX)
      : bits.length > 0 && bits.every((net) => !this.read.has(net));
    return {
      id,
      label,
      width: bits.length,
      constant: isInput && isConstant ? constantText(bits) : null,
      isOpen,
      net: bits.find((net) => net > bitX) ?? -1,
    };
  }

  private add(
    id: string,
    kind: NodeKind,
    fields: {
      readonly symbol: string;
      readonly label: string;
      readonly parent: string | null;
      readonly inputs: readonly (readonly [string, string, Bits])[];
      readonly outputs: readonly (readonly [string, string, Bits])[];
      readonly origin?: number;
      readonly path?: string;
      readonly isExpanded?: boolean;
      readonly detail?: readonly string[];
    },
  ): void {
    const { symbol, label, parent, origin = -1, path = null, isExpanded = false, detail = [] } = fields;
    const inputs = fields.inputs.map(([pin, name, bits]) => this.pin(pin, name, bits, true));
    const outputs = fields.outputs.map(([pin, name, bits]) => this.pin(pin, name, bits, false));
    this.nodes.push({ id, kind, symbol, label, parent, inputs, outputs, origin, path, isExpanded, hidden: 0, detail });
    for (const [pin, , bits] of fields.inputs) this.sinks.push({ node: id, pin, bits });
    for (const [pin, , bits] of fields.outputs)
      bits.forEach((net, at) => {
        if (net > bitX && !this.sources.has(net)) this.sources.set(net, { node: id, pin, at });
      });
  }

  /** Ports of the instance that is looked at: of the design itself, or as its signals say. */
  private ports(): void {
    const ports =
      this.root.path === ""
        ? this.netlist.ports.map(({ name, direction, bits, enable, isInout }) => ({
            name,
            direction,
            bits,
            enable,
            isInout,
          }))
        : (this.root.node.ports ?? []).map((port) => ({ ...port, enable: undefined, isInout: false }));
    for (const { name, direction, bits, enable, isInout } of ports) {
      const common = { symbol: "", label: name, parent: null, origin: -1 };
      if (direction === "output")
        this.add(`port ${name}${isInout ? " driven" : ""}`, "output port", {
          ...common,
          inputs: [["in", name, bits], ...(enable ? [["enable", "drives", enable] as const] : [])],
          outputs: [],
        });
      else this.add(`port ${name}`, "input port", { ...common, inputs: [], outputs: [["out", name, bits]] });
    }
  }

  private instance(path: string, parent: string | null, isOpen: boolean): void {
    const { instances } = this.circuit.parts;
    const { module, node } = instances.get(path)!;
    const ports = node.ports ?? [];
    const own = (direction: string) =>
      ports.filter((port) => port.direction === direction).map((port) => [port.name, port.name, port.bits] as const);
    this.add(`instance ${path}`, "instance", {
      symbol: module,
      label: path.slice(path.lastIndexOf(".") + 1),
      parent,
      // an open instance is a frame: its cells have the pins
      inputs: isOpen ? [] : own("input"),
      outputs: isOpen ? [] : own("output"),
      path,
      isExpanded: isOpen,
    });
  }

  private cell(c: number, parent: string | null): void {
    const cell = this.netlist.cells[c];
    const id = this.circuit.parts.cellId(c);
    const plain = cell.name.slice(this.circuit.instanceOf(cell.name).length).replace(/^\./, "");
    const common = { parent, origin: c };
    const inputs = pinsOf(cell);
    switch (cell.kind) {
      case "ff": {
        const modes = cell.modes!;
        const label = ownerOfName(plain, "ff");
        this.add(id, "register", {
          ...common,
          symbol: modes.clockRising ? "rising" : "falling",
          label,
          inputs,
          outputs: [["q", "q", cell.output]],
          detail: registerWords(cell),
        });
        return;
      }
      case "latch":
        this.add(id, "latch", {
          ...common,
          symbol: "latch",
          label: ownerOfName(plain, "latch"),
          inputs,
          outputs: [["q", "q", cell.output]],
        });
        return;
      case "mux":
        this.add(id, "mux", { ...common, symbol: "mux", label: plain, inputs, outputs: [["y", "y", cell.output]] });
        return;
      case "mem": {
        const { width, depth, reads, writes, init } = cell.memory!;
        this.add(id, "memory", {
          ...common,
          symbol: `${depth} × ${width}`,
          label: ownerOfName(plain, "mem"),
          inputs,
          outputs: Array.from({ length: reads }, (_, r) => [
            `q${r}`,
            reads > 1 ? `read ${r + 1}` : "read",
            cell.output.slice(r * width, (r + 1) * width),
          ]),
          detail: [
            `${depth} words of ${width} bits`,
            `${writes.length} write, ${reads} read`,
            init ? "has start values" : "",
          ].filter((line) => line !== ""),
        });
        return;
      }
      case "block": {
        const { modes, outputPins } = cell.block!;
        const { module, symbol, words } = blockOf(modes);
        if (!module) return;
        const { pins } = module;
        this.add(id, "part block", {
          ...common,
          symbol: symbol.text,
          label: ownerOfName(plain, "block"),
          inputs: cell.inputs.map((bits, i) => {
            const clock = pins.clocks > 1 ? `clk ${i - pins.inputs.length}` : "clk";
            return [`i${i}`, pins.inputs[i]?.toLowerCase() ?? clock, bits];
          }),
          outputs: outputPins.map((pin, i) => [`o${pin}`, pins.outputs[pin].toLowerCase(), [cell.output[i]]]),
          detail: [...words(modes)],
        });
        return;
      }
      default:
        this.add(id, cell.kind === "mul" ? "multiplier" : "operator", {
          ...common,
          symbol: (operators[cell.kind] ?? cell.kind) + (cell.signed && cell.kind === "lt" ? "±" : ""),
          label: plain,
          inputs,
          outputs: [["y", "y", cell.output]],
        });
    }
  }

  /** An edge for each stretch of a pin's bits that one pin drives. */
  private connect(): void {
    for (const { node, pin, bits } of [...this.sinks]) {
      for (let from = 0; from < bits.length; ) {
        const net = bits[from];
        if (net <= bitX) {
          from++;
          continue;
        }
        const source = this.sources.get(net) ?? this.outsideSource(net);
        let to = from + 1;
        while (to < bits.length) {
          const next = this.sources.get(bits[to]);
          if (!next || next.node !== source.node || next.pin !== source.pin) break;
          to++;
        }
        this.edges.push({
          id: `${source.node} ${source.pin}>${node} ${pin}@${from}`,
          from: { node: source.node, pin: source.pin },
          to: { node, pin },
          width: to - from,
          name: rangeName(this.circuit.nameOf(net), this.circuit.nameOf(bits[to - 1]), to - from),
          net,
        });
        from = to;
      }
    }
  }

  /** What comes from outside of the view by a name instead of a port. */
  private outsideSource(net: number): Source {
    const known = this.outside.get(net);
    if (known) return { node: known, pin: "out", at: 0 };
    const name = this.circuit.nameOf(net) || `net ${net}`;
    const id = `outside ${name}`;
    this.outside.set(net, id);
    const bits = [net];
    const pin = { id: "out", label: name, width: 1, constant: null, isOpen: false, net };
    if (!this.nodes.some((node) => node.id === id))
      this.nodes.push({
        id,
        kind: "outside",
        symbol: "",
        label: name,
        parent: null,
        inputs: [],
        outputs: [pin],
        origin: -1,
        path: null,
        isExpanded: false,
        hidden: 0,
        detail: [],
      });
    this.sources.set(net, { node: id, pin: "out", at: 0 });
    return { node: id, pin: "out", at: bits.length - 1 };
  }
}

function pinsOf(cell: RtlCell): (readonly [string, string, Bits])[] {
  if (cell.kind === "mem") {
    const { reads, writes } = cell.memory!;
    const pins: (readonly [string, string, Bits])[] = [];
    for (let r = 0; r < reads; r++) pins.push([`a${r}`, reads > 1 ? `read at ${r + 1}` : "read at", cell.inputs[r]]);
    writes.forEach((_, w) => {
      const many = writes.length > 1 ? ` ${w + 1}` : "";
      const [address, data, enable, clock] = cell.inputs.slice(reads + 4 * w, reads + 4 * w + 4);
      // enables mostly are one net for all bits
      const one = enable.every((net) => net === enable[0]) ? enable.slice(0, 1) : enable;
      pins.push(
        [`wa${w}`, `write at${many}`, address],
        [`wd${w}`, `word${many}`, data],
        [`we${w}`, `write${many}`, one],
        [`wc${w}`, `clk${many}`, clock],
      );
    });
    return pins;
  }
  return cell.inputs.flatMap((bits, i) => {
    if (bits.length === 0) return [];
    const name = inputNames[cell.kind]?.[i] ?? (cell.inputs.length > 1 ? "ab"[i] : "");
    return [[`i${i}`, name, bits] as const];
  });
}

function registerWords(cell: RtlCell): string[] {
  const modes = cell.modes!;
  const words = [
    `${cell.output.length} bit${cell.output.length > 1 ? "s" : ""}, at the ${modes.clockRising ? "rising" : "falling"} edge`,
  ];
  if (cell.inputs[3].length)
    words.push(
      `${modes.asyncReset ? "asynchronous" : "synchronous"} reset to ${cell.output.length}'b${modes.resetValue}`,
    );
  if (/[01]/.test(modes.init)) words.push(`starts with ${cell.output.length}'b${modes.init}`);
  return words;
}

/** As in 8'h3f or 1'b1, most significant bit first. */
function constantText(bits: Bits): string {
  const text = [...bits]
    .reverse()
    .map((net) => (net === bit1 ? "1" : net === bit0 ? "0" : "x"))
    .join("");
  return bits.length < 5 ? `${bits.length}'b${text}` : `${bits.length}'h${BigInt(`0b${text}`).toString(16)}`;
}

/** `count[7:2]` from the names of the lowest and highest bit of a stretch. */
function rangeName(low: string, high: string, width: number): string {
  if (width === 1 || low === "") return low;
  const [a, b] = [low, high].map((name) => /^(.*)\[(-?\d+)\]$/.exec(name));
  const isStretch = a && b && a[1] === b[1] && Math.abs(Number(a[2]) - Number(b[2])) + 1 === width;
  return isStretch ? `${a[1]}[${b[2]}:${a[2]}]` : low;
}
