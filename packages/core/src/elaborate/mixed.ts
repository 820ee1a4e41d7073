import type { DesignFiles } from "../common/design-files.ts";
import { hasErrors } from "../common/finding.ts";
import type { Loc } from "../common/source.ts";
import { SourceSet } from "../common/source.ts";
import type { ModuleNode } from "../hdl/verilog/ast.ts";
import { parseVerilog, type VerilogSyntax } from "../hdl/verilog/index.ts";
import type { AnyValue, DesignModel, Instance, Signal } from "./model.ts";
import { wholeTarget } from "./model.ts";
import type { Report } from "./report.ts";
import { integerType, realType, stringType, vectorType } from "./types.ts";
import { Elaboration, type ForeignUnit, type Override } from "./verilog/elaboration.ts";
import type { ForeignUnits } from "./vhdl/bind/bind-instance.ts";
import type { BoundInstance, EntityDecl, Expr } from "./vhdl/bound.ts";
import { fourStateOf, read, widthOf } from "./vhdl/circuit/circuit-expr.ts";
import { type SignalKeeper, StillSignals } from "./vhdl/code/signal-keeper.ts";
import { type Stretch } from "./vhdl/instances/elaborator-pieces.ts";
import type { BorderActual, VhdlInstance } from "./vhdl/instances/instance.ts";
import type { Frame } from "./vhdl/values/frames.ts";
import { type Shape, shapeText } from "./vhdl/values/shapes.ts";
import { type SigTree } from "./vhdl/values/signals.ts";
import { VhdlDesign } from "./vhdl/vhdl-design.ts";
import type { World } from "./vhdl/world.ts";

/** An entity within Verilog: the module instance that stands for it, and what it was made with. */
interface EntityInstance {
  readonly instance: Instance;
  readonly entity: EntityDecl;
  readonly generics: ReadonlyMap<string, unknown>;
}

/** A port where a value crosses from one language into the other. */
export interface Crossing {
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
  readonly vhdl: VhdlDesign;
  readonly crossings: Crossing[] = [];
  private readonly waiting: EntityInstance[] = [];
  /** Entities in Verilog, with the signals of the module instances that stand for them. */
  readonly outer = new Map<VhdlInstance, Instance>();

  constructor(
    syntax: VerilogSyntax,
    readonly world: World,
    readonly report: Report,
    files: DesignFiles,
    /** What keeps VHDL's signals, if the design is to run. */
    keeper: SignalKeeper = new StillSignals(() => report.work.isOver),
  ) {
    this.verilog = new Elaboration(syntax, report);
    this.vhdl = new VhdlDesign(world, report, files, keeper);
    this.verilog.foreign = (name) => this.entityUnit(name);
    this.verilog.beforeBehaviour = () => this.settle();
    const { elaborator } = this.vhdl;
    elaborator.instances.foreignModule = (name) => findModule(this.verilog.modules, name);
    elaborator.foreign = (instance, module, parent) => this.moduleInstance(instance, module, parent);
  }

  /** A design whose top is a Verilog module. */
  fromModule(top: ModuleNode): DesignModel | null {
    return this.verilog.design(top);
  }

  /** A design whose top is an entity. */
  fromEntity(entity: EntityDecl): DesignModel | null {
    const made = this.vhdl.designOf(entity);
    return made && this.verilog.finish(made.top);
  }

  private settle(): void {
    for (let i = 0; i < this.waiting.length; i++) this.buildEntity(this.waiting[i]);
    this.waiting.length = 0;
    this.vhdl.finish();
  }

  // ---- entities in Verilog ----------------------------------------------------------------------------------------

  private entityUnit(name: string): ForeignUnit | null {
    const entity = this.world.entity(name);
    if (!entity) return null;
    entity.load?.();
    const names = new Map([...entity.generics, ...entity.ports].map((decl) => [decl.name.toLowerCase(), decl.name]));
    const defaults = this.vhdl.elaborator.border.genericDefaults(entity);
    const params = entity.generics.map((generic) => [generic.name, literalOf(defaults.get(generic.name))] as const);
    const valuesOf = (overrides: ReadonlyMap<string, Override>): Map<string, unknown> => {
      const values = new Map<string, unknown>();
      for (const generic of entity.generics) {
        const given = overrides.get(generic.name);
        if (!given || !("value" in given)) continue;
        values.set(
          generic.name,
          this.vhdl.elaborator.border.genericValue(
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
        const ports = this.vhdl.elaborator.border.interfaceOf(entity, valuesOf(overrides));
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
    const made = this.vhdl.elaborator.build(entity, architecture, [], generics, instance.path.split("."));
    this.vhdl.adopt(made, instance);
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
    const { elaborator } = this.vhdl;
    const overrides = new Map<string, Override>();
    const declared = node.items.flatMap((item) => (item.kind === "param" && !item.local ? [item.name] : []));
    const { generics, ports } = elaborator.border.borderActuals(bound, parent);
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
      if (expr) overrides.set(own, constantOf(elaborator.values.evaluate(expr, null, frame)));
    });
    const outer = this.vhdl.instanceOf(parent);
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
    const { elaborator } = this.vhdl;
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
    const found = elaborator.border.borderTarget(actual.expr, actual.frame);
    const shape = found?.shape ?? elaborator.border.evaluateShape(actual.expr, actual.frame);
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

  // ---- as a circuit -----------------------------------------------------------------------------------------------

  /** Adds the circuits of all entities, and wires across the border. */
  circuit(design: DesignModel): void {
    const writer = this.vhdl.circuitWriter(design);
    writer.write(this.vhdl.tops.map((top) => ({ top, outer: this.outer.get(top) ?? null })));
    for (const crossing of this.crossings) {
      const { port, loc } = crossing;
      if (this.outer.has(crossing.owner) && !crossing.value) continue; // its ports are the module instance's own signals
      if (crossing.into === "verilog") {
        const value = writer.value(crossing.value!.expr, crossing.value!.frame, crossing.owner, port.width);
        if (value)
          design.assigns.push({
            target: wholeTarget(port, loc),
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
