import { hasErrors } from "../../common/finding.ts";
import type { Loc } from "../../common/source.ts";
import { SourceSet } from "../../common/source.ts";
import type { AnyValue, DesignModel, Instance, Signal, Target } from "../../elaborate/model.ts";
import type { Report } from "../../elaborate/report.ts";
import { integerType, realType, stringType, vectorType } from "../../elaborate/types.ts";
import { Elaboration, type ForeignUnit, type Override } from "../../elaborate/verilog/elaboration.ts";
import type { ForeignUnits } from "../../elaborate/vhdl/bind-instance.ts";
import type { BoundInstance, EntityDecl, Expr } from "../../elaborate/vhdl/bound.ts";
import type { World } from "../../elaborate/vhdl/world.ts";
import type { ModuleNode } from "../../hdl/verilog/ast.ts";
import { parseVerilog, type VerilogSyntax } from "../../hdl/verilog/index.ts";
import type { DesignFiles } from "../design-files.ts";
import { fromFourState } from "./border.ts";
import { fourStateOf, read, widthOf } from "./circuit-expr.ts";
import type { BorderActual, VhdlInstance } from "./elaborator-base.ts";
import { putStretch, type Stretch } from "./elaborator-pieces.ts";
import type { Frame } from "./frames.ts";
import { type Shape, shapeText } from "./shapes.ts";
import { leavesOf, readTree, type Sig, type SigTree } from "./signals.ts";
import { type Bits, getL, sliceL } from "./values.ts";
import { VhdlRun, vhdlPrecision } from "./vhdl-run.ts";

/** An entity within Verilog: the module instance that stands for it, and what it was made with. */
interface EntityInstance {
  readonly instance: Instance;
  readonly entity: EntityDecl;
  readonly generics: ReadonlyMap<string, unknown>;
}

/** A port where a value crosses from one language into the other. */
interface Crossing {
  /** On Verilog's side. */
  readonly port: Signal;
  readonly into: "verilog" | "vhdl";
  /** On VHDL's side: signals, or the computed value that a module's input takes. */
  readonly tree: SigTree | null;
  readonly part: Stretch | null;
  readonly shape: Shape;
  readonly value: { readonly expr: Expr; readonly frame: Frame } | null;
  readonly owner: VhdlInstance;
  /** Driven from both sides: an inout port. */
  readonly shared: boolean;
  readonly loc: Loc;
}

/**
 * A design in both languages: one hierarchy, one model. Ports cross between nine-valued and four-valued logic: weak
 * levels become levels, U, W and - become x; from Verilog 0, 1, z and x come as '0', '1', 'Z' and 'X'.
 */
export class MixedDesign {
  readonly verilog: Elaboration;
  readonly run: VhdlRun;
  readonly crossings: Crossing[] = [];
  private readonly waiting: EntityInstance[] = [];
  /** Entities in Verilog, with the signals of the module instances that stand for them. */
  readonly outer = new Map<VhdlInstance, Instance>();

  constructor(
    syntax: VerilogSyntax,
    readonly world: World,
    readonly report: Report,
    files: DesignFiles,
  ) {
    this.verilog = new Elaboration(syntax, report);
    this.run = new VhdlRun(world, report, files);
    this.verilog.foreign = (name) => this.entityUnit(name);
    this.verilog.beforeBehaviour = () => this.settle();
    const { elaborator } = this.run;
    elaborator.foreignModule = (name) => findModule(this.verilog.modules, name);
    elaborator.foreign = (instance, module, parent) => this.moduleInstance(instance, module, parent);
  }

  /** A design whose top is a Verilog module. */
  fromModule(top: ModuleNode): DesignModel | null {
    return this.verilog.design(top);
  }

  /** A design whose top is an entity. */
  fromEntity(entity: EntityDecl): DesignModel | null {
    const made = this.run.designOf(entity);
    return made && this.verilog.finish(made.top);
  }

  private settle(): void {
    for (let i = 0; i < this.waiting.length; i++) this.buildEntity(this.waiting[i]);
    this.waiting.length = 0;
    this.run.finish();
  }

  // ---- entities in Verilog ----------------------------------------------------------------------------------------

  private entityUnit(name: string): ForeignUnit | null {
    const entity = this.world.entity(name);
    if (!entity) return null;
    entity.load?.();
    const names = new Map([...entity.generics, ...entity.ports].map((decl) => [decl.name.toLowerCase(), decl.name]));
    const defaults = this.run.elaborator.genericDefaults(entity);
    const params = entity.generics.map((generic) => [generic.name, literalOf(defaults.get(generic.name))] as const);
    const valuesOf = (overrides: ReadonlyMap<string, Override>): Map<string, unknown> => {
      const values = new Map<string, unknown>();
      for (const generic of entity.generics) {
        const given = overrides.get(generic.name);
        if (!given || !("value" in given)) continue;
        values.set(
          generic.name,
          this.run.elaborator.genericValue(
            generic,
            given.value,
            given.type.kind === "integral" ? given.type.width : 32,
          ),
        );
      }
      return values;
    };
    return {
      header: stub(name, params, [], entity.loc),
      spelled: (written) => names.get(written.toLowerCase()) ?? written,
      withPorts: (overrides, loc) => {
        const ports = this.run.elaborator.interfaceOf(entity, valuesOf(overrides));
        const texts: (readonly [string, string])[] = [];
        for (const { decl, shape } of ports) {
          const width = widthOf(shape);
          if (width === null || width === 0) {
            this.report.error(
              "design/border",
              loc,
              `Port '${decl.name}' of entity '${entity.shown}' is of type ${shapeText(shape)}, which Verilog has no ports for.`,
              "Use std_logic, its vectors, or whole numbers at ports that Verilog connects.",
            );
            return null;
          }
          const direction =
            decl.mode === "in" || decl.mode === null ? "input" : decl.mode === "inout" ? "inout" : "output";
          const isSigned =
            shape.k === "s"
              ? shape.type.kind === "int" && Number(shape.lo ?? -1) < 0
              : /(^|_)signed/.test(shape.type.name);
          const b = shape.k === "a" && shape.pack && shape.dims ? shape.dims[0] : null;
          const range = b ? `[${b.l}:${b.d ? b.l - b.n + 1 : b.l + b.n - 1}] ` : width === 1 ? "" : `[${width - 1}:0] `;
          texts.push([`${direction} wire ${isSigned ? "signed " : ""}${range}`, decl.name]);
        }
        return stub(name, params, texts, entity.loc);
      },
      made: (instance, overrides) => {
        this.waiting.push({ instance, entity, generics: valuesOf(overrides) });
      },
    };
  }

  private buildEntity({ instance, entity, generics }: EntityInstance): void {
    const architecture = entity.lastArchitecture;
    if (!architecture) {
      this.report.error(
        "vhdl/no-architecture",
        instance.loc,
        `Entity '${entity.shown}' has no architecture.`,
        `Write 'architecture rtl of ${entity.shown} is ...'.`,
      );
      return;
    }
    const made = this.run.elaborator.build(entity, architecture, [], generics, instance.path.split("."));
    this.run.adopt(made, instance);
    this.outer.set(made, instance);
    for (const named of made.signals) {
      const port = instance.ports.find((each) => each.plainName === named.decl.name);
      if (!port) continue;
      const base = {
        port,
        part: null,
        shape: named.shape,
        value: null,
        owner: made,
        tree: named.tree,
        loc: named.decl.loc,
        shared: named.decl.mode === "inout",
      };
      const { mode } = named.decl;
      if (mode !== "out" && mode !== "buffer") this.crossings.push({ ...base, into: "vhdl" });
      if (mode !== "in" && mode !== null) this.crossings.push({ ...base, into: "verilog" });
    }
  }

  // ---- modules in VHDL --------------------------------------------------------------------------------------------

  private moduleInstance(bound: BoundInstance, module: string, parent: VhdlInstance): void {
    const node = this.verilog.modules.get(module)!;
    const { elaborator } = this.run;
    const overrides = new Map<string, Override>();
    const declared = node.items.flatMap((item) => (item.kind === "param" && !item.local ? [item.name] : []));
    const { generics, ports } = elaborator.borderActuals(bound, parent);
    generics.forEach(({ name, expr, frame, loc }) => {
      const own = name.startsWith("#") ? declared[Number(name.slice(1))] : sameName(declared, name);
      if (!own) {
        this.report.error(
          "vhdl/unknown-generic",
          loc,
          `Module '${module}' has no parameter '${name}'.`,
          `Its parameters are ${declared.slice(0, 6).join(", ") || "none"}.`,
        );
        return;
      }
      if (expr) overrides.set(own, constantOf(elaborator.evaluate(expr, null, frame)));
    });
    const outer = this.run.instanceOf(parent);
    const inner = [...parent.path.slice(1), bound.shown].join(".");
    const label = inner.slice(outer.path.split(".").slice(1).join(".").length).replace(/^\./, "");
    const made = this.verilog.instantiate(node, label, null, overrides, bound.loc, `${inner}.`, () => {}, outer);
    if (!made) return;
    const given = new Set<Signal>();
    for (const actual of ports) this.connect(bound, made, actual, parent, given);
    for (const port of made.ports)
      if (!given.has(port) && port.direction === "input")
        this.report.warn(
          "vhdl/open-input",
          bound.loc,
          `Input '${port.plainName}' of module '${module}' is not connected.`,
          "Connect it.",
        );
  }

  private connect(
    bound: BoundInstance,
    made: Instance,
    actual: BorderActual,
    parent: VhdlInstance,
    given: Set<Signal>,
  ): void {
    const { elaborator } = this.run;
    const names = made.ports.map((port) => port.plainName);
    const name = actual.name.startsWith("#") ? names[Number(actual.name.slice(1))] : sameName(names, actual.name);
    const port = made.ports.find((each) => each.plainName === name);
    if (!port) {
      this.report.error(
        "vhdl/unknown-port",
        actual.loc,
        `Module '${made.module}' has no port '${actual.name}'.`,
        `Its ports are ${names.slice(0, 8).join(", ")}.`,
      );
      return;
    }
    given.add(port);
    if (!actual.expr) return;
    const found = elaborator.borderTarget(actual.expr, actual.frame);
    const shape = found?.shape ?? elaborator.evaluateShape(actual.expr, actual.frame);
    const width = widthOf(shape);
    const isNumber = shape.k === "s" && shape.type.kind === "int";
    if (width === null || (!isNumber && width !== port.width)) {
      this.report.error(
        "vhdl/port-width",
        actual.loc,
        width === null
          ? `A value of type ${shapeText(shape)} cannot be connected to the Verilog port '${port.plainName}'.`
          : `Port '${port.plainName}' of module '${made.module}' has ${port.width} bits, what is connected ${width} (${shapeText(shape)}).`,
        "Make them as long as each other.",
      );
      return;
    }
    const base = { port, shape, owner: parent, loc: actual.loc, shared: port.direction === "inout" };
    if (port.direction === "input")
      this.crossings.push({
        ...base,
        into: "verilog",
        tree: null,
        part: null,
        value: { expr: actual.expr, frame: actual.frame },
      });
    else if (found) {
      this.crossings.push({ ...base, into: "vhdl", tree: found.tree, part: found.part, value: null });
      if (port.direction === "inout")
        this.crossings.push({ ...base, into: "verilog", tree: found.tree, part: found.part, value: null });
    } else
      this.report.error(
        "vhdl/output-actual",
        actual.loc,
        `Port '${port.plainName}' drives what it is connected to: '${bound.shown}' connects no signal.`,
        "Connect a signal, or leave it open.",
      );
  }

  // ---- as a simulation ------------------------------------------------------------------------------------------

  /** Joins both sides once their code is made. @returns What gives Verilog's side its first values. */
  join(hidden: readonly Signal[], side: VerilogSide): void {
    const { elaborator, engine } = this.run;
    this.crossings.forEach((crossing, i) => {
      const signal = hidden[i];
      const { shape, tree, part } = crossing;
      if (crossing.into === "verilog") {
        const give = (v: unknown, own: Shape) => {
          const { a, b } = bitsAcross(v, own, crossing.port.width);
          side.store(signal.id, a, b);
        };
        if (crossing.value) elaborator.watch(crossing.value.expr, crossing.value.frame, give);
        else if (crossing.shared && tree && !Array.isArray(tree)) {
          tree.outside = (v) => give(part ? cutOf(v, part) : v, shape);
          this.starts.push(() => tree.outside!(engine.resolve(tree)));
        } else if (tree) {
          const push = () => give(readTree(tree), shape);
          for (const leaf of leavesOf(tree)) leaf.links.push(push);
          this.starts.push(push);
        }
        return;
      }
      const drive = crossing.shared || this.outer.has(crossing.owner) ? null : elaborator.borderDriver(tree!, part);
      const take = () => {
        const v = fromFourState(side.read(signal), shape);
        if (drive) drive(v);
        else put(tree!, v, (leaf, own) => engine.set(leaf, part ? putStretch(leaf.v as Bits, leaf.n, part, own) : own));
        engine.schedule();
      };
      side.observe(signal, take);
      this.starts.push(take);
    });
  }
  private readonly starts: (() => void)[] = [];
  start(): void {
    for (const run of this.starts) run();
    this.run.elaborator.start();
  }

  // ---- as a circuit -----------------------------------------------------------------------------------------------

  /** Adds the circuits of all entities, and wires across the border. */
  circuit(design: DesignModel): void {
    const writer = this.run.circuitWriter(design);
    writer.write(this.run.tops.map((top) => ({ top, outer: this.outer.get(top) ?? null })));
    for (const crossing of this.crossings) {
      const { port, loc } = crossing;
      if (this.outer.has(crossing.owner) && !crossing.value) continue; // its ports are the module instance's own signals
      if (crossing.into === "verilog") {
        const value = writer.value(crossing.value!.expr, crossing.value!.frame, crossing.owner, port.width);
        if (value)
          design.assigns.push({
            target: whole(port, loc),
            value,
            delay: null,
            strength: null,
            instance: design.top,
            loc,
          });
      } else
        writer.drive(crossing.tree!, crossing.part?.lo ?? null, crossing.shape, read(port, loc), crossing.owner, loc);
    }
    writer.finish();
  }
}

// ---- simulation ---------------------------------------------------------------------------------------------------

/** What Verilog's side of a simulation offers to the border. */
interface VerilogSide {
  store(id: number, a: bigint, b: bigint): void;
  read(signal: Signal): { a: bigint; b: bigint };
  observe(signal: Signal, run: () => void): void;
}

function put(tree: SigTree, v: unknown, set: (leaf: Sig, v: unknown) => void): void {
  if (Array.isArray(tree)) tree.forEach((each, i) => put(each, (v as unknown[])[i], set));
  else set(tree, v);
}
function cutOf(v: unknown, part: Stretch): unknown {
  return part.bit ? getL(v as Bits, part.lo) - (part.two ? 2 : 0) : sliceL(v as Bits, part.lo, part.n);
}
/** A value of VHDL as bits for a port; whole numbers take its width. */
function bitsAcross(v: unknown, shape: Shape, width: number): { a: bigint; b: bigint } {
  if (shape.k === "s" && shape.type.kind === "int") return { a: BigInt.asUintN(width, BigInt(v as number)), b: 0n };
  return fourStateOf(v, shape);
}

/** Hidden signals on Verilog's side of each crossing: a variable that drives, or a net that is watched. */
export function borderSignals(design: DesignModel, crossings: readonly Crossing[]): Signal[] {
  const hidden: Instance = {
    name: "$border",
    path: "$border",
    module: "$border",
    kind: "package",
    parent: null,
    children: [],
    parameters: [],
    ports: [],
    bindings: [],
    timeScale: { unit: vhdlPrecision, precision: vhdlPrecision },
    loc: design.top.loc,
    moduleLoc: design.top.loc,
  };
  return crossings.map(({ port, into, loc }, i) => {
    const isVariable = into === "verilog";
    const signal: Signal = {
      ...port,
      id: design.signals.length,
      name: `$border${i}`,
      plainName: `$border${i}`,
      instance: hidden,
      type: vectorType(port.width),
      signed: false,
      msb: port.width - 1,
      lsb: 0,
      kind: isVariable ? "variable" : "net",
      net: isVariable ? null : "wire",
      direction: null,
      init: isVariable ? { a: (1n << BigInt(port.width)) - 1n, b: (1n << BigInt(port.width)) - 1n } : null,
    };
    design.signals.push(signal);
    const [to, from] = isVariable ? [port, signal] : [signal, port];
    design.assigns.push({
      target: whole(to, loc),
      value: read(from, loc),
      delay: null,
      strength: null,
      instance: design.top,
      loc,
    });
    return signal;
  });
}

function whole(signal: Signal, loc: Loc): Target {
  return { parts: [{ signal, width: signal.width, index: [], offset: 0, loc }], width: signal.width, loc };
}

// ---- parameters and generics ------------------------------------------------------------------------------------

/** A generic's value as Verilog writes it. */
function literalOf(made: { v: unknown; shape: Shape } | undefined): string {
  if (!made) return "0";
  const { v, shape } = made;
  if (typeof v === "string") return JSON.stringify(v);
  if (shape.k === "s" && shape.type.kind === "real") return Number.isInteger(v) ? `${v}.0` : String(v);
  if (shape.k === "a") {
    const width = Math.max(1, widthOf(shape) ?? 1);
    const { a, b } = fourStateOf(v, shape);
    let text = "";
    for (let i = BigInt(width) - 1n; i >= 0n; i--)
      text += (b >> i) & 1n ? ((a >> i) & 1n ? "x" : "z") : (a >> i) & 1n ? "1" : "0";
    return `${width}'b${text}`;
  }
  return shape.k === "s" && shape.type.kind === "enum" && shape.type.packing === "logic"
    ? `1'b${v === 3 || v === 7 ? 1 : 0}`
    : String(v);
}
/** A value of VHDL as a Verilog constant. */
function constantOf({ v, shape }: { v: unknown; shape: Shape }): {
  value: AnyValue;
  type: typeof integerType | typeof realType | typeof stringType;
} {
  if (typeof v === "string") return { value: v, type: stringType };
  if (shape.k === "s" && shape.type.kind === "real") return { value: v as number, type: realType };
  if (shape.k === "s" && (shape.type.kind === "int" || shape.type.kind === "physical"))
    return { value: { a: BigInt.asUintN(32, BigInt(v as number)), b: 0n }, type: integerType };
  return { value: fourStateOf(v, shape), type: vectorType(Math.max(1, widthOf(shape) ?? 1)) };
}

/** VHDL has no cases: a name that is the same but for its case is meant, unless there are several. */
function sameName(names: readonly string[], name: string): string | undefined {
  if (names.includes(name)) return name;
  const like = names.filter((each) => each.toLowerCase() === name.toLowerCase());
  return like.length === 1 ? like[0] : undefined;
}
function findModule(modules: ReadonlyMap<string, ModuleNode>, name: string): string | null {
  return (
    sameName(
      [...modules.values()].filter((module) => module.kind !== "interface").map((module) => module.name),
      name,
    ) ?? null
  );
}

/** Verilog's modules as VHDL finds them. */
export function foreignUnits(syntax: VerilogSyntax): ForeignUnits {
  const modules = new Map(syntax.modules.map((module) => [module.name, module]));
  return { find: (name) => findModule(modules, name), names: [...modules.keys()] };
}

/** A module that stands for an entity, with all its places at the entity's own. */
function stub(
  name: string,
  params: readonly (readonly [name: string, value: string])[],
  ports: readonly (readonly [type: string, name: string])[],
  loc: Loc,
): ModuleNode {
  // an entity's names may be words of Verilog, or be what no name of Verilog can be: they are put in afterwards
  const names: string[] = [];
  const standIn = (of: string) => `\\${standInName}${names.push(of) - 1} `;
  const given = params.map(([of, value]) => `parameter ${standIn(of)} = ${value}`);
  const declared = ports.map(([type, of]) => `${type} ${standIn(of)}`);
  const text = `module \\stub ${given.length ? `#(${given.join(", ")})` : ""} (${declared.join(", ")}); endmodule`;
  const { modules, findings } = parseVerilog(new SourceSet([{ name: "entity.v", text }]));
  if (hasErrors(findings)) throw new Error(`The ports of '${name}' cannot be told to Verilog: ${findings[0].message}`);
  const placed = (node: unknown): unknown => {
    if (typeof node === "string" && node.startsWith(standInName)) return names[Number(node.slice(standInName.length))];
    if (Array.isArray(node)) return node.map(placed);
    if (typeof node !== "object" || node === null) return node;
    if ("file" in node && "start" in node && "end" in node && !("kind" in node)) return loc;
    return Object.fromEntries(Object.entries(node).map(([key, value]) => [key, placed(value)]));
  };
  return { ...(placed(modules[0]) as ModuleNode), name };
}
const standInName = "name-of-an-entity:";
