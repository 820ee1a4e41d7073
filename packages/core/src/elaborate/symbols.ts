import { type SourceFile, SourceSet } from "../common/source.ts";
import type { GenerateBlock, ModuleItem, ModuleNode, StmtNode, TypeNode } from "../hdl/verilog/ast.ts";
import { tokenize } from "../hdl/verilog/lexer.ts";
import { newPreprocessor } from "../hdl/verilog/macros.ts";
import { includedFiles, parseVerilog } from "../hdl/verilog/parser.ts";
import type { Token } from "../hdl/verilog/token.ts";
import { isLibraryFile, libraryWords, withWholeLibrary } from "./part-library.ts";
import { Report } from "./report.ts";
import type { Scope } from "./scope.ts";
import { typeText, unpackedDims } from "./types.ts";
import { describe } from "./verilog/bind-items.ts";
import { Elaboration } from "./verilog/elaboration.ts";

/** Names of a design: where each is declared, what it is, and every place that means it. For editors. */
export type SymbolKind =
  | "module"
  | "interface"
  | "package"
  | "input"
  | "output"
  | "inout"
  | "net"
  | "variable"
  | "parameter"
  | "constant"
  | "type"
  | "function"
  | "task"
  | "instance"
  | "block"
  | "genvar"
  | "signal"
  | "entity"
  | "component"
  | "procedure"
  | "keyword";
export interface Spot {
  readonly file: string;
  /** Offsets in the file's text, from 0; the end is past the last character. */
  readonly start: number;
  readonly end: number;
  /** From 1. */
  readonly line: number;
  readonly column: number;
}
export interface SymbolEntry {
  readonly name: string;
  readonly kind: SymbolKind;
  /** Module or package that holds it; "" for modules themselves. */
  readonly within: string;
  readonly spot: Spot;
  /** Type and width, or value, as elaborated; else the text of the declaration. */
  /** Comes with the part: it cannot be gone to or renamed. */
  readonly isLibrary?: boolean;
  readonly detail: string;
  /** The declaration among them. */
  readonly uses: readonly Spot[];
}

interface Entry {
  readonly name: string;
  readonly kind: SymbolKind;
  readonly within: string;
  readonly loc: { readonly file: number; readonly start: number; readonly end: number };
  readonly module: string | null;
  readonly text: string;
  readonly uses: { file: number; start: number; end: number }[];
}
interface Region {
  readonly file: number;
  readonly start: number;
  readonly end: number;
  readonly names: Map<string, Entry>;
  readonly parent: Region | null;
  readonly children: Region[];
  readonly imports: string[];
  readonly module: string;
}
interface Link {
  readonly file: number;
  readonly start: number;
  readonly end: number;
  readonly module: string;
}

export class SymbolIndex {
  private readonly sources: SourceSet;
  private readonly roots: Region[] = [];
  private readonly units = new Map<string, Entry>();
  private readonly regionOf = new Map<string, Region>();
  private readonly links: Link[] = [];
  private readonly entries: Entry[] = [];
  private readonly bySpot = new Map<string, Entry>();
  private readonly details = new Map<string, string>();

  constructor(files: readonly SourceFile[]) {
    this.sources = new SourceSet(withWholeLibrary(files));
    const syntax = parseVerilog(this.sources);
    const unit: Region = {
      file: -1,
      start: 0,
      end: 0,
      names: new Map(),
      parent: null,
      children: [],
      imports: [],
      module: "",
    };
    this.items(syntax.unitItems, unit);
    for (const module of [...syntax.packages, ...syntax.modules]) {
      const kind = module.kind === "program" ? "module" : module.kind;
      const entry = this.declare(unit, module.name, kind, module.nameLoc, "", null);
      if (entry) this.units.set(module.name, entry);
    }
    for (const module of [...syntax.packages, ...syntax.modules]) this.module(module, unit);
    this.elaborated(syntax);
    this.collectUses(unit);
  }

  private declare(
    region: Region,
    name: string,
    kind: SymbolKind,
    loc: Entry["loc"],
    text: string,
    module: string | null,
  ): Entry | null {
    const known = region.names.get(name);
    if (known) {
      // `output q; reg q;`: one name, two declarations
      return known;
    }
    const entry: Entry = {
      name,
      kind,
      within: region.module,
      loc: { file: loc.file, start: loc.start, end: loc.end },
      module,
      text,
      uses: [],
    };
    region.names.set(name, entry);
    this.entries.push(entry);
    return entry;
  }

  private region(parent: Region, loc: Entry["loc"], module = parent.module): Region {
    const region: Region = {
      file: loc.file,
      start: loc.start,
      end: loc.end,
      names: new Map(),
      parent,
      children: [],
      imports: [],
      module,
    };
    parent.children.push(region);
    return region;
  }

  private module(node: ModuleNode, unit: Region): void {
    const region = this.region(unit, node.loc, node.name);
    this.roots.push(region);
    this.regionOf.set(node.name, region);
    this.items(node.items, region);
  }

  private text(loc: Entry["loc"]): string {
    return this.sources.files[loc.file].text.slice(loc.start, loc.end).replace(/\s+/g, " ").slice(0, 120);
  }

  private typeNames(type: TypeNode, region: Region): void {
    if (type.kind === "enum")
      for (const member of type.members)
        this.declare(region, member.name, "constant", member.loc, this.text(type.loc), null);
  }

  private items(items: readonly ModuleItem[], region: Region): void {
    for (const item of items) {
      switch (item.kind) {
        case "decl": {
          this.typeNames(item.type, region);
          for (const name of item.names) {
            const kind = item.direction === "ref" ? "inout" : (item.direction ?? (item.net ? "net" : "variable"));
            this.declare(region, name.name, kind, name.loc, this.text(item.loc), null);
          }
          break;
        }
        case "param":
          this.declare(
            region,
            item.name,
            item.isType ? "type" : item.local ? "constant" : "parameter",
            item.nameLoc,
            this.text(item.loc),
            null,
          );
          break;
        case "typedef":
          this.typeNames(item.type, region);
          this.declare(region, item.name, "type", item.nameLoc, this.text(item.loc), null);
          break;
        case "genvar":
          for (const name of item.names) this.declare(region, name.name, "genvar", name.loc, this.text(item.loc), null);
          break;
        case "import":
          region.imports.push(item.package);
          break;
        case "instance":
          this.declare(region, item.name, "instance", item.nameLoc, `${item.module} ${item.name}`, item.module);
          this.links.push({ file: item.loc.file, start: item.moduleLoc.start, end: item.loc.end, module: item.module });
          break;
        case "subroutine": {
          this.declare(
            region,
            item.name,
            item.task ? "task" : "function",
            item.nameLoc,
            this.text({ ...item.loc, end: Math.min(item.loc.end, item.loc.start + 120) }),
            null,
          );
          const inner = this.region(region, item.loc);
          this.items(item.args, inner);
          this.items(item.decls, inner);
          for (const stmt of item.body) this.statement(stmt, inner);
          break;
        }
        case "always":
        case "initial":
          this.statement(item.body, region);
          break;
        case "genfor": {
          const inner = this.region(region, item.loc);
          this.block(item.body, inner);
          break;
        }
        case "genif":
          this.block(item.yes, this.region(region, item.yes.loc));
          if (item.no) this.block(item.no, this.region(region, item.no.loc));
          break;
        case "gencase":
          for (const each of item.items) this.block(each.block, this.region(region, each.block.loc));
          if (item.fallback) this.block(item.fallback, this.region(region, item.fallback.loc));
          break;
        case "genblock":
          this.block(item, this.region(region, item.loc));
      }
    }
  }

  private block(block: GenerateBlock, region: Region): void {
    this.items(block.items, region);
  }

  private statement(node: StmtNode, region: Region): void {
    switch (node.kind) {
      case "block": {
        const inner = node.decls.length ? this.region(region, node.loc) : region;
        this.items(node.decls, inner);
        for (const stmt of node.body) this.statement(stmt, inner);
        return;
      }
      case "if":
        this.statement(node.yes, region);
        if (node.no) this.statement(node.no, region);
        return;
      case "case":
        for (const item of node.items) this.statement(item.body, region);
        if (node.fallback) this.statement(node.fallback, region);
        return;
      case "for": {
        const inner = node.decls.length ? this.region(region, node.loc) : region;
        this.items(node.decls, inner);
        this.statement(node.body, inner);
        return;
      }
      case "foreach": {
        const inner = this.region(region, node.loc);
        for (const name of node.names) if (name) this.declare(inner, name.name, "variable", name.loc, "int", null);
        this.statement(node.body, inner);
        return;
      }
      case "while":
      case "dowhile":
      case "repeat":
      case "forever":
        this.statement(node.body, region);
        return;
      case "event":
      case "delay":
      case "wait":
        if (node.body) this.statement(node.body, region);
    }
  }

  /** Types, widths and values, from the design as elaborated from each module that nothing instantiates. */
  private elaborated(syntax: ReturnType<typeof parseVerilog>): void {
    const used = new Set(this.links.map((link) => link.module));
    for (const module of syntax.modules) {
      if (used.has(module.name) || module.kind === "interface") continue;
      const elaboration = new Elaboration(syntax, new Report(this.sources));
      const design = elaboration.design(module);
      if (!design) continue;
      for (const signal of design.signals) {
        const { element } = unpackedDims(signal.type);
        const bits = element.kind === "integral" ? `, ${signal.width} bit${signal.width === 1 ? "" : "s"}` : "";
        this.note(signal.loc, `${typeText(signal.type)}${bits}`);
      }
      const scopes: Scope[] = [];
      const walk = (instance: typeof design.top) => {
        scopes.push(elaboration.scopeOf(instance));
        instance.children.forEach(walk);
      };
      walk(design.top);
      for (const scope of scopes) {
        for (const [, meaning] of scope.entries())
          if (meaning.kind === "constant") this.note(meaning.loc, `= ${describe(meaning.constant)}`);
      }
    }
  }

  /** Instances may differ: up to three values are told. */
  private note(loc: Entry["loc"], detail: string): void {
    const key = `${loc.file}:${loc.start}`;
    const known = this.details.get(key);
    if (known === undefined) this.details.set(key, detail);
    else if (known !== detail && !known.split(" or ").includes(detail) && known.split(" or ").length < 3)
      this.details.set(key, `${known} or ${detail}`);
  }

  private regionAt(file: number, offset: number): Region | null {
    let found: Region | null = null;
    let list = this.roots;
    for (;;) {
      const inner: Region | undefined = list.find(
        (region) => region.file === file && offset >= region.start && offset < region.end,
      );
      if (!inner) return found;
      found = inner;
      list = inner.children;
    }
  }

  private lookUp(region: Region | null, name: string, unit: Region): Entry | null {
    for (let at = region; at; at = at.parent) {
      const entry = at.names.get(name);
      if (entry) return entry;
      for (const pack of at.imports) {
        const imported = this.regionOf.get(pack)?.names.get(name);
        if (imported) return imported;
      }
    }
    return unit.names.get(name) ?? null;
  }

  private collectUses(unit: Region): void {
    const skipped = includedFiles(this.sources);
    const pre = newPreprocessor();
    this.links.sort((a, b) => a.end - a.start - (b.end - b.start)); // the innermost instance first
    this.sources.files.forEach((source, file) => {
      if (skipped.has(file)) return;
      const { tokens } = tokenize(this.sources, file, pre, []);
      const links = this.links.filter((link) => link.file === file);
      tokens.forEach((token, i) => {
        if (token.kind !== "name" || token.file !== file) return;
        if (source.text.slice(token.start, token.end).replace(/^\\/, "") !== token.text) return; // out of a macro
        const entry = this.meaning(tokens, i, file, links, unit);
        if (!entry) return;
        entry.uses.push({ file, start: token.start, end: token.end });
        this.bySpot.set(`${file}:${token.start}`, entry);
      });
    });
  }

  private meaning(
    tokens: readonly Token[],
    i: number,
    file: number,
    links: readonly Link[],
    unit: Region,
  ): Entry | null {
    const token = tokens[i];
    const before = tokens[i - 1];
    const region = this.regionAt(file, token.start);
    if (before?.kind === "op" && before.text === "::")
      return this.regionOf.get(tokens[i - 2]?.text ?? "")?.names.get(token.text) ?? null;
    if (before?.kind !== "op" || before.text !== ".") return this.lookUp(region, token.text, unit);
    const lead = tokens[i - 2];
    if (lead?.kind === "op" && (lead.text === "(" || lead.text === ",")) {
      // `.port(net)` of an instance
      const link = links.find((each) => token.start >= each.start && token.end <= each.end);
      return link ? (this.regionOf.get(link.module)?.names.get(token.text) ?? null) : null;
    }
    if (lead?.kind === "name") {
      const base = this.bySpot.get(`${file}:${lead.start}`);
      const target = base?.module ?? (base?.kind === "module" ? base.name : null);
      if (target) return this.regionOf.get(target)?.names.get(token.text) ?? null;
    }
    return null;
  }

  private spot({ file, start, end }: Entry["loc"]): Spot {
    const { line, column } = this.sources.position(file, start);
    return { file: this.sources.files[file].name, start, end, line, column };
  }

  private shown(entry: Entry): SymbolEntry {
    const isInLibrary = (loc: { readonly file: number }) => isLibraryFile(this.sources.files[loc.file].name);
    const words = entry.kind === "module" && isInLibrary(entry.loc) ? libraryWords(entry.name) : entry.text;
    return {
      name: entry.name,
      kind: entry.kind,
      within: entry.within,
      spot: this.spot(entry.loc),
      isLibrary: isInLibrary(entry.loc),
      detail: this.details.get(`${entry.loc.file}:${entry.loc.start}`) ?? words,
      uses: entry.uses.filter((use) => !isInLibrary(use)).map((use) => this.spot(use)),
    };
  }

  /** The name at an offset of a file, or null. */
  at(fileName: string, offset: number): SymbolEntry | null {
    const file = this.sources.files.findIndex((each) => each.name === fileName);
    if (file < 0) return null;
    const { text } = this.sources.files[file];
    let start = offset;
    while (start > 0 && /[\w$]/.test(text[start - 1])) start--;
    const entry = this.bySpot.get(`${file}:${start}`) ?? this.bySpot.get(`${file}:${start - 1}`);
    return entry ? this.shown(entry) : null;
  }

  /** Names that may stand at an offset: those in sight, or the ports and parameters behind the dot of an instance. */
  complete(fileName: string, offset: number): SymbolEntry[] {
    const file = this.sources.files.findIndex((each) => each.name === fileName);
    if (file < 0) return [];
    const { text } = this.sources.files[file];
    let start = offset;
    while (start > 0 && /[\w$]/.test(text[start - 1])) start--;
    if (text[start - 1] === ".") {
      const link = this.links.find((each) => each.file === file && start >= each.start && start <= each.end + 1);
      const lead = /([\w$]+)\.$/.exec(text.slice(0, start))?.[1];
      const base = lead ? this.lookUp(this.regionAt(file, start), lead, this.unitRegion()) : null;
      const module = base?.module ?? link?.module;
      const names = module ? this.regionOf.get(module)?.names.values() : undefined;
      const wanted = base
        ? [...(names ?? [])]
        : [...(names ?? [])].filter((entry) => /^(input|output|inout|parameter)$/.test(entry.kind));
      return wanted.map((entry) => this.shown(entry));
    }
    const found = new Map<string, Entry>();
    for (let region = this.regionAt(file, start); region; region = region.parent) {
      for (const [name, entry] of region.names) if (!found.has(name)) found.set(name, entry);
      for (const pack of region.imports)
        for (const [name, entry] of this.regionOf.get(pack)?.names ?? []) if (!found.has(name)) found.set(name, entry);
    }
    for (const [name, entry] of this.units) if (!found.has(name)) found.set(name, entry);
    return [...found.values()].map((entry) => ({ ...this.shown(entry), uses: [] }));
  }

  private unitRegion(): Region {
    let region = this.roots[0];
    while (region.parent) region = region.parent;
    return region;
  }

  /** Text of an instance of a module, with all its parameters and ports. */
  instanceTemplate(module: string): string | null {
    const region = this.regionOf.get(module);
    if (!region) return null;
    const entries = [...region.names.values()];
    const params = entries.filter((entry) => entry.kind === "parameter");
    const ports = entries.filter((entry) => /^(input|output|inout)$/.test(entry.kind));
    const list = (names: readonly Entry[]) => names.map((entry) => `  .${entry.name}(${entry.name})`).join(",\n");
    const head = params.length ? `${module} #(\n${list(params)}\n) ${module}_1 (` : `${module} ${module}_1 (`;
    return `${head}\n${list(ports)}\n);\n`;
  }
}
