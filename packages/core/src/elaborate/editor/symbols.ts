import { type SourceFile, SourceSet } from "../../common/source.ts";
import type {
  ClassItem,
  GenerateBlock,
  ModuleItem,
  ModuleNode,
  StmtNode,
  SubroutineItem,
  TypeNode,
} from "../../hdl/verilog/ast.ts";
import { tokenize } from "../../hdl/verilog/lexer.ts";
import { newPreprocessor } from "../../hdl/verilog/macros.ts";
import { includedFiles, parseVerilog } from "../../hdl/verilog/parser.ts";
import type { Token } from "../../hdl/verilog/token.ts";
import { isLibraryFile, libraryWords, withWholeLibrary } from "../part-library.ts";
import { Report } from "../report.ts";
import type { Scope } from "../scope.ts";
import { typeText, unpackedDims } from "../types.ts";
import { describe } from "../verilog/bind-items.ts";
import { Elaboration } from "../verilog/elaboration.ts";

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
  | "class"
  | "member"
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
  /** Behind a dot the name stands in places where it is not told what has it: some of them may mean this one. */
  readonly mayHaveMore?: boolean;
}

interface Entry {
  readonly name: string;
  readonly kind: SymbolKind;
  readonly within: string;
  readonly loc: { readonly file: number; readonly start: number; readonly end: number };
  readonly module: string | null;
  readonly text: string;
  /** Where it is declared. */
  readonly region: Region;
  /** What it is a variable or another name of, to be looked up from there. */
  typeName: { readonly scope: string | null; readonly name: string } | null;
  /** Of a class, a struct, or a variable of a struct without a name: what may stand behind its dot. */
  members: Region | null;
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
  /** Of a class: the one that it extends. Of a method's body outside of its class: that class. */
  base: { readonly scope: string | null; readonly name: string } | null;
  readonly isClass: boolean;
}
interface Link {
  readonly file: number;
  readonly start: number;
  readonly end: number;
  readonly module: string;
}

export class SymbolIndex {
  private readonly sources: SourceSet;
  private readonly unit: Region;
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
      base: null,
      isClass: false,
    };
    this.unit = unit;
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
      region,
      typeName: null,
      members: null,
      uses: [],
    };
    region.names.set(name, entry);
    this.entries.push(entry);
    return entry;
  }

  private region(parent: Region, loc: Entry["loc"], module = parent.module, isClass = false): Region {
    const region: Region = {
      file: loc.file,
      start: loc.start,
      end: loc.end,
      names: new Map(),
      parent,
      children: [],
      imports: [],
      module,
      base: null,
      isClass,
    };
    parent.children.push(region);
    return region;
  }

  private module(node: ModuleNode, unit: Region): void {
    const region = this.region(unit, node.loc, node.name);
    this.regionOf.set(node.name, region);
    this.items(node.items, region);
  }

  private text(loc: Entry["loc"]): string {
    return this.sources.files[loc.file].text.slice(loc.start, loc.end).replace(/\s+/g, " ").slice(0, 120);
  }

  /** Names that a type brings with it. @returns What may stand behind the dot of such a value. */
  private typeNames(type: TypeNode, region: Region): Pick<Entry, "typeName" | "members"> {
    if (type.kind === "named") return { typeName: { scope: type.scope, name: type.name }, members: null };
    if (type.kind === "struct") {
      const inner = this.region(region, type.loc);
      for (const member of type.members)
        this.names(member.names, member.type, "member", this.text(type.loc), inner, inner);
      return { typeName: null, members: inner };
    }
    if (type.kind === "enum")
      for (const member of type.members)
        this.declare(region, member.name, "constant", member.loc, this.text(type.loc), null);
    return { typeName: null, members: null };
  }

  private names(
    list: readonly { readonly name: string; readonly loc: Entry["loc"] }[],
    type: TypeNode,
    kind: SymbolKind,
    text: string,
    region: Region,
    types = region,
  ): void {
    const behind = this.typeNames(type, types);
    for (const { name, loc } of list) {
      const entry = this.declare(region, name, kind, loc, text, type.kind === "virtual" ? type.name : null);
      if (entry && !entry.members && !entry.typeName) Object.assign(entry, behind);
    }
  }

  private subroutine(item: SubroutineItem, region: Region, loc: Entry["loc"]): void {
    if (!item.of)
      this.declare(
        region,
        item.name,
        item.task ? "task" : "function",
        item.nameLoc,
        this.text({ ...loc, end: Math.min(loc.end, loc.start + 120) }),
        null,
      );
    const inner = this.region(region, loc);
    if (item.of) inner.base = { scope: null, name: item.of.name };
    this.items(item.args, inner);
    this.items(item.decls, inner);
    for (const stmt of item.body) this.statement(stmt, inner);
  }

  private class(item: ClassItem, region: Region): void {
    const entry = this.declare(region, item.name, "class", item.nameLoc, `class ${item.name}`, null);
    const inner = this.region(region, item.loc, region.module, true);
    inner.base = item.base && { scope: item.base.scope, name: item.base.name };
    if (entry) entry.members = inner;
    this.items(item.params, inner);
    for (const member of item.items) {
      if (member.kind === "property") {
        const { decl } = member;
        this.names(decl.names, decl.type, "member", this.text(member.loc), inner);
      } else if (member.kind === "method") this.subroutine(member.node, inner, member.loc);
      else if (member.kind === "class") this.class(member, inner);
      else this.items([member], inner);
    }
  }

  private items(items: readonly ModuleItem[], region: Region): void {
    for (const item of items) {
      switch (item.kind) {
        case "decl": {
          const kind = item.direction === "ref" ? "inout" : (item.direction ?? (item.net ? "net" : "variable"));
          this.names(item.names, item.type, kind, this.text(item.loc), region);
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
          this.names([{ name: item.name, loc: item.nameLoc }], item.type, "type", this.text(item.loc), region);
          break;
        case "class":
          this.class(item, region);
          break;
        case "let":
        case "assertiondecl": {
          this.declare(region, item.name, "function", item.nameLoc, this.text(item.loc), null);
          const inner = this.region(region, item.loc);
          for (const arg of item.args) this.declare(inner, arg.name, "input", arg.loc, this.text(item.loc), null);
          break;
        }
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
        case "subroutine":
          this.subroutine(item, region, item.loc);
          break;
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
    let list: readonly Region[] = this.unit.children;
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
      const entry = at.names.get(name) ?? (at.base ? this.member(at, name) : undefined);
      if (entry) return entry;
      for (const pack of at.imports) {
        const imported = this.regionOf.get(pack)?.names.get(name);
        if (imported) return imported;
      }
    }
    return unit.names.get(name) ?? null;
  }

  /** A name of a class or struct, or of a class that it extends. */
  private member(region: Region, name: string, depth = 0): Entry | null {
    const own = region.names.get(name);
    if (own || !region.base || depth > 40) return own ?? null;
    const base = this.typeOf(region.base, region.parent);
    return base?.members && base.members !== region ? this.member(base.members, name, depth + 1) : null;
  }

  private typeOf(type: { readonly scope: string | null; readonly name: string }, from: Region | null): Entry | null {
    if (type.scope === null) return this.lookUp(from, type.name, this.unit);
    const scope = this.regionOf.get(type.scope) ?? this.lookUp(from, type.scope, this.unit)?.members;
    return scope?.names.get(type.name) ?? null;
  }

  /** What may stand behind the dot of a variable; null where that is not known. */
  private membersOf(entry: Entry | null | undefined, depth = 0): Region | null {
    if (!entry || depth > 20) return null;
    if (entry.members) return entry.members;
    const { typeName, region } = entry;
    return typeName && this.membersOf(this.typeOf(typeName, region), depth + 1);
  }

  /** Names behind dots whose owner is not known. */
  private readonly openNames = new Set<string>();

  private collectUses(unit: Region): void {
    const skipped = includedFiles(this.sources);
    const pre = newPreprocessor();
    this.links.sort((a, b) => a.end - a.start - (b.end - b.start)); // the innermost instance first
    this.sources.files.forEach((source, file) => {
      if (skipped.has(file)) return;
      const { tokens } = tokenize(this.sources, file, pre, []);
      const links = this.links.filter((link) => link.file === file);
      const brackets: string[] = [];
      tokens.forEach((token, i) => {
        if (token.kind === "op" && /^('?\{|\(|\[)$/.test(token.text)) brackets.push(token.text);
        else if (token.kind === "op" && /^[})\]]$/.test(token.text)) brackets.pop();
        if (token.kind !== "name" || token.file !== file) return;
        if (source.text.slice(token.start, token.end).replace(/^\\/, "") !== token.text) return; // out of a macro
        let entry = this.meaning(tokens, i, file, links, unit);
        // the key of a pattern names a member, of a struct that is not known here, or a constant
        const isKey =
          brackets.at(-1) === "'{" && tokens[i + 1]?.text === ":" && /^('\{|,)$/.test(tokens[i - 1]?.text ?? "");
        if (isKey && !/^(constant|parameter|type)$/.test(entry?.kind ?? "")) entry = null;
        if (!entry && (isKey || tokens[i - 1]?.text === ".")) this.openNames.add(token.text);
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
      return this.scoped(tokens[i - 2]?.text ?? "", region, token.text, unit);
    if (before?.kind !== "op" || before.text !== ".") return this.lookUp(region, token.text, unit);
    const lead = tokens[i - 2];
    if (lead?.kind === "op" && (lead.text === "(" || lead.text === ",")) {
      // `.port(net)` of an instance
      const link = links.find((each) => token.start >= each.start && token.end <= each.end);
      return link ? (this.regionOf.get(link.module)?.names.get(token.text) ?? null) : null;
    }
    if (lead?.text === "this" || lead?.text === "super") {
      let around = region;
      while (around && !around.isClass && !around.base) around = around.parent;
      if (!around) return null;
      const own = lead.text === "this" || !around.isClass ? around : null;
      if (own) return this.member(own, token.text);
      return around.base ? this.memberBehind(this.typeOf(around.base, around.parent), token.text) : null;
    }
    const base = this.bySpot.get(`${file}:${this.ownerOf(tokens, i - 2)?.start}`);
    const target = this.moduleOf(base);
    if (target) return this.regionOf.get(target)?.names.get(token.text) ?? null;
    return this.memberBehind(base, token.text);
  }

  /** The module of an instance, or the interface of a handle. */
  private moduleOf(entry: Entry | null | undefined, depth = 0): string | null {
    if (!entry || depth > 20) return null;
    if (entry.module !== null || entry.kind === "module") return entry.module ?? entry.name;
    return entry.typeName && this.moduleOf(this.typeOf(entry.typeName, entry.region), depth + 1);
  }

  private memberBehind(entry: Entry | null | undefined, name: string): Entry | null {
    const members = this.membersOf(entry);
    return members && this.member(members, name);
  }

  /** `pack::name`, or a static member of a class. */
  private scoped(scope: string, region: Region | null, name: string, unit: Region): Entry | null {
    const pack = this.regionOf.get(scope);
    return pack ? (pack.names.get(name) ?? null) : this.memberBehind(this.lookUp(region, scope, unit), name);
  }

  /** The name before a dot, with its subscripts passed over. */
  private ownerOf(tokens: readonly Token[], at: number): Token | null {
    let nesting = 0;
    for (let i = at; i >= 0 && at - i < 400; i--) {
      const { kind, text } = tokens[i];
      if (kind === "op" && text === "]") nesting++;
      else if (kind === "op" && text === "[") nesting--;
      else if (nesting === 0) return kind === "name" ? tokens[i] : null;
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
      ...(this.openNames.has(entry.name) && (entry.kind === "member" || entry.region.isClass)
        ? { mayHaveMore: true }
        : {}),
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
      const base = lead ? this.lookUp(this.regionAt(file, start), lead, this.unit) : null;
      const members = this.membersOf(base);
      if (members) {
        const found = new Map<string, Entry>();
        for (let at: Region | null = members, depth = 0; at && depth < 40; depth++) {
          for (const [name, entry] of at.names) if (!found.has(name)) found.set(name, entry);
          at = at.base && (this.typeOf(at.base, at.parent)?.members ?? null);
        }
        return [...found.values()].map((entry) => ({ ...this.shown(entry), uses: [] }));
      }
      const module = this.moduleOf(base) ?? link?.module;
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
