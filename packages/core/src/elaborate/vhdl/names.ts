import { type Loc, type SourceFile, SourceSet } from "../../common/source.ts";
import { parseVerilog } from "../../hdl/verilog/index.ts";
import type { UnitNode } from "../../hdl/vhdl/ast.ts";
import { parseVhdl } from "../../hdl/vhdl/index.ts";
import { reservedWords } from "../../hdl/vhdl/token.ts";
import type { Spot, SymbolEntry, SymbolKind } from "../editor/symbols.ts";
import { Report } from "../report.ts";
import { analyzeUnits, loadAll } from "./bind/bind-unit.ts";
import type { Decl, PackageDecl } from "./bound.ts";
import type { World } from "./world.ts";

/** Names of the VHDL files of a design, for editors: what each means, where it is declared, and who uses it. */
export class VhdlNames {
  private readonly sources: SourceSet;
  private readonly world: World;
  private readonly units: readonly UnitNode[];
  /** [file] Uses in the order of the text. */
  private readonly byFile: { readonly start: number; readonly end: number; readonly decl: Decl }[][] = [];
  private readonly usesOf = new Map<Decl, Loc[]>();

  constructor(files: readonly SourceFile[]) {
    this.sources = new SourceSet(files);
    this.units = parseVhdl(this.sources).units;
    const seen = new Map<string, Decl>();
    const names = parseVerilog(this.sources).modules.map((module) => module.name);
    const foreign = {
      find: (name: string) => names.find((each) => each.toLowerCase() === name.toLowerCase()) ?? null,
      names,
    };
    this.world = analyzeUnits(this.units, new Report(this.sources), foreign, (loc, decl) => {
      seen.set(`${loc.file}:${loc.start}:${loc.end}`, decl);
    });
    loadAll(this.world);
    for (const [key, decl] of seen) {
      const [file, start, end] = key.split(":").map(Number);
      this.add({ file, start, end }, decl);
    }
    for (const list of this.byFile) list?.sort((x, y) => x.start - y.start || x.end - y.end);
    for (const list of this.usesOf.values()) list.sort((x, y) => x.file - y.file || x.start - y.start);
  }

  private add(loc: Loc, decl: Decl): void {
    this.byFile[loc.file] ??= [];
    this.byFile[loc.file].push({ start: loc.start, end: loc.end, decl });
    const list = this.usesOf.get(decl);
    if (list) list.push(loc);
    else this.usesOf.set(decl, [loc]);
  }

  private spot({ file, start, end }: Loc): Spot {
    const { file: name, line, column } = this.sources.position(file, start);
    return { file: name, start, end, line, column };
  }

  private unitAt(loc: Loc): UnitNode | undefined {
    return this.units.find(
      (unit) => unit.loc.file === loc.file && unit.loc.start <= loc.start && loc.end <= unit.loc.end,
    );
  }

  private entry(decl: Decl, use: Loc): SymbolEntry {
    const own = decl.loc.file >= 0 ? decl.loc : null;
    const unit = own && this.unitAt(own);
    const isUnit =
      decl.kind === "entity" ||
      decl.kind === "package" ||
      decl.kind === "configuration" ||
      decl.kind === "architecture";
    return {
      name: own ? this.sources.text(own) : decl.name.replaceAll('"', ""),
      kind: kindOf(decl),
      within: isUnit || !unit ? (own ? "" : libraryOf(decl)) : unit.name.id,
      spot: this.spot(own ?? use),
      detail: detailOf(decl),
      uses: (this.usesOf.get(decl) ?? []).map((loc) => this.spot(loc)),
    };
  }

  /** What the name at an offset means; null where there is none. */
  at(fileName: string, offset: number): SymbolEntry | null {
    const file = this.sources.files.findIndex((each) => each.name === fileName);
    const found = (this.byFile[file] ?? []).filter((use) => use.start <= offset && offset <= use.end);
    // the innermost: names within a selected name are shorter
    const use = found.sort((x, y) => x.end - x.start - (y.end - y.start))[0];
    return use ? this.entry(use.decl, { file, start: use.start, end: use.end }) : null;
  }

  /** Names that may be written at an offset, those of the own unit first. */
  complete(fileName: string, offset: number): SymbolEntry[] {
    const file = this.sources.files.findIndex((each) => each.name === fileName);
    const here: Loc = { file, start: offset, end: offset };
    const unit = this.unitAt(here);
    const entityName = unit?.kind === "architecture" ? unit.entity.id : unit?.kind === "entity" ? unit.name.id : null;
    const list = new Map<string, SymbolEntry>();
    const put = (decl: Decl) => {
      const entry = this.entry(decl, here);
      if (/^\w+$/.test(entry.name) && !list.has(entry.name.toLowerCase()))
        list.set(entry.name.toLowerCase(), { ...entry, uses: [] });
    };
    for (const decl of this.usesOf.keys()) {
      if (decl.loc.file < 0) continue;
      const home = this.unitAt(decl.loc);
      if (!home) continue;
      const isHere = home === unit || (home.kind === "entity" && home.name.id === entityName);
      if (isHere || home.kind === "package") put(decl);
    }
    for (const each of this.world.designUnits()) put(each);
    const context = (unit && "context" in unit ? unit.context : []).concat(
      ...this.units.flatMap((each) => (each.kind === "entity" && each.name.id === entityName ? [each.context] : [])),
    );
    for (const item of context)
      if (item.kind === "use")
        for (const name of item.names) {
          const pack = name.kind === "deref" ? name.of : name;
          if (pack.kind !== "select" || pack.of.kind !== "name") continue;
          const found = this.world.unitIn(this.world.library(pack.of.id), pack.name.id);
          if (found?.kind === "package") for (const decls of (found as PackageDecl).scope.names.values()) put(decls[0]);
        }
    const { work } = this.world;
    for (const decls of this.world.builtins.std.units.values())
      if (decls.kind === "package" && decls.name === "standard")
        for (const each of decls.scope.names.values()) put(each[0]);
    for (const word of reservedWords)
      if (!list.has(word))
        list.set(word, { name: word, kind: "keyword", within: work.name, spot: this.spot(here), detail: "", uses: [] });
    return [...list.values()];
  }
}

function libraryOf(decl: Decl): string {
  if (decl.kind === "sub") return decl.home?.name ?? "ieee";
  return "a library";
}

function kindOf(decl: Decl): SymbolKind {
  switch (decl.kind) {
    case "signal":
      return decl.role === "port"
        ? decl.mode === "in"
          ? "input"
          : decl.mode === "inout"
            ? "inout"
            : "output"
        : "signal";
    case "constant":
      return decl.role === "generic" ? "parameter" : "constant";
    case "sub":
      return decl.isFunction ? "function" : "procedure";
    case "literal":
    case "unit":
      return "constant";
    case "alias":
    case "file":
      return "variable";
    case "label":
      return "block";
    case "library":
    case "context":
      return "package";
    case "architecture":
      return "entity";
    case "configuration":
      return "entity";
    case "attribute":
      return "type";
    default:
      return decl.kind;
  }
}

function detailOf(decl: Decl): string {
  switch (decl.kind) {
    case "signal":
    case "constant":
    case "variable":
    case "file":
    case "alias":
      return `${decl.subtype.name}${decl.kind === "signal" && decl.mode ? `, ${decl.mode}` : ""}`;
    case "literal":
      return `value ${decl.pos} of ${decl.type.name}`;
    case "sub":
      return `(${decl.params.map((param) => `${param.name} : ${param.subtype.name}`).join("; ")})${decl.result ? ` return ${decl.result.name}` : ""}`;
    case "type": {
      const { type } = decl.subtype;
      if (type.kind === "enum")
        return `(${type.literals
          .slice(0, 12)
          .map((each) => each.name)
          .join(", ")}${type.literals.length > 12 ? ", ..." : ""})`;
      if (type.kind === "record")
        return `record ${type.fields.map((field) => `${field.name} : ${field.subtype.name}`).join("; ")}`;
      return decl.subtype.parent?.name ?? type.kind;
    }
    case "entity":
      return `(${decl.ports.map((port) => `${port.name} : ${port.mode} ${port.subtype.name}`).join("; ")})`;
    case "component":
      return `(${decl.ports.map((port) => `${port.name} : ${port.mode} ${port.subtype.name}`).join("; ")})`;
    default:
      return "";
  }
}
