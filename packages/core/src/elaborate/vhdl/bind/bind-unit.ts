import { InvariantError } from "../../../common/finding.ts";
import type { Ident, PackageBodyNode, UnitNode } from "../../../hdl/vhdl/ast.ts";
import type { Report } from "../../report.ts";
import type { UnitEntry } from "../bound.ts";
import { Scope } from "../scope.ts";
import { Builtins, World } from "../world.ts";
import type { ForeignUnits } from "./bind-instance.ts";
import { Binder } from "./binder.ts";

let builtins: Builtins | null = null;
/** The libraries that ship with the product, read once. */
function sharedBuiltins(): Builtins {
  if (builtins) return builtins;
  builtins = new Builtins((world, report, root, library, units) => {
    for (const node of units) {
      if (node.kind === "context")
        library.units.set(node.name.id, { kind: "context", name: node.name.id, loc: node.name.loc, items: node.items });
      const binder = new Binder(world, report, root);
      if (node.kind === "package") {
        const body = units.find(
          (each): each is PackageBodyNode => each.kind === "packagebody" && each.name.id === node.name.id,
        );
        library.units.set(node.name.id, binder.packages.package(node, body ?? null, library.name, root));
      } else if (node.kind === "packageinstance") {
        const scope = new Scope(root);
        binder.packages.context(node.context, scope);
        const made = binder.packages.packageInstance(node, scope);
        if (!made || report.findings.length)
          throw new InvariantError(`${node.name.id}: ${report.findings[0]?.message ?? "no package"}`);
        library.units.set(node.name.id, made);
      }
    }
  });
  return builtins;
}

/** Design units of a design as names of its library. They are read when they are needed, or by `loadAll`. */
export function analyzeUnits(
  units: readonly UnitNode[],
  report: Report,
  foreign: ForeignUnits | null = null,
  /** Told of each declaration, and of each name that means one. */
  onUse: World["onUse"] = null,
): World {
  const world = new World(sharedBuiltins(), null, report.sources);
  world.onUse = onUse;
  world.unitNodes.push(...units);
  world.formLibraries(units);
  const rootAt = (file: number) => world.rootOf(world.home(file));
  const binder = (file: number) => new Binder(world, report, rootAt(file), foreign);
  const add = (entry: UnitEntry, name: Ident) => {
    const old = world.addUnit(world.home(name.loc.file), name.id, entry);
    if (old) {
      const place = report.sources.position(old.loc.file, old.loc.start);
      binder(name.loc.file).error(
        "duplicate-unit",
        name.loc,
        `There is already a ${old.kind} '${name.id}', in ${place.file} on line ${place.line}.`,
        "Give one of them another name.",
      );
    }
    world.note(name.loc, entry);
  };
  for (const node of units) {
    const { file } = node.loc;
    if (node.kind === "entity") add(binder(file).units.entity(node), node.name);
    else if (node.kind === "package") {
      const library = world.home(file);
      const body =
        units.find(
          (each): each is PackageBodyNode =>
            each.kind === "packagebody" && each.name.id === node.name.id && world.home(each.loc.file) === library,
        ) ?? null;
      add(binder(file).packages.package(node, body, library.name, new Scope(rootAt(file))), node.name);
    } else if (node.kind === "context")
      add({ kind: "context", name: node.name.id, loc: node.name.loc, items: node.items }, node.name);
    else if (node.kind === "configuration") add(binder(file).configurations.configuration(node), node.name);
  }
  for (const node of units) {
    if (node.kind === "packageinstance") {
      const own = binder(node.loc.file);
      const scope = new Scope(rootAt(node.loc.file));
      own.packages.context(node.context, scope);
      const made = own.packages.packageInstance(node, scope);
      if (made) add(made, node.name);
    }
  }
  for (const node of units) {
    const { file } = node.loc;
    const library = world.home(file);
    if (node.kind === "packagebody" && library.units.get(node.name.id)?.kind !== "package")
      binder(file).error(
        "no-package",
        node.name.loc,
        `There is no package '${node.name.id}' for this body.`,
        "Write the package itself first.",
      );
    if (node.kind !== "architecture") continue;
    const entity = library.units.get(node.entity.id);
    if (entity?.kind !== "entity") {
      const own = binder(file);
      own.error(
        "unknown-entity",
        node.entity.loc,
        `There is no entity '${node.entity.id}' for this architecture.`,
        own.names.nearText(node.entity.id, library.units.keys(), "Write the entity, with its ports."),
      );
      continue;
    }
    const made = binder(file).units.architecture(node, entity);
    if (entity.architectures.has(node.name.id))
      binder(file).error(
        "duplicate-unit",
        node.name.loc,
        `Entity '${entity.name}' already has an architecture '${node.name.id}'.`,
        "Give one of them another name.",
      );
    world.note(node.entity.loc, entity);
    world.note(node.name.loc, made);
    entity.architectures.set(node.name.id, made);
    entity.lastArchitecture = made;
  }
  return world;
}

/** Reads every unit, so that all mistakes are told. */
export function loadAll(world: World): void {
  for (const unit of world.designUnits()) {
    if (unit.kind === "context") continue;
    unit.load?.();
    if (unit.kind === "entity") for (const architecture of unit.architectures.values()) architecture.load?.();
  }
}
