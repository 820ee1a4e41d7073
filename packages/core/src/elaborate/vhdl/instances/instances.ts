import type { Loc } from "../../../common/source.ts";
import type {
  ArchitectureDecl,
  BoundAssociation,
  BoundInstance,
  BoundRegion,
  Concurrent,
  ConfigRule,
  ConstantDecl,
  EntityDecl,
  SignalDecl,
} from "../bound.ts";
import { Frame } from "../values/frames.ts";
import type { Shape } from "../values/shapes.ts";
import type { Sig } from "../values/signals.ts";
import type { Elaborator } from "./elaborator.ts";
import { opened, samePath, showValue } from "./elaborator-pieces.ts";
import type { VhdlInstance } from "./instance.ts";

/** Instances, blocks and copies of generate statements together. */
const mostInstances = 65_536;

/** Instances, blocks and copies of generate statements, with their generics. */
export class Instances {
  constructor(private readonly host: Elaborator) {}

  newInstance(
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
    this.host.byPath.set(frame.path.map((each) => each.toLowerCase()).join("."), made);
    return made;
  }

  private instanceCount = 0;
  /** There are more than any design has: told once, and nothing more is made. */
  private isCrowded(loc: Loc): boolean {
    if (this.instanceCount <= mostInstances) return false;
    this.host.report.error(
      "vhdl/many-instances",
      loc,
      `The design has more than ${mostInstances} instances, blocks and copies.`,
      "Look for a generate statement or a recursion that is larger than it was meant to be.",
    );
    return true;
  }

  fill(instance: VhdlInstance, entity: EntityDecl, architecture: ArchitectureDecl, rules: readonly ConfigRule[]): void {
    if (this.isCrowded(instance.loc)) return;
    if (this.host.depth > 200) {
      this.host.report.error(
        "vhdl/recursion",
        instance.loc,
        `'${entity.shown}' instantiates itself without an end.`,
        "Check where the recursion stops.",
      );
      return;
    }
    this.host.depth++;
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
    this.host.depth--;
  }

  private region(
    region: BoundRegion,
    instance: VhdlInstance,
    rules: readonly ConfigRule[],
    path: readonly string[],
  ): void {
    const { frame } = instance;
    for (const decl of region.decls) if (decl.kind === "sub") frame.subs.add(decl);
    for (const decl of region.decls) this.host.decls.declare(decl, frame, instance);
    for (const each of region.concurrents) this.concurrent(each, instance, rules, path);
  }

  private concurrent(
    each: Concurrent,
    instance: VhdlInstance,
    rules: readonly ConfigRule[],
    path: readonly string[],
  ): void {
    const { frame } = instance;
    switch (each.kind) {
      case "process":
        this.host.processes.process(each, instance);
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
          this.host.ports.port(
            port,
            each.portMap.filter((map) => map.formal === port),
            null,
            frame,
            inner,
            made,
          );
        if (each.guard && each.guardSignal) {
          made.guard = { signal: each.guardSignal, expr: each.guard, frame };
          const sig = this.host.trees.makeTree(
            "guard",
            { k: "s", type: this.host.world.standard.boolean, lo: null, hi: null },
            0,
            null,
            inner,
          );
          inner.places.set(each.guardSignal, {
            k: "sig",
            tree: sig,
            shape: { k: "s", type: this.host.world.standard.boolean, lo: null, hi: null },
          });
          this.host.ports.follow(each.guard, sig as Sig, frame, {
            k: "s",
            type: this.host.world.standard.boolean,
            lo: null,
            hi: null,
          });
        }
        this.region(each, made, rules, [...path, each.label]);
        return;
      }
      case "for": {
        const emitter = this.host.emitter(frame);
        const { l, r, d, dynamicDir } = emitter.shapes.rangeVal(each.range);
        const { v } = this.host.values.finish(
          emitter,
          { js: `[${l.js},${r.js},${dynamicDir ?? d}]`, shape: { k: "o", type: each.range.type } },
          each.range.loc,
        );
        if (!Array.isArray(v)) return;
        const [left, right, down] = v as number[];
        const count = down ? left - right + 1 : right - left + 1;
        if (count > 100_000) {
          this.host.report.error(
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
          if (branch.test && this.host.values.evaluate(branch.test, null, frame).v !== 1) continue;
          const inner = new Frame(frame, null, [...frame.path, each.shown]);
          const made = this.newInstance(each.shown, "generate", null, null, instance, inner, each.loc);
          this.region(branch.body, made, rules, [...path, each.label]);
          return;
        }
        return;
      }
      case "case": {
        const { v } = this.host.values.evaluate(each.subject, null, frame);
        for (const branch of each.branches)
          for (const choice of branch.choices) {
            let fits = choice.kind === "others";
            if (choice.kind === "value")
              fits = this.host.runtime.same(this.host.values.evaluate(choice.value!, null, frame).v, v);
            else if (choice.kind === "range") {
              const b = this.host.emitter(frame).shapes.bounds(choice.range!);
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

  private instance(
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
      const found = this.host.world.unitIn(this.host.world.home(each.loc.file), each.component.name);
      if (found?.kind === "entity") unit = { kind: "entity", entity: found, architecture: null };
      else {
        const module = this.foreignModule?.(each.component.name);
        if (module) unit = { kind: "foreign", module };
      }
    }
    if (!unit) {
      const names = [...this.host.world.designUnits()]
        .filter((found) => found.kind === "entity")
        .map((found) => found.name);
      this.host.report.error(
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
      if (this.host.foreign) this.host.foreign(each, unit.module, parent, this.host);
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
      this.host.report.error(
        "vhdl/no-architecture",
        each.loc,
        `Entity '${entity.shown}' has no architecture.`,
        `Write 'architecture rtl of ${entity.shown} is ...'.`,
      );
      return;
    }
    const frame = new Frame(this.host.program.root, null, [...parent.frame.path, each.shown]);
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
          this.host.report.error(
            "vhdl/unknown-port",
            each.loc,
            `Entity '${entity.shown}' has no port '${port.name}', which component '${component.name}' declares.`,
            "Make the component like the entity.",
          );
    // generics of the component may be bounds of its ports
    for (const port of entity.ports) {
      const formal = partner(port, component?.ports);
      this.host.ports.port(
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

  generic(
    generic: ConstantDecl,
    map: BoundAssociation | null,
    outer: Frame,
    frame: Frame,
    instance: VhdlInstance,
    given?: unknown,
    component: ConstantDecl | null = null,
  ): void {
    const shape = this.host.values.shapeOf(generic.subtype, frame, generic.loc);
    let made: { v: unknown; shape: Shape };
    if (given !== undefined) made = opened(given, shape);
    else if (map?.actual) {
      // bounds come from the actual where the generic leaves them open
      made = this.host.values.evaluate(map.actual, shape, outer);
    } else {
      const init = component?.init ?? generic.init;
      if (!init) {
        if (instance.parent === null)
          this.host.report.error(
            "vhdl/open-generic",
            generic.loc,
            `Generic '${generic.name}' of the top '${instance.label}' has no value.`,
            "Give it a default value.",
          );
        made = this.host.values.defaultOf(shape, frame, generic.loc);
      } else made = this.host.values.evaluate(init, shape, frame);
    }
    frame.places.set(generic, { k: "const", v: made.v, shape: made.shape });
    if (component) frame.places.set(component, { k: "const", v: made.v, shape: made.shape });
    instance.generics.push({ name: generic.name, value: showValue(made.v, made.shape) });
  }
}
