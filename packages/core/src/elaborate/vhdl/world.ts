import type { TextEdit } from "../../common/finding.ts";
import { type Loc, SourceSet } from "../../common/source.ts";
import type { ExprNode, UnitNode } from "../../hdl/vhdl/ast.ts";
import { libraryFile, parseLibraryText } from "../../hdl/vhdl/parser.ts";
import { Report } from "../report.ts";
import type {
  AttributeDecl,
  Decl,
  EntityDecl,
  Expr,
  LibraryDecl,
  PackageDecl,
  Subprogram,
  UnitEntry,
} from "./bound.ts";
import { libraryTexts } from "./libraries/logic.ts";
import { envText, standardText, textioText } from "./libraries/standard.ts";
import { Scope } from "./scope.ts";
import {
  type ArrayType,
  type EnumType,
  errorType,
  type IntType,
  type PhysicalType,
  type RealType,
  type Subtype,
  subtypeOf,
  type VType,
} from "./types.ts";

/** Types of std.standard that the language itself speaks of. */
interface StandardTypes {
  readonly boolean: EnumType;
  readonly bit: EnumType;
  readonly character: EnumType;
  readonly severity: EnumType;
  readonly integer: IntType;
  readonly natural: IntType;
  readonly naturalSubtype: Subtype;
  readonly real: RealType;
  readonly time: PhysicalType;
  readonly string: ArrayType;
  readonly bitVector: ArrayType;
}

/** The standard's types while the standard itself is read. */
interface GrowingTypes {
  value: StandardTypes | null;
  read: (() => StandardTypes) | null;
}

const libraryLoc: Loc = { file: libraryFile, start: 0, end: 0 };

/** Makes packages from syntax; given by the unit binder, which needs a world itself. */
type PackageLoader = (
  world: World,
  report: Report,
  root: Scope,
  library: LibraryDecl,
  units: readonly UnitNode[],
) => void;

/** Units of a library that are read when they are first asked for: few designs use many of them. */
class LaterUnits extends Map<string, UnitEntry> {
  private readonly later = new Map<string, () => void>();

  readLater(name: string, read: () => void): void {
    this.later.set(name, read);
  }

  private read(name: string): void {
    const read = this.later.get(name);
    this.later.delete(name);
    read?.();
  }

  override get(name: string): UnitEntry | undefined {
    this.read(name);
    return super.get(name);
  }

  /** Those that somebody has asked for. */
  inUse(): MapIterator<UnitEntry> {
    return super.values();
  }

  override has(name: string): boolean {
    return this.later.has(name) || super.has(name);
  }

  override keys(): MapIterator<string> {
    return new Set([...super.keys(), ...this.later.keys()]).values();
  }

  override values(): MapIterator<UnitEntry> {
    for (const name of [...this.later.keys()]) this.read(name);
    return super.values();
  }
}

/** The libraries that ship with the product. One for all designs: nothing in them depends on a design. */
export class Builtins {
  readonly std: LibraryDecl = { kind: "library", name: "std", loc: libraryLoc, units: new Map() };
  private readonly ieeeUnits = new LaterUnits();
  readonly ieee: LibraryDecl = { kind: "library", name: "ieee", loc: libraryLoc, units: this.ieeeUnits };
  readonly root = new Scope(null);
  readonly standard: StandardTypes;
  readonly arrays = new Map<VType, ArrayType[]>();
  readonly attributes = new Map<Decl, Map<AttributeDecl, Expr>>();

  constructor(load: PackageLoader) {
    const report = new Report(new SourceSet([]));
    const types: GrowingTypes = { value: null, read: null };
    const world = new World(this, types);
    load(world, report, this.root, this.std, parseLibraryText("standard", standardText));
    const unit = this.std.units.get("standard") as PackageDecl;
    const subtype = (name: string): Subtype => {
      const decl = unit.scope.names.get(name)?.[0];
      return decl?.kind === "type" ? decl.subtype : subtypeOf(errorType);
    };
    const find = (): StandardTypes => {
      const type = <T extends VType>(name: string): T => subtype(name).type as T;
      return {
        boolean: type("boolean"),
        bit: type("bit"),
        character: type("character"),
        severity: type("severity_level"),
        integer: type("integer"),
        natural: type("natural"),
        naturalSubtype: subtype("natural"),
        real: type("real"),
        time: type("time"),
        string: type("string"),
        bitVector: type("bit_vector"),
      };
    };
    // while the standard is being read, those that it has declared so far
    types.read = find;
    unit.load?.();
    this.standard = find();
    types.value = this.standard;
    this.root.add(this.std);
    this.root.usePackage(unit);
    load(world, report, this.root, this.std, parseLibraryText("textio", textioText));
    load(world, report, this.root, this.std, parseLibraryText("env", envText));
    for (const [name, text] of Object.entries(libraryTexts.ieee)) {
      const read = () => {
        const scope = new Scope(this.root);
        scope.add(this.ieee);
        load(world, report, scope, this.ieee, parseLibraryText("ieee", text));
      };
      if (name === "contexts") read();
      else this.ieeeUnits.readLater(name, read);
    }
  }
}

/** Units of a library, but those that ship with the product and are not used yet. */
export const unitsInUse = ({ units }: LibraryDecl): Iterable<UnitEntry> =>
  units instanceof LaterUnits ? units.inUse() : units.values();

/** What a design unit needs to know of the world around it: libraries, the standard's types, and who uses what. */
export class World {
  readonly libraries = new Map<string, LibraryDecl>();
  readonly work: LibraryDecl = { kind: "library", name: "work", loc: libraryLoc, units: new Map() };
  readonly root: Scope;
  private readonly arrays = new Map<VType, ArrayType[]>();
  private readonly attributes = new Map<Decl, Map<AttributeDecl, Expr>>();
  private readonly characters = new WeakMap<EnumType, Map<string, number>>();
  private readonly inner = new WeakMap<ArrayType, ArrayType>();
  /** Told of each use of a name, for language services. */
  onUse: ((loc: Loc, decl: Decl) => void) | null = null;
  /** Units of the design with their places, for edits of their context clauses. */
  readonly unitNodes: UnitNode[] = [];
  readonly sources: SourceSet | null;

  constructor(
    readonly builtins: Builtins,
    private readonly types: GrowingTypes | null = null,
    sources: SourceSet | null = null,
  ) {
    this.sources = sources;
    this.root = new Scope(types ? null : builtins.root);
    this.libraries.set("std", builtins.std);
    this.libraries.set("ieee", builtins.ieee);
    this.libraries.set("work", this.work);
    if (!types) this.root.add(this.work);
  }

  get standard(): StandardTypes {
    if (!this.types) return this.builtins.standard;
    return this.types.value ?? this.types.read!();
  }

  /** A library by name. One that no folder is named after is the design as a whole. */
  library(name: string): LibraryDecl {
    return this.libraries.get(name) ?? this.work;
  }

  /**
   * Files in a folder that has the name of a library which the design uses make up that library; within it, `work` is
   * that one first.
   */
  formLibraries(units: readonly UnitNode[]): void {
    const { sources } = this;
    const used = new Set<string>();
    for (const unit of units)
      for (const item of "context" in unit ? unit.context : [])
        if (item.kind === "library") for (const { id } of item.names) if (!this.libraries.has(id)) used.add(id);
    if (!sources || used.size === 0) return;
    for (const { loc } of units) {
      if (loc.file < 0 || this.folders.has(loc.file)) continue;
      const folders = sources.files[loc.file].name.toLowerCase().split("/").slice(0, -1);
      const name = folders.findLast((folder) => used.has(folder));
      if (!name) continue;
      let library = this.libraries.get(name);
      if (!library) {
        library = { kind: "library", name, loc: libraryLoc, units: new Map() };
        this.libraries.set(name, library);
        const root = new Scope(this.root);
        root.add({ ...library, name: "work" });
        this.roots.set(library, root);
      }
      this.folders.set(loc.file, library);
    }
  }
  private readonly folders = new Map<number, LibraryDecl>();
  private readonly roots = new Map<LibraryDecl, Scope>();

  /** The library that a file belongs to. */
  home(file: number): LibraryDecl {
    return this.folders.get(file) ?? this.work;
  }
  /** What units of a library see first. */
  rootOf(library: LibraryDecl): Scope {
    return this.roots.get(library) ?? this.root;
  }
  /** Adds a unit to its library, and to what the design has as a whole. @returns What the library has of that name. */
  addUnit(library: LibraryDecl, name: string, unit: UnitEntry): UnitEntry | null {
    const old = library.units.get(name);
    if (old && !(library === this.work && this.lent.has(name))) return old;
    library.units.set(name, unit);
    if (library === this.work) this.lent.delete(name);
    else if (!this.work.units.has(name)) {
      this.work.units.set(name, unit);
      this.lent.add(name);
    }
    return null;
  }
  /** Names that the design as a whole has from one of its libraries alone. */
  private readonly lent = new Set<string>();
  /** Units of all libraries of the design. */
  designUnits(): Set<UnitEntry> {
    return new Set([this.work, ...this.roots.keys()].flatMap((library) => [...library.units.values()]));
  }
  isDesign(library: LibraryDecl): boolean {
    return library !== this.builtins.std && library !== this.builtins.ieee;
  }

  unitIn(library: LibraryDecl, name: string): UnitEntry | null {
    const unit = library.units.get(name) ?? (this.isDesign(library) ? this.work.units.get(name) : null) ?? null;
    if (unit && "load" in unit) unit.load?.();
    return unit;
  }

  /** An entity of the design by its name as written, extended names without their backslashes. */
  entity(name: string): EntityDecl | null {
    const unit = this.work.units.get(name.toLowerCase()) ?? this.work.units.get(`\\${name}\\`);
    return unit?.kind === "entity" ? unit : null;
  }

  note(loc: Loc, decl: Decl): void {
    if (this.onUse && loc.file >= 0) this.onUse(loc, decl);
  }

  addArray(type: ArrayType): void {
    const map = this.types ? this.builtins.arrays : this.arrays;
    const list = map.get(type.element.type);
    if (list) list.push(type);
    else map.set(type.element.type, [type]);
  }
  /** Arrays that could be put together from values of these types. */
  arrayTypes(_scope: Scope, types: readonly VType[]): ArrayType[] {
    const list: ArrayType[] = [];
    for (const type of types)
      for (const map of [this.builtins.arrays, this.arrays])
        for (const array of map.get(type) ?? [])
          if (array.indexes.length === 1 && !list.includes(array)) list.push(array);
    return list;
  }

  setAttribute(on: Decl, attribute: AttributeDecl, value: Expr): void {
    let map = this.attributes.get(on);
    if (!map) {
      map = new Map();
      this.attributes.set(on, map);
    }
    map.set(attribute, value);
  }
  attributeOf(on: Decl, attribute: AttributeDecl): Expr | null {
    return this.attributes.get(on)?.get(attribute) ?? null;
  }
  attributesOf(on: Decl): ReadonlyMap<AttributeDecl, Expr> {
    return this.attributes.get(on) ?? new Map();
  }

  /** Positions of the characters among an enumeration's values. */
  charactersOf(type: EnumType): Map<string, number> {
    let map = this.characters.get(type);
    if (!map) {
      map = new Map();
      for (const literal of type.literals) if (literal.name.startsWith("'")) map.set(literal.name[1], literal.pos);
      if (type === this.types?.value?.character || type.literals.length === 256)
        type.literals.forEach((literal, code) => {
          if (!literal.name.startsWith("'")) map!.set(String.fromCharCode(code), literal.pos);
        });
      this.characters.set(type, map);
    }
    return map;
  }

  /** Rows of an array of several dimensions, as aggregates write them. */
  innerArray(type: ArrayType): ArrayType {
    let row = this.inner.get(type);
    if (!row) {
      row = { kind: "array", name: `a row of ${type.name}`, indexes: type.indexes.slice(1), element: type.element };
      this.inner.set(type, row);
    }
    return row;
  }

  typeNamed(scope: Scope, name: string): VType | null {
    const [decl] = scope.lookup(name);
    return decl?.kind === "type" ? decl.subtype.type : null;
  }

  // ---- what could be made visible -------------------------------------------------------------------------------

  private *packages(): Generator<[string, PackageDecl]> {
    for (const library of [this.builtins.ieee, this.builtins.std, this.work, ...this.roots.keys()])
      for (const unit of library.units.values())
        if (unit.kind === "package" && unit.generics.length === 0 && unit.name !== "standard") {
          if (!this.isDesign(library)) unit.load?.();
          // those of a folder go by the folder's name
          if (library !== this.work || unit.library === "work") yield [`${library.name}.${unit.name}`, unit];
        }
  }

  /** A package that declares the name. */
  packageOf(name: string): string | null {
    let home = this.homes.get(name);
    if (home === undefined) {
      home = null;
      for (const [path, unit] of this.packages()) {
        if (!unit.scope.names.has(name)) continue;
        home = path;
        break;
      }
      this.homes.set(name, home);
    }
    return home;
  }
  private readonly homes = new Map<string, string | null>();

  /** A package that is not used here and declares the operator for these operands. */
  operatorHome(
    scope: Scope,
    op: string,
    args: readonly ExprNode[],
    lists: readonly (readonly VType[])[],
    fits: (lists: readonly (readonly VType[])[], sub: Subprogram) => boolean,
  ): string | null {
    for (const [path, unit] of this.packages()) {
      if (scope.isUsing(unit) || /std_logic_(arith|unsigned|signed)$|numeric_std_signed$/.test(path)) continue;
      for (const decl of unit.scope.names.get(`"${op}"`) ?? [])
        if (decl.kind === "sub" && decl.params.length === args.length && fits(lists, decl)) return path;
    }
    return null;
  }
  functionHome(scope: Scope, name: string, fits: (sub: Subprogram) => boolean): string | null {
    for (const [path, unit] of this.packages()) {
      if (scope.isUsing(unit)) continue;
      for (const decl of unit.scope.names.get(name) ?? []) if (decl.kind === "sub" && fits(decl)) return path;
    }
    return null;
  }

  /** Writes a use clause where the design unit around a place has its own, with the library clause if it needs one. */
  useEdit(loc: Loc, home: string): TextEdit | undefined {
    if (!this.sources || loc.file < 0) return undefined;
    let unit = this.unitNodes.find(
      (each) => each.loc.file === loc.file && each.loc.start <= loc.start && loc.start < each.loc.end,
    );
    if (!unit) return undefined;
    if (unit.kind === "architecture" && unit.context.length === 0) {
      const { entity } = unit;
      unit =
        this.unitNodes.find(
          (each) => each.kind === "entity" && each.name.id === entity.id && each.loc.file === loc.file,
        ) ?? unit;
    }
    const context = "context" in unit ? unit.context : [];
    const [library] = home.split(".");
    const knows =
      library === "std" ||
      library === "work" ||
      context.some((item) => item.kind === "library" && item.names.some((name) => name.id === library));
    const last = context[context.length - 1];
    const clause = `${knows ? "" : `library ${library};\n`}use ${home}.all;`;
    const at = last ? last.loc.end : unit.loc.start;
    const { file, line, column } = this.sources.position(loc.file, at);
    return {
      file,
      label: `Add 'use ${home}.all;'`,
      line,
      column,
      endLine: line,
      endColumn: column,
      text: last ? `\n${clause}` : `${clause}\n`,
    };
  }
}
