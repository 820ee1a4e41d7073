import type { Finding } from "../common/finding.ts";
import type { SourceSet } from "../common/source.ts";
import type { ModuleItem, ModuleNode } from "../hdl/verilog/ast.ts";
import { parseVerilog, type VerilogSyntax } from "../hdl/verilog/index.ts";
import type { ConcurrentNode, EntityNode, ExprNode, UnitNode } from "../hdl/vhdl/ast.ts";
import { parseVhdl } from "../hdl/vhdl/index.ts";
import { isLibraryFile } from "./part-library.ts";

/** Syntax of a whole design, in both languages. */
interface DesignSyntax {
  readonly verilog: VerilogSyntax;
  readonly vhdl: readonly UnitNode[];
  readonly findings: Finding[];
  /** True for a file of the part's library, whose modules nobody chooses. */
  isLibrary(file: number): boolean;
}

export function parseDesign(sources: SourceSet, tell?: (file: string) => void): DesignSyntax {
  const verilog = parseVerilog(sources, undefined, tell);
  const vhdl = parseVhdl(sources, tell);
  return {
    verilog,
    vhdl: vhdl.units,
    findings: [...verilog.findings, ...vhdl.findings],
    isLibrary: (file) => isLibraryFile(sources.files[file].name),
  };
}

/** What the sources hold, told from the text alone. Entities are called modules here, as Verilog's are. */
export interface ModuleList {
  /** In the order of the files; interfaces and packages are not among them. */
  readonly modules: readonly string[];
  /** Modules without ports that nothing instantiates: they are run, never built. */
  readonly testBenches: readonly string[];
}

/** A module or entity as the choice of a top sees it. */
export interface DesignUnit {
  readonly name: string;
  readonly file: number;
  readonly isVhdl: boolean;
  readonly ports: number;
  /** Has behaviour of its own. */
  readonly behaves: boolean;
  /** Names of what it instantiates, as written; those of VHDL in lower case. */
  readonly uses: readonly string[];
}

export function designUnits(syntax: DesignSyntax): DesignUnit[] {
  const list: DesignUnit[] = [];
  for (const module of syntax.verilog.modules)
    if (module.kind !== "interface" && !syntax.isLibrary(module.nameLoc.file))
      list.push({
        name: module.name,
        file: module.nameLoc.file,
        isVhdl: false,
        ports: module.ports.length,
        behaves: behaves(module),
        uses: instantiated(module.items),
      });
  const entities = syntax.vhdl.filter((unit): unit is EntityNode => unit.kind === "entity");
  for (const entity of entities) {
    const bodies = syntax.vhdl.flatMap((unit) =>
      unit.kind === "architecture" && unit.entity.id === entity.name.id ? [unit] : [],
    );
    const stmts = bodies.flatMap((body) => body.stmts);
    list.push({
      name: shownName(entity),
      file: entity.loc.file,
      isVhdl: true,
      ports: entity.ports.length,
      behaves: stmts.length > 0,
      uses: vhdlInstances(stmts),
    });
  }
  return list.sort((a, b) => a.file - b.file);
}
function shownName(entity: EntityNode): string {
  const { id } = entity.name;
  return id.startsWith("\\") ? id.slice(1, -1) : id;
}

/** VHDL does not tell upper from lower case. */
export const sameUnit = (name: string, unit: DesignUnit): boolean =>
  unit.name === name || (unit.isVhdl && unit.name.toLowerCase() === name.toLowerCase());

export function listModules(syntax: DesignSyntax): ModuleList {
  const units = designUnits(syntax);
  const used = new Set(units.flatMap((unit) => unit.uses.map((name) => name.toLowerCase())));
  return {
    modules: [...new Set(units.map((unit) => unit.name))],
    testBenches: units
      .filter((unit) => unit.ports === 0 && !used.has(unit.name.toLowerCase()) && unit.behaves)
      .map((unit) => unit.name),
  };
}

/** Names of entities and components that statements instantiate, at any depth of blocks. */
function vhdlInstances(stmts: readonly ConcurrentNode[]): string[] {
  return stmts.flatMap((stmt): string[] => {
    switch (stmt.kind) {
      case "instance":
        return [lastName(stmt.name)];
      case "block":
        return vhdlInstances(stmt.stmts);
      case "forgenerate":
        return vhdlInstances(stmt.body.stmts);
      case "ifgenerate":
      case "casegenerate":
        return stmt.branches.flatMap((branch) => vhdlInstances(branch.body.stmts));
      default:
        return [];
    }
  });
}
function lastName(node: ExprNode): string {
  return node.kind === "select" ? node.name.id : node.kind === "name" ? node.id : "";
}

/** Without ports a module can only be a test bench, if it does anything at all. */
function behaves(module: ModuleNode): boolean {
  const some = (items: readonly ModuleItem[]): boolean =>
    items.some((item) => {
      if (item.kind === "initial" || item.kind === "always" || item.kind === "instance") return true;
      if (item.kind === "genfor") return some(item.body.items);
      if (item.kind === "genif") return some(item.yes.items) || (item.no !== null && some(item.no.items));
      if (item.kind === "gencase")
        return (
          item.items.some((each) => some(each.block.items)) || (item.fallback !== null && some(item.fallback.items))
        );
      return item.kind === "genblock" && some(item.items);
    });
  return some(module.items);
}

/** All modules that an item list instantiates, at any depth of generate blocks. */
export function instantiated(items: readonly ModuleItem[]): string[] {
  return items.flatMap((item) => {
    switch (item.kind) {
      case "instance":
        return [item.module];
      case "genfor":
        return instantiated(item.body.items);
      case "genif":
        return [...instantiated(item.yes.items), ...(item.no ? instantiated(item.no.items) : [])];
      case "gencase":
        return [
          ...item.items.flatMap((each) => instantiated(each.block.items)),
          ...(item.fallback ? instantiated(item.fallback.items) : []),
        ];
      case "genblock":
        return instantiated(item.items);
      default:
        return [];
    }
  });
}
