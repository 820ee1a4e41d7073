import type { Loc } from "../../../common/source.ts";
import type { AnyValue } from "../../model.ts";
import type {
  ArchitectureDecl,
  BoundAssociation,
  BoundInstance,
  BoundProcess,
  BoundRegion,
  Concurrent,
  ConfigRule,
  ConstantDecl,
  EntityDecl,
  Expr,
  SignalDecl,
} from "../bound.ts";
import { fromFourState } from "../circuit/border.ts";
import { plain } from "../code/emit-subprograms.ts";
import type { Ref } from "../code/emit-text.ts";
import { origins, UnitEmitter } from "../code/unit-emitter.ts";
import { Frame } from "../values/frames.ts";
import { type Shape, shapeText } from "../values/shapes.ts";
import { type DriverTree, leavesOf, partOf, readTree, Sig, type SigTree } from "../values/signals.ts";
import { Arr, type Bits, insertL, setL, sliceL } from "../values/values.ts";
import type { BorderActual, VhdlInstance } from "./elaborator-base.ts";
import { ElaboratorBase } from "./elaborator-base.ts";
import {
  opened,
  putStretch,
  refThroughConversions,
  type Stretch,
  samePath,
  showValue,
  stretchOf,
} from "./elaborator-pieces.ts";

/** Instances, blocks and copies of generate statements together. */
const mostInstances = 65_536;

/** Instances, their ports and generics, and the border to Verilog. */
export abstract class ElaboratorInstances extends ElaboratorBase {
  protected abstract process(process: BoundProcess, instance: VhdlInstance): void;

  // ---- the border to Verilog ------------------------------------------------------------------------------------

  /** Values of generics that an instance need not give. */
  genericDefaults(entity: EntityDecl): Map<string, { v: unknown; shape: Shape }> {
    const frame = new Frame(this.program.root, null);
    const values = new Map<string, { v: unknown; shape: Shape }>();
    for (const generic of entity.generics) {
      const shape = this.shapeOf(generic.subtype, frame, generic.loc);
      if (!generic.init) continue;
      const made = this.evaluate(generic.init, shape, frame);
      frame.places.set(generic, { k: "const", v: made.v, shape: made.shape });
      values.set(generic.name, made);
    }
    return values;
  }
  /** A parameter's value as that of a generic. */
  genericValue(generic: ConstantDecl, value: AnyValue, width: number): unknown {
    if (typeof value === "string") return new Arr(value, 1, 0, value.length);
    const shape = this.emitter(this.program.root).shapes.plainShape(generic.subtype.type);
    if (typeof value === "number") return shape.k === "s" && shape.type.kind === "real" ? value : Math.round(value);
    if (shape.k === "s") {
      const { type } = shape;
      if (type.kind === "real") return Number(BigInt.asIntN(width, value.a));
      if (type.kind === "enum" && type.packing !== "logic") return Math.min(Number(value.a), type.literals.length - 1);
      if (type.kind === "int" || type.kind === "physical") return Number(BigInt.asIntN(Math.max(width, 32), value.a));
    }
    if (shape.k === "a" && shape.pack === "char") {
      // a string literal of Verilog is a number with eight bits for each character
      let text = "";
      for (let i = Math.ceil(width / 8) - 1; i >= 0; i--)
        text += String.fromCharCode(Number((value.a >> BigInt(8 * i)) & 255n));
      const clean = text.replace(/^\0+/, "");
      return new Arr(clean, 1, 0, clean.length);
    }
    if (shape.k !== "a" || shape.dims) return fromFourState(value, shape);
    const made = fromFourState(value, { ...shape, dims: [{ l: width - 1, d: 1, n: width }] });
    return new Arr(made, width - 1, 1, width);
  }
  /** Ports of an entity with their bounds, for these generics. */
  interfaceOf(
    entity: EntityDecl,
    generics: ReadonlyMap<string, unknown>,
  ): { readonly decl: SignalDecl; readonly shape: Shape }[] {
    const frame = new Frame(this.program.root, null);
    for (const generic of entity.generics) {
      const shape = this.shapeOf(generic.subtype, frame, generic.loc);
      const given = generics.get(generic.name);
      const made =
        given !== undefined
          ? opened(given, shape)
          : generic.init
            ? this.evaluate(generic.init, shape, frame)
            : this.defaultOf(shape, frame, generic.loc);
      frame.places.set(generic, { k: "const", v: made.v, shape: made.shape });
    }
    return entity.ports.map((decl) => ({ decl, shape: this.shapeOf(decl.subtype, frame, decl.loc) }));
  }
  /** What an instance of a module connects, by the names that it gives; `#2` is the third one without a name. */
  borderActuals(
    bound: BoundInstance,
    parent: VhdlInstance,
  ): { readonly generics: readonly BorderActual[]; readonly ports: readonly BorderActual[] } {
    const { frame } = parent;
    if (bound.foreign)
      return {
        generics: bound.foreign.generics.map(({ name, actual, loc }) => ({ name, expr: actual, frame, loc })),
        ports: bound.foreign.ports.map(({ name, actual, loc }) => ({ name, expr: actual, frame, loc })),
      };
    const { component } = bound;
    const inner = new Frame(frame, null);
    const generics = (component?.generics ?? []).map((decl): BorderActual => {
      const map = bound.generics.find((each) => each.formal === decl);
      const actual = map?.actual ?? decl.init;
      if (actual) {
        const made = this.evaluate(actual, this.shapeOf(decl.subtype, inner, decl.loc), map?.actual ? frame : inner);
        inner.places.set(decl, { k: "const", v: made.v, shape: made.shape });
      }
      return { name: decl.name, expr: actual, frame: map?.actual ? frame : inner, loc: map?.loc ?? bound.loc };
    });
    const ports = bound.ports.map(
      (map): BorderActual => ({ name: map.formal.name, expr: map.actual, frame, loc: map.loc }),
    );
    return { generics, ports };
  }
  /** The signals that an expression names; null if it computes a value. */
  borderTarget(
    expr: Expr,
    frame: Frame,
  ): {
    readonly tree: SigTree;
    readonly part: Stretch | null;
    readonly shape: Shape;
  } | null {
    const ref = refThroughConversions(this.emitter(frame), expr);
    if (!ref?.tree) return null;
    if (!ref.part) return { tree: ref.tree, part: null, shape: ref.shape };
    const part = stretchOf(ref);
    return part && { tree: ref.tree, part, shape: ref.part.shape };
  }
  evaluateShape(expr: Expr, frame: Frame): Shape {
    return plain(this.emitter(frame).exprs.expr(expr).shape);
  }
  /** Signals of the border give VHDL's side a driver, which the border sets. */
  borderDriver(tree: SigTree, part: Stretch | null): (v: unknown) => void {
    const emitter = this.emitter(this.program.root, true);
    const driver = emitter.driver(tree, part?.lo ?? null, part?.n ?? null);
    return (v) => this.pushDriver(driver, v, part);
  }
  /** Runs at the start and at each event of what the expression reads. */
  watch(expr: Expr, frame: Frame, run: (v: unknown, shape: Shape) => void): void {
    const shape = this.evaluateShape(expr, frame);
    this.whenever(expr, frame, shape, (v) => run(v, shape));
  }

  protected newInstance(
    label: string,
    kind: VhdlInstance["kind"],
    entity: EntityDecl | null,
    architecture: ArchitectureDecl | null,
    parent: VhdlInstance | null,
    frame: Frame,
    loc: Loc,
  ): VhdlInstance {
    const made: VhdlInstance = {
      label,
      kind,
      entity,
      architecture,
      parent,
      children: [],
      signals: [],
      attributes: [],
      generics: [],
      frame,
      path: frame.path,
      loc,
    };
    this.instanceCount++;
    parent?.children.push(made);
    this.byPath.set(frame.path.map((each) => each.toLowerCase()).join("."), made);
    return made;
  }

  private instanceCount = 0;
  /** There are more than any design has: told once, and nothing more is made. */
  private isCrowded(loc: Loc): boolean {
    if (this.instanceCount <= mostInstances) return false;
    this.report.error(
      "vhdl/many-instances",
      loc,
      `The design has more than ${mostInstances} instances, blocks and copies.`,
      "Look for a generate statement or a recursion that is larger than it was meant to be.",
    );
    return true;
  }

  protected fill(
    instance: VhdlInstance,
    entity: EntityDecl,
    architecture: ArchitectureDecl,
    rules: readonly ConfigRule[],
  ): void {
    if (this.isCrowded(instance.loc)) return;
    if (this.depth > 200) {
      this.report.error(
        "vhdl/recursion",
        instance.loc,
        `'${entity.shown}' instantiates itself without an end.`,
        "Check where the recursion stops.",
      );
      return;
    }
    this.depth++;
    architecture.load?.();
    this.region(
      {
        decls: [...entity.decls, ...architecture.decls],
        concurrents: [...entity.concurrents, ...architecture.concurrents],
      },
      instance,
      rules,
      [],
    );
    this.depth--;
  }

  protected region(
    region: BoundRegion,
    instance: VhdlInstance,
    rules: readonly ConfigRule[],
    path: readonly string[],
  ): void {
    const { frame } = instance;
    for (const decl of region.decls) if (decl.kind === "sub") frame.subs.add(decl);
    for (const decl of region.decls) this.declare(decl, frame, instance);
    for (const each of region.concurrents) this.concurrent(each, instance, rules, path);
  }

  protected concurrent(
    each: Concurrent,
    instance: VhdlInstance,
    rules: readonly ConfigRule[],
    path: readonly string[],
  ): void {
    const { frame } = instance;
    switch (each.kind) {
      case "process":
        this.process(each, instance);
        return;
      case "instance":
        this.instance(each, instance, rules, path);
        return;
      case "block": {
        const inner = new Frame(frame, null, [...frame.path, each.shown]);
        const made = this.newInstance(each.shown, "block", null, null, instance, inner, each.loc);
        for (const generic of each.generics)
          this.generic(generic, each.genericMap.find((map) => map.formal === generic) ?? null, frame, inner, made);
        for (const port of each.ports)
          this.port(
            port,
            each.portMap.filter((map) => map.formal === port),
            null,
            frame,
            inner,
            made,
          );
        if (each.guard && each.guardSignal) {
          made.guard = { signal: each.guardSignal, expr: each.guard, frame };
          const sig = this.makeTree(
            "guard",
            { k: "s", type: this.world.standard.boolean, lo: null, hi: null },
            0,
            null,
            inner,
          );
          inner.places.set(each.guardSignal, {
            k: "sig",
            tree: sig,
            shape: { k: "s", type: this.world.standard.boolean, lo: null, hi: null },
          });
          this.follow(each.guard, sig as Sig, frame, { k: "s", type: this.world.standard.boolean, lo: null, hi: null });
        }
        this.region(each, made, rules, [...path, each.label]);
        return;
      }
      case "for": {
        const emitter = this.emitter(frame);
        const { l, r, d, dynamicDir } = emitter.shapes.rangeVal(each.range);
        const { v } = this.finish(
          emitter,
          { js: `[${l.js},${r.js},${dynamicDir ?? d}]`, shape: { k: "o", type: each.range.type } },
          each.range.loc,
        );
        if (!Array.isArray(v)) return;
        const [left, right, down] = v as number[];
        const count = down ? left - right + 1 : right - left + 1;
        if (count > 100_000) {
          this.report.error(
            "vhdl/endless-generate",
            each.range.loc,
            `This generate statement makes ${count} copies.`,
            "Check its range.",
          );
          return;
        }
        for (let i = 0; i < count; i++) {
          if (this.isCrowded(each.range.loc)) return;
          const index = down ? left - i : left + i;
          const shown = emitter.elements.valueText(index, { k: "s", type: each.range.type, lo: null, hi: null });
          const inner = new Frame(frame, null, [...frame.path, `${each.shown}(${shown})`]);
          inner.places.set(each.param, {
            k: "const",
            v: index,
            shape: { k: "s", type: each.range.type, lo: null, hi: null },
          });
          const made = this.newInstance(`${each.shown}(${shown})`, "generate", null, null, instance, inner, each.loc);
          this.region(each.body, made, rules, [...path, each.label]);
        }
        return;
      }
      case "if": {
        for (const branch of each.branches) {
          if (branch.test && this.evaluate(branch.test, null, frame).v !== 1) continue;
          const inner = new Frame(frame, null, [...frame.path, each.shown]);
          const made = this.newInstance(each.shown, "generate", null, null, instance, inner, each.loc);
          this.region(branch.body, made, rules, [...path, each.label]);
          return;
        }
        return;
      }
      case "case": {
        const { v } = this.evaluate(each.subject, null, frame);
        for (const branch of each.branches)
          for (const choice of branch.choices) {
            let fits = choice.kind === "others";
            if (choice.kind === "value") fits = this.runtime.same(this.evaluate(choice.value!, null, frame).v, v);
            else if (choice.kind === "range") {
              const b = this.emitter(frame).shapes.bounds(choice.range!);
              fits =
                b !== null &&
                (v as number) >= Math.min(b.l, b.l + (b.d ? 1 - b.n : b.n - 1)) &&
                (v as number) <= Math.max(b.l, b.l + (b.d ? 1 - b.n : b.n - 1));
            }
            if (!fits) continue;
            const inner = new Frame(frame, null, [...frame.path, each.shown]);
            const made = this.newInstance(each.shown, "generate", null, null, instance, inner, each.loc);
            this.region(branch.body, made, rules, [...path, each.label]);
            return;
          }
      }
    }
  }

  // ---- instances ------------------------------------------------------------------------------------------------

  protected instance(
    each: BoundInstance,
    parent: VhdlInstance,
    rules: readonly ConfigRule[],
    path: readonly string[],
  ): void {
    let unit = each.unit;
    let inner: readonly ConfigRule[] = [];
    const rule =
      each.component &&
      (rules.find((one) => samePath(one.path, path) && Array.isArray(one.labels) && one.labels.includes(each.label)) ??
        rules.find(
          (one) => samePath(one.path, path) && !Array.isArray(one.labels) && one.component === each.component!.name,
        ));
    if (rule) {
      unit = rule.unit ?? unit;
      inner = rule.inner;
    }
    if (!unit && each.component) {
      const found = this.world.unitIn(this.world.home(each.loc.file), each.component.name);
      if (found?.kind === "entity") unit = { kind: "entity", entity: found, architecture: null };
      else {
        const module = this.foreignModule?.(each.component.name);
        if (module) unit = { kind: "foreign", module };
      }
    }
    if (!unit) {
      const names = [...this.world.designUnits()].filter((found) => found.kind === "entity").map((found) => found.name);
      this.report.error(
        "vhdl/unbound",
        each.loc,
        `Component '${each.component?.name}' of '${each.shown}' has no entity.`,
        names.length
          ? `Write an entity '${each.component?.name}', or bind the component to one of ${names.slice(0, 5).join(", ")}.`
          : "Add the entity's file to the design.",
      );
      return;
    }
    if (unit.kind === "open") return;
    if (unit.kind === "foreign") {
      if (this.foreign) this.foreign(each, unit.module, parent, this);
      return;
    }
    let entity: EntityDecl | null;
    let architectureName: string | null;
    if (unit.kind === "configuration") {
      unit.configuration.load?.();
      ({ entity } = unit.configuration);
      architectureName = unit.configuration.architecture;
      inner = unit.configuration.rules;
    } else {
      ({ entity } = unit);
      architectureName = unit.architecture;
    }
    if (!entity) return;
    entity.load?.();
    const architecture = architectureName
      ? (entity.architectures.get(architectureName) ?? null)
      : entity.lastArchitecture;
    if (!architecture) {
      this.report.error(
        "vhdl/no-architecture",
        each.loc,
        `Entity '${entity.shown}' has no architecture.`,
        `Write 'architecture rtl of ${entity.shown} is ...'.`,
      );
      return;
    }
    const frame = new Frame(this.program.root, null, [...parent.frame.path, each.shown]);
    const made = this.newInstance(each.shown, "entity", entity, architecture, parent, frame, each.loc);
    const component = each.component;
    const partner = <T extends SignalDecl | ConstantDecl>(own: T, list: readonly T[] | undefined): T =>
      component ? (list?.find((one) => one.name === own.name) ?? own) : own;
    for (const generic of entity.generics) {
      const formal = partner(generic, component?.generics);
      const map = each.generics.find((one) => one.formal === formal) ?? null;
      this.generic(generic, map, parent.frame, frame, made, undefined, component && formal !== generic ? formal : null);
    }
    if (component)
      for (const port of component.ports)
        if (!entity.ports.some((own) => own.name === port.name))
          this.report.error(
            "vhdl/unknown-port",
            each.loc,
            `Entity '${entity.shown}' has no port '${port.name}', which component '${component.name}' declares.`,
            "Make the component like the entity.",
          );
    // generics of the component may be bounds of its ports
    for (const port of entity.ports) {
      const formal = partner(port, component?.ports);
      this.port(
        port,
        each.ports.filter((one) => one.formal === formal),
        formal === port ? null : formal,
        parent.frame,
        frame,
        made,
      );
    }
    this.fill(made, entity, architecture, inner);
  }
  /** Name of a module of the other language. */
  foreignModule: ((name: string) => string | null) | null = null;

  protected generic(
    generic: ConstantDecl,
    map: BoundAssociation | null,
    outer: Frame,
    frame: Frame,
    instance: VhdlInstance,
    given?: unknown,
    component: ConstantDecl | null = null,
  ): void {
    const shape = this.shapeOf(generic.subtype, frame, generic.loc);
    let made: { v: unknown; shape: Shape };
    if (given !== undefined) made = opened(given, shape);
    else if (map?.actual) {
      // bounds come from the actual where the generic leaves them open
      made = this.evaluate(map.actual, shape, outer);
    } else {
      const init = component?.init ?? generic.init;
      if (!init) {
        if (instance.parent === null)
          this.report.error(
            "vhdl/open-generic",
            generic.loc,
            `Generic '${generic.name}' of the top '${instance.label}' has no value.`,
            "Give it a default value.",
          );
        made = this.defaultOf(shape, frame, generic.loc);
      } else made = this.evaluate(init, shape, frame);
    }
    frame.places.set(generic, { k: "const", v: made.v, shape: made.shape });
    if (component) frame.places.set(component, { k: "const", v: made.v, shape: made.shape });
    instance.generics.push({ name: generic.name, value: showValue(made.v, made.shape) });
  }

  protected openPort(port: SignalDecl, frame: Frame, instance: VhdlInstance): void {
    const shape = this.shapeOf(port.subtype, frame, port.loc);
    if (!this.checkBounds(shape, port)) return;
    const value = port.init ? this.evaluate(port.init, shape, frame).v : this.defaultOf(shape, frame, port.loc).v;
    const tree = this.makeTree(port.name, shape, value, port.subtype, frame);
    frame.places.set(port, { k: "sig", tree, shape });
    instance.signals.push({ decl: port, tree, shape });
  }

  /** Signals of a port: those of the actual where the whole is connected. */
  protected port(
    port: SignalDecl,
    maps: readonly BoundAssociation[],
    component: SignalDecl | null,
    outer: Frame,
    frame: Frame,
    instance: VhdlInstance,
  ): void {
    const live = maps.filter((map) => map.actual !== null);
    if (live.length === 0) {
      this.openPort(port, frame, instance);
      return;
    }
    let shape = this.shapeOf(port.subtype, frame, port.loc);
    const [first] = live;
    const isWhole = live.length === 1 && first.formalExpr.op === "object" && !first.formalConversion;
    const set = (tree: SigTree) => {
      frame.places.set(port, { k: "sig", tree, shape });
      if (component) frame.places.set(component, { k: "sig", tree, shape });
      instance.signals.push({ decl: port, tree, shape });
    };
    if (isWhole) {
      const emitter = this.emitter(outer);
      const actual = first.actual!;
      const ref = refThroughConversions(emitter, actual);
      if (ref) {
        const found = this.signalOf(emitter, ref, first.loc);
        const have = ref.part ? ref.part.shape : ref.shape;
        if (shape.k === "a" && shape.dims === null && have.k === "a")
          shape = { ...shape, dims: have.dims, elem: have.elem };
        if (found && this.agree(shape, have, port, first)) {
          set(found);
          if (port.mode !== "in" && port.mode !== null) this.beginPort(port, found, shape, frame);
          return;
        }
        if (found) {
          this.openPort(port, frame, instance);
          return;
        }
      }
      if (port.mode === "in" || port.mode === null) {
        const value = this.evaluate(actual, shape, outer);
        if (shape.k === "a" && shape.dims === null) ({ shape } = value);
        const tree = this.makeTree(port.name, shape, value.v, port.subtype, frame);
        set(tree);
        this.portLinks.push({ value: actual, tree, part: null, shape, frame: outer, instance });
        this.followTree(actual, tree, outer, shape);
        return;
      }
      this.openPort(port, frame, instance);
      return;
    }
    // connected in parts: a signal of its own, whose parts follow or drive the actuals
    if (!this.checkBounds(shape, port)) return;
    const value = port.init ? this.evaluate(port.init, shape, frame).v : this.defaultOf(shape, frame, port.loc).v;
    const tree = this.makeTree(port.name, shape, value, port.subtype, frame);
    set(tree);
    for (const map of live) {
      const inner = this.emitter(frame);
      const formal = inner.elements.refOf(map.formalExpr);
      if (!formal?.tree) continue;
      const emitter = this.emitter(outer, true);
      const shapeOfFormal = formal.part ? formal.part.shape : formal.shape;
      if (port.mode === "in" || port.mode === null) {
        const leaf = formal.tree;
        if (formal.part && !Array.isArray(leaf)) {
          const { loKnown, nKnown, bit } = formal.part;
          const two = formal.shape.k === "a" && formal.shape.pack === "bit";
          this.portLinks.push({
            value: map.actual!,
            tree: leaf,
            part: { lo: loKnown! },
            shape: shapeOfFormal,
            frame: outer,
            instance,
          });
          this.whenever(map.actual!, outer, shapeOfFormal, (v) => {
            const next = bit
              ? setL(leaf.v as Bits, leaf.n, loKnown!, two ? (v as number) + 2 : (v as number))
              : insertL(leaf.v as Bits, leaf.n, loKnown!, v as Bits, nKnown!);
            this.engine.set(leaf, next);
          });
        } else {
          this.portLinks.push({
            value: map.actual!,
            tree: leaf,
            part: null,
            shape: shapeOfFormal,
            frame: outer,
            instance,
          });
          this.followTree(map.actual!, leaf, outer, shapeOfFormal);
        }
        continue;
      }
      // outputs: a driver of the actual that has the formal's value
      const ref = refThroughConversions(emitter, map.actual!);
      if (!ref?.tree) continue;
      const driver = emitter.driver(ref.tree, ref.part?.loKnown ?? null, ref.part?.nKnown ?? null);
      const value = map.formalConversion ? map.formalConversion(map.formalExpr) : map.formalExpr;
      const part = ref.part && ref.part.loKnown !== null ? { lo: ref.part.loKnown } : null;
      this.portLinks.push({
        value,
        tree: ref.tree,
        part,
        shape: ref.part ? ref.part.shape : ref.shape,
        frame,
        instance,
      });
      const source = formal.part ? null : formal.tree;
      const convert = map.formalConversion ? this.conversion(map, inner, formal) : null;
      const push = () => {
        let v: unknown = source ? readTree(source) : null;
        if (formal.part && !Array.isArray(formal.tree)) {
          const p = (formal.tree as Sig).v as Bits;
          v = formal.part.bit
            ? inner.program.runtime.getL(p, formal.part.loKnown!)
            : sliceL(p, formal.part.loKnown!, formal.part.nKnown!);
        }
        if (convert) v = convert();
        this.pushDriver(driver, v, stretchOf(ref));
      };
      for (const leaf of leavesOf(formal.tree)) leaf.links.push(push);
      this.initial.push(push);
    }
  }
  protected beginPort(port: SignalDecl, tree: SigTree, shape: Shape, frame: Frame): void {
    const { v } = port.init ? this.evaluate(port.init, shape, frame) : this.defaultOf(shape, frame, port.loc);
    frame.driverInit ??= new Map();
    const map = frame.driverInit;
    const put = (at: SigTree, value: unknown): void => {
      if (Array.isArray(at)) at.forEach((each, i) => put(each, (value as unknown[])[i]));
      else map.set(at, value);
    };
    put(tree, v);
  }
  /** Values that ports give when all signals are made: done once a run begins. */
  readonly initial: (() => void)[] = [];

  protected conversion(map: BoundAssociation, inner: UnitEmitter, _formal: Ref): () => unknown {
    const expr = map.formalConversion!(map.formalExpr);
    const val = inner.exprs.expr(expr);
    return inner.link(`return ()=>${inner.repr.payload(val)};`) as () => unknown;
  }

  protected pushDriver(driver: DriverTree, v: unknown, stretch: Stretch | null): void {
    if (Array.isArray(driver)) {
      driver.forEach((each, i) => this.pushDriver(each, (v as unknown[])[i], stretch));
      return;
    }
    if (!driver) return;
    const target = driver.part ? driver.part.of : driver;
    const at = driver.part ?? stretch;
    target.v = at ? putStretch(target.v as Bits, target.sig.n, at, v) : v;
    target.next = target.v;
    this.engine.drive(target);
  }

  protected agree(shape: Shape, have: Shape, port: SignalDecl, map: BoundAssociation): boolean {
    if (shape.k !== "a" || have.k !== "a" || !shape.dims || !have.dims) return true;
    for (let i = 0; i < shape.dims.length; i++)
      if (shape.dims[i].n !== have.dims[i]?.n) {
        this.report.error(
          "vhdl/port-width",
          map.loc,
          `Port '${port.name}' has ${shape.dims[i].n} elements (${shapeText(shape)}), what is connected ${have.dims[i]?.n} (${shapeText(have)}).`,
          "Make them as long as each other.",
        );
        return false;
      }
    return true;
  }

  /** The signals of a reference, those of a part being followed. */
  protected signalOf(emitter: UnitEmitter, ref: Ref, loc: Loc): SigTree | null {
    if (!ref.tree) return null;
    if (!ref.part) return ref.tree;
    const { loKnown, nKnown, bit } = ref.part;
    if (loKnown === null || nKnown === null || Array.isArray(ref.tree)) {
      emitter.error("actual", loc, "A port is connected to a part that only the run knows.", "Use constant indexes.");
      return null;
    }
    return this.part(ref.tree, loKnown, nKnown, bit, ref.shape.k === "a" && ref.shape.pack === "bit");
  }
  protected readonly parts = new Map<Sig, Map<string, Sig>>();
  protected part(sig: Sig, lo: number, n: number, bit: boolean, two: boolean): Sig {
    let list = this.parts.get(sig);
    if (!list) {
      list = new Map();
      this.parts.set(sig, list);
    }
    const key = `${lo}:${n}:${bit}`;
    let made = list.get(key);
    if (!made) {
      made = partOf(sig, lo, n, bit, two);
      origins.set(made, { of: sig, lo, n, bit, two });
      list.set(key, made);
    }
    return made;
  }

  /** Runs now and whenever a signal that the expression reads has an event, without delay. */
  protected whenever(expr: Expr, frame: Frame, shape: Shape, run: (v: unknown) => void): void {
    const emitter = this.emitter(frame);
    const reads = emitter.waiting.readsOf(expr);
    const val = emitter.repr.fit(emitter.exprs.expr(expr, shape), shape, expr.loc);
    const compute = emitter.link(`return ()=>${emitter.repr.payload(val)};`) as () => unknown;
    const go = () => run(compute());
    for (const read of reads) {
      const ref = emitter.elements.refOf(read);
      if (ref?.tree) for (const leaf of leavesOf(ref.tree)) leaf.links.push(go);
    }
    this.initial.push(go);
  }
  protected followTree(expr: Expr, tree: SigTree, frame: Frame, shape: Shape): void {
    const put = (at: SigTree, v: unknown): void => {
      if (Array.isArray(at)) at.forEach((each, i) => put(each, (v as unknown[])[i]));
      else this.engine.set(at, v);
    };
    this.whenever(expr, frame, shape, (v) => put(tree, v));
  }
  protected follow(expr: Expr, sig: Sig, frame: Frame, shape: Shape): void {
    this.followTree(expr, sig, frame, shape);
  }
}
