import type { Loc } from "../../../common/source.ts";
import type {
  DeclNode,
  ExprNode,
  GenericNode,
  InterfaceNode,
  StmtNode,
  SubprogramSpec,
  TypeDefinition,
} from "../../../hdl/vhdl/ast.ts";
import type {
  BoundDecl,
  ConstantDecl,
  Decl,
  EnumLiteral,
  Expr,
  FileDecl,
  PackageDecl,
  ParamDecl,
  SignalDecl,
  Stmt,
  Subprogram,
  TypeDecl,
  VariableDecl,
} from "../bound.ts";
import { Scope, sameSignature } from "../scope.ts";
import {
  type AccessType,
  type ArrayType,
  type EnumType,
  errorType,
  type ProtectedType,
  type RecordType,
  type Subtype,
  subtypeOf,
  type VType,
} from "../types.ts";
import { ExprBinder } from "./bind-expr.ts";

/** Value of an expression of literals alone, for ranges of types; null if it is none. */
function literalValue(expr: Expr): number | null {
  switch (expr.op) {
    case "literal":
      return expr.value;
    case "builtin": {
      const args = expr.args.map(literalValue);
      if (args.some((arg) => arg === null)) return null;
      const [a, b] = args as number[];
      switch (expr.name) {
        case "neg":
          return -a;
        case "plus":
          return a;
        case "+":
          return a + b;
        case "-":
          return a - b;
        case "*":
          return a * b;
        case "/":
          return b === 0 ? null : expr.type.kind === "real" ? a / b : Math.trunc(a / b);
        case "**":
          return a ** b;
        default:
          return null;
      }
    }
    case "attribute": {
      const { subtype, name } = expr;
      if (!subtype || expr.arg) return null;
      const { type } = subtype;
      if (type.kind !== "int" && type.kind !== "real") return null;
      if (subtype.constraint) return null;
      return name === "high" || (name === "right" && !(type.kind === "int" && type.descending)) ? type.high : type.low;
    }
    case "object":
      return expr.decl.kind === "constant" && expr.decl.init ? literalValue(expr.decl.init) : null;
    case "convert":
    case "qualified":
      return literalValue(expr.arg);
    default:
      return null;
  }
}

/** Declarations (clause 6) and what they make visible. */
export abstract class DeclBinder extends ExprBinder {
  /** Of the package that is being read. */
  protected home: PackageDecl | null = null;
  /** Within an architecture, process or subprogram. */
  protected nested = false;
  /** The result that `return` gives. */
  protected result: { readonly subtype: Subtype | null; readonly isFunction: boolean } | null = null;

  abstract statements(nodes: readonly StmtNode[]): Stmt[];
  abstract concurrentLabel(id: string): Decl | null;
  abstract bindPackage(node: DeclNode & { kind: "package" | "packagebody" | "packageinstance" }): BoundDecl[];
  abstract useClause(names: readonly ExprNode[], scope: Scope): void;

  inScope<T>(scope: Scope, run: () => T): T {
    const outer = this.scope;
    this.scope = scope;
    try {
      return run();
    } finally {
      this.scope = outer;
    }
  }

  declare(decl: Decl, name = decl.name): void {
    const old = this.scope.add(decl, name);
    this.world.note(decl.loc, decl);
    if (!old) return;
    const line = old.loc.file >= 0 ? ` on line ${this.report.sources.position(old.loc.file, old.loc.start).line}` : "";
    this.error("duplicate", decl.loc, `'${name}' is already declared here${line}.`, "Give one of them another name.");
  }

  declarations(nodes: readonly DeclNode[]): BoundDecl[] {
    const list: BoundDecl[] = [];
    for (const node of nodes) {
      list.push(...this.declaration(node));
      this.forget();
    }
    for (const decls of this.scope.names.values())
      for (const decl of decls)
        if (decl.kind === "type" && decl.subtype.type.kind === "access" && !decl.subtype.type.of)
          this.error(
            "incomplete",
            decl.loc,
            `Type '${decl.name}' is announced but never declared.`,
            "Write 'type ... is ...'.",
          );
    return list;
  }

  private declaration(node: DeclNode): BoundDecl[] {
    switch (node.kind) {
      case "type":
        return this.typeDecl(node);
      case "subtypedecl": {
        const subtype = this.subtype(node.type);
        const decl: TypeDecl = {
          kind: "type",
          name: node.name.id,
          loc: node.name.loc,
          subtype: subtype
            ? {
                ...subtype,
                name: node.name.id,
                parent: subtype,
                constraint: null,
                resolution: null,
                elementResolution: null,
              }
            : subtypeOf(errorType),
        };
        this.declare(decl);
        return [decl];
      }
      case "object":
        return this.objects(node);
      case "file": {
        const subtype = this.subtype(node.type) ?? subtypeOf(errorType);
        if (subtype.type.kind !== "file" && subtype.type !== errorType)
          this.error(
            "no-file",
            node.type.loc,
            `'${subtype.name}' is no file type.`,
            "Use text of std.textio, or declare one: type f is file of ...",
          );
        const kind = this.world.typeNamed(this.scope, "file_open_kind");
        const mode = node.mode && kind ? this.bind(node.mode, kind) : null;
        const path = node.path ? this.bind(node.path, this.world.standard.string) : null;
        return node.names.map((name) => {
          const decl: FileDecl = { kind: "file", name: name.id, loc: name.loc, subtype, mode, path, role: "file" };
          this.declare(decl);
          return decl;
        });
      }
      case "alias":
        return this.alias(node);
      case "attributedecl": {
        const subtype = this.mark(node.type);
        if (subtype) this.declare({ kind: "attribute", name: node.name.id, loc: node.name.loc, subtype });
        return [];
      }
      case "attributespec":
        return this.attributeSpec(node);
      case "component": {
        const scope = new Scope(this.scope);
        const decl = this.inScope(scope, () => ({
          kind: "component" as const,
          name: node.name.id,
          loc: node.name.loc,
          generics: this.generics(node.generics),
          ports: this.ports(node.ports),
        }));
        this.declare(decl);
        return [];
      }
      case "subprogram":
        return this.subprogram(node);
      case "subprograminstance":
        return this.subprogramInstance(node);
      case "use":
        this.useClause(node.names, this.scope);
        return [];
      case "package":
      case "packagebody":
      case "packageinstance":
        return this.bindPackage(node);
      case "configspec":
      case "ignored":
        return [];
    }
  }

  // ---- objects --------------------------------------------------------------------------------------------------

  private objects(node: DeclNode & { kind: "object" }): BoundDecl[] {
    const subtype = this.subtype(node.type) ?? subtypeOf(errorType);
    const init = node.init ? this.bind(node.init, subtype.type) : null;
    return node.names.map((name): BoundDecl => {
      const base = { name: name.id, loc: name.loc, subtype };
      let decl: ConstantDecl | SignalDecl | VariableDecl;
      if (node.object === "constant") {
        decl = { kind: "constant", ...base, init, role: "constant", full: null };
        const deferred =
          this.scope.names.get(name.id)?.[0] ??
          (this.scope.parent?.label === this.scope.label ? this.scope.parent?.names.get(name.id)?.[0] : undefined);
        if (deferred?.kind === "constant" && deferred.init === null && deferred.role === "constant" && init) {
          deferred.full = decl;
          deferred.init = init;
          return decl;
        }
        if (!init && !this.home)
          this.error("no-value", name.loc, `Constant '${name.id}' has no value.`, "Write ':= value' behind its type.");
      } else if (node.object === "signal")
        decl = { kind: "signal", ...base, init, mode: null, role: "signal", kindOf: node.signalKind };
      else
        decl = { kind: "variable", ...base, init, mode: null, role: node.object === "shared" ? "shared" : "variable" };
      this.declare(decl);
      return decl;
    });
  }

  private alias(node: DeclNode & { kind: "alias" }): BoundDecl[] {
    const { name } = node;
    const isName = node.of.kind === "name" || node.of.kind === "select" || node.of.kind === "char";
    const meaning = isName ? this.meaning(node.of) : null;
    if (isName && !meaning) return [];
    if (meaning && "decls" in meaning) {
      const [first] = meaning.decls;
      const isObject =
        first.kind === "constant" ||
        first.kind === "signal" ||
        first.kind === "variable" ||
        first.kind === "alias" ||
        first.kind === "file";
      if (!isObject) {
        let decls = meaning.decls;
        if (node.signature) {
          const args = node.signature.args.map((arg) => this.mark(arg)?.type);
          const result = node.signature.result ? this.mark(node.signature.result)?.type : undefined;
          decls = decls.filter((decl) =>
            decl.kind === "sub"
              ? decl.params.length === args.length &&
                decl.params.every((param, i) => param.subtype.type === args[i]) &&
                (decl.result?.type ?? undefined) === result
              : decl.kind === "literal" && decl.type === result,
          );
          if (decls.length === 0) {
            this.error(
              "signature",
              node.signature.loc,
              `No '${this.text(node.of.loc)}' has this signature.`,
              "Check its types.",
            );
            return [];
          }
        }
        for (const decl of decls) this.scope.add(decl, name.id);
        // with an enumeration come its values
        if (first.kind === "type" && first.subtype.type.kind === "enum")
          for (const literal of first.subtype.type.literals)
            if (!this.scope.lookup(literal.name).includes(literal)) this.scope.add(literal, literal.name);
        return [];
      }
    }
    const subtype = node.type ? this.subtype(node.type) : null;
    const of = this.bind(node.of, subtype?.type ?? null);
    if (of.type === errorType) return [];
    const decl = {
      kind: "alias" as const,
      name: name.id,
      loc: name.loc,
      of,
      subtype: subtype ?? {
        type: of.type,
        name: of.op === "object" ? of.decl.subtype.name : of.type.name,
        parent: null,
        constraint: null,
        resolution: null,
        ofObject: of,
      },
    };
    this.declare(decl);
    return [decl];
  }

  private attributeSpec(node: DeclNode & { kind: "attributespec" }): BoundDecl[] {
    const attribute = this.scope.lookup(node.name.id).find((decl) => decl.kind === "attribute");
    if (attribute?.kind !== "attribute") {
      this.error(
        "undeclared",
        node.name.loc,
        `There is no attribute '${node.name.id}'.`,
        `Declare it: attribute ${node.name.id} : string;`,
      );
      return [];
    }
    const value = this.bind(node.value, attribute.subtype.type);
    const list: BoundDecl[] = [];
    const give = (on: Decl) => {
      this.world.setAttribute(on, attribute, value);
      list.push({ kind: "attributevalue", decl: attribute, on, value });
    };
    if (node.entities === "all" || node.entities === "others") {
      for (const decls of this.scope.names.values())
        for (const decl of decls) if (decl.kind === node.entityClass) give(decl);
      return list;
    }
    for (const { name, signature } of node.entities) {
      const found = this.scope.lookup(name.id);
      const own = found.length ? found : [this.concurrentLabel(name.id)].filter((decl) => decl !== null);
      if (own.length === 0) {
        if (node.entityClass !== "label")
          this.error(
            "undeclared",
            name.loc,
            `'${name.id}' is not declared here.`,
            "An attribute specification stands behind the declaration.",
          );
        continue;
      }
      for (const decl of own) {
        if (signature && decl.kind === "sub") {
          const args = signature.args.map((arg) => this.mark(arg)?.type);
          if (decl.params.length !== args.length || !decl.params.every((param, i) => param.subtype.type === args[i]))
            continue;
        }
        give(decl);
      }
    }
    return list;
  }

  // ---- types ----------------------------------------------------------------------------------------------------

  private typeDecl(node: DeclNode & { kind: "type" }): BoundDecl[] {
    const name = node.name.id;
    const { def } = node;
    const old = this.scope.names.get(name)?.[0];
    if (def.kind === "protectedbody") {
      const decl = old ?? this.scope.lookup(name)[0];
      if (decl?.kind !== "type" || decl.subtype.type.kind !== "protected") {
        this.error(
          "protected",
          node.name.loc,
          `There is no protected type '${name}' for this body.`,
          "Declare the type first.",
        );
        return [];
      }
      this.protectedBody(decl.subtype.type, def);
      return [];
    }
    if (
      old?.kind === "type" &&
      old.subtype.type.kind === "any" &&
      old.subtype.type.of === "error" &&
      def.kind !== "incomplete"
    ) {
      // the full declaration of an incomplete type: access types that point to it learn of it
      const made = this.definition(name, def, node.name.loc);
      if (!made) return [];
      for (const pointer of this.waiting.get(old) ?? []) pointer.of = made;
      this.waiting.delete(old);
      old.subtype = made;
      return [old];
    }
    if (def.kind === "incomplete") {
      const decl: TypeDecl = { kind: "type", name, loc: node.name.loc, subtype: { ...subtypeOf(errorType), name } };
      this.waiting.set(decl, []);
      this.declare(decl);
      return [];
    }
    if (def.kind === "protected") {
      const type: ProtectedType = { kind: "protected", name, methods: new Map(), body: null };
      const decl: TypeDecl = { kind: "type", name, loc: node.name.loc, subtype: subtypeOf(type) };
      this.declare(decl);
      const scope = new Scope(this.scope);
      this.inScope(scope, () => {
        for (const item of def.items)
          if (item.kind === "subprogram") {
            const sub = this.makeSubprogram(item.spec, null, type);
            const list = type.methods.get(sub.name);
            if (list) list.push(sub);
            else type.methods.set(sub.name, [sub]);
          }
      });
      return [decl];
    }
    const made = this.definition(name, def, node.name.loc);
    const decl: TypeDecl = { kind: "type", name, loc: node.name.loc, subtype: made ?? subtypeOf(errorType) };
    this.declare(decl);
    return [decl];
  }
  private readonly waiting = new Map<TypeDecl, AccessType[]>();

  private definition(name: string, def: TypeDefinition, loc: Loc): Subtype | null {
    switch (def.kind) {
      case "enum": {
        const literals: EnumLiteral[] = [];
        const type: EnumType = { kind: "enum", name, literals, packing: null, loc };
        def.literals.forEach((each, pos) => {
          const literal: EnumLiteral = { kind: "literal", name: each.id, loc: each.loc, type, pos };
          literals.push(literal);
          this.declare(literal);
        });
        type.packing = this.packing(type);
        return subtypeOf(type);
      }
      case "rangetype": {
        const range = def.range.kind === "range" ? this.range(def.range, null) : this.discrete(def.range, null);
        if (range?.kind !== "bounds") return null;
        const left = literalValue(range.left);
        const right = literalValue(range.right);
        if (range.type.kind === "real") {
          const type: VType = {
            kind: "real",
            name,
            universal: false,
            low: Math.min(left ?? -Number.MAX_VALUE, right ?? -Number.MAX_VALUE),
            high: Math.max(left ?? Number.MAX_VALUE, right ?? Number.MAX_VALUE),
          };
          return subtypeOf(type);
        }
        if (range.type.kind !== "int") {
          this.error(
            "range",
            range.loc,
            "The range of a number type is of whole or real numbers.",
            "Write a to b with numbers.",
          );
          return null;
        }
        const known = left !== null && right !== null;
        const type: VType = {
          kind: "int",
          name,
          universal: false,
          low: known ? Math.min(left, right) : -(2 ** 31),
          high: known ? Math.max(left, right) : 2 ** 31 - 1,
          descending: range.descending,
        };
        if (known) return subtypeOf(type);
        // bounds that elaboration will know
        const parent = subtypeOf(type);
        return { ...parent, parent, constraint: { kind: "range", range: { ...range, type } } };
      }
      case "physicaltype": {
        const units = new Map<string, number>();
        const type: VType = {
          kind: "physical",
          name,
          units,
          base: def.base.id,
          isTime: name === "time" && this.home?.name === "standard",
        };
        const unit = (id: string, scale: number, at: Loc) => {
          units.set(id, scale);
          this.declare({ kind: "unit", name: id, loc: at, type, scale });
        };
        unit(def.base.id, 1, def.base.loc);
        for (const each of def.units) {
          const value = this.bind(each.value, type);
          unit(each.name.id, literalValue(value) ?? 1, each.name.loc);
        }
        return subtypeOf(type);
      }
      case "arraytype": {
        const element = this.subtype(def.element);
        if (!element) return null;
        if (def.open) {
          const indexes = def.indexes.map((each) => {
            if (each.kind === "range" || each.kind === "subtype") return null;
            return this.mark(each);
          });
          if (indexes.some((each) => each === null)) return null;
          const type: ArrayType = { kind: "array", name, indexes: indexes as Subtype[], element };
          this.world.addArray(type);
          return subtypeOf(type);
        }
        const ranges = def.indexes.map((each) => this.discrete(each, null));
        if (ranges.some((each) => each === null)) return null;
        const type: ArrayType = {
          kind: "array",
          name,
          indexes: ranges.map((range) => (range!.kind === "subtype" ? range!.subtype : subtypeOf(range!.type))),
          element,
        };
        this.world.addArray(type);
        const parent = subtypeOf(type);
        return { ...parent, parent, constraint: { kind: "array", ranges, element: null, loc: def.loc } };
      }
      case "recordtype": {
        const type: RecordType = { kind: "record", name, fields: [] };
        for (const field of def.fields) {
          const subtype = this.subtype(field.type) ?? subtypeOf(errorType);
          if (type.fields.some((each) => each.name === field.name.id))
            this.error(
              "duplicate",
              field.name.loc,
              `Field '${field.name.id}' is declared twice.`,
              "Give one of them another name.",
            );
          type.fields.push({ name: field.name.id, subtype, loc: field.name.loc });
        }
        return subtypeOf(type);
      }
      case "accesstype": {
        const type: AccessType = { kind: "access", name, of: null };
        const [decl] = def.of.mark.kind === "name" ? this.scope.lookup(def.of.mark.id) : [];
        const list = decl?.kind === "type" ? this.waiting.get(decl) : undefined;
        if (list) list.push(type);
        else type.of = this.subtype(def.of);
        return subtypeOf(type);
      }
      case "filetype": {
        const of = this.mark(def.of);
        return of && subtypeOf({ kind: "file", name, of });
      }
      default:
        return null;
    }
  }

  /** The two-valued types and nine-valued logic have arrays of bits; characters have strings. */
  private packing(type: EnumType): EnumType["packing"] {
    const names = type.literals.map((each) => each.name).join("");
    if (this.home?.name === "standard") {
      if (type.name === "boolean" || type.name === "bit") return "bit";
      if (type.name === "character") return "char";
    }
    if (this.home?.name === "std_logic_1164" && names === "'U''X''0''1''Z''W''L''H''-'") return "logic";
    return null;
  }

  private protectedBody(type: ProtectedType, def: TypeDefinition & { kind: "protectedbody" }): void {
    const scope = new Scope(this.scope);
    for (const [name, subs] of type.methods) for (const sub of subs) scope.add(sub, name);
    const { nested, owner } = this;
    this.nested = true;
    this.owner = type;
    this.inScope(scope, () => {
      const decls = this.declarations(def.items);
      type.body = { decls, subprograms: decls.filter((decl): decl is Subprogram => decl.kind === "sub") };
    });
    this.nested = nested;
    this.owner = owner;
  }
  /** The protected type whose body is read: its subprograms see the variables of one object. */
  private owner: ProtectedType | undefined = undefined;

  // ---- interfaces -----------------------------------------------------------------------------------------------

  generics(nodes: readonly GenericNode[]): ConstantDecl[] {
    const list: ConstantDecl[] = [];
    for (const node of nodes) {
      if (node.kind !== "interface") {
        this.error(
          "generic-kind",
          node.loc,
          "Generic types and subprograms are for packages and subprograms only here.",
          "Give the entity constants as generics.",
        );
        continue;
      }
      const subtype = this.subtype(node.type) ?? subtypeOf(errorType);
      const init = node.init ? this.bind(node.init, subtype.type) : null;
      const decl: ConstantDecl = {
        kind: "constant",
        name: node.name.id,
        loc: node.name.loc,
        subtype,
        init,
        role: "generic",
        full: null,
      };
      this.declare(decl);
      list.push(decl);
      this.forget();
    }
    return list;
  }

  ports(nodes: readonly InterfaceNode[]): SignalDecl[] {
    const list: SignalDecl[] = [];
    for (const node of nodes) {
      const subtype = this.subtype(node.type) ?? subtypeOf(errorType);
      const init = node.init ? this.bind(node.init, subtype.type) : null;
      const decl: SignalDecl = {
        kind: "signal",
        name: node.name.id,
        loc: node.name.loc,
        subtype,
        init,
        mode: node.mode ?? "in",
        role: "port",
        kindOf: null,
      };
      list.push(decl);
      this.declare(decl);
      this.forget();
    }
    return list;
  }

  /** @returns Parameters and their defaults. */
  private params(spec: SubprogramSpec): { params: ParamDecl[]; defaults: (Expr | null)[] } {
    const params: ParamDecl[] = [];
    const defaults: (Expr | null)[] = [];
    for (const node of spec.params) {
      const subtype = this.subtype(node.type) ?? subtypeOf(errorType);
      defaults.push(node.init ? this.bind(node.init, subtype.type) : null);
      const mode = node.mode ?? "in";
      const object =
        node.object ??
        (subtype.type.kind === "file"
          ? "file"
          : mode === "in" && subtype.type.kind !== "protected"
            ? "constant"
            : "variable");
      const base = { name: node.name.id, loc: node.name.loc, subtype };
      if (spec.isFunction && mode !== "in")
        this.error(
          "function-mode",
          node.loc,
          "Parameters of a function are of mode 'in'.",
          "Make it a procedure, or return a value.",
        );
      params.push(
        object === "constant"
          ? { kind: "constant", ...base, init: null, role: "param", full: null }
          : object === "signal"
            ? { kind: "signal", ...base, init: null, mode, role: "param", kindOf: null }
            : object === "file"
              ? { kind: "file", ...base, mode: null, path: null, role: "param" }
              : { kind: "variable", ...base, init: null, mode, role: "param" },
      );
    }
    return { params, defaults };
  }

  protected makeSubprogram(spec: SubprogramSpec, native: string | null, ownerType?: VType): Subprogram {
    const { params, defaults } = this.params(spec);
    const result = spec.result ? (this.mark(spec.result) ?? subtypeOf(errorType)) : null;
    return {
      kind: "sub",
      name: spec.name.id,
      loc: spec.name.loc,
      isFunction: spec.isFunction,
      pure: spec.pure,
      params,
      defaults,
      result,
      body: null,
      pending: null,
      native,
      home: this.home,
      nested: this.nested,
      ownerType,
    };
  }

  private subprogram(node: DeclNode & { kind: "subprogram" }): BoundDecl[] {
    const { spec, body } = node;
    if (spec.generics.length) return this.genericSubprogram(node);
    const isLibrary = spec.loc.file < 0;
    const made = this.makeSubprogram(
      spec,
      isLibrary ? `${this.home?.name}.${spec.name.id.replaceAll('"', "")}` : null,
      this.owner,
    );
    // a body completes its declaration
    const regions = [
      this.scope,
      ...(this.scope.parent && this.scope.label !== null && this.scope.parent.label === this.scope.label
        ? [this.scope.parent]
        : []),
    ];
    const old = regions
      .flatMap((scope) => scope.names.get(spec.name.id) ?? [])
      .find(
        (decl): decl is Subprogram =>
          decl.kind === "sub" && decl.body === null && decl.pending === null && sameSignature(decl, made),
      );
    let sub = made;
    if (old && body) sub = old;
    else this.declare(made);
    if (!body) return isLibrary ? [] : [made];
    this.subprogramBody(sub, made.params, spec, body);
    return [sub];
  }

  private subprogramBody(
    sub: Subprogram,
    params: readonly ParamDecl[],
    spec: SubprogramSpec,
    body: NonNullable<(DeclNode & { kind: "subprogram" })["body"]>,
  ): void {
    const scope = new Scope(this.scope, spec.name.id);
    const { nested, result, owner } = this;
    this.nested = true;
    this.owner = undefined;
    this.result = { subtype: sub.result, isFunction: sub.isFunction };
    // known before it is read: it may call itself
    const placeholder = { params, decls: [] as BoundDecl[], stmts: [] as Stmt[] };
    sub.body = placeholder;
    this.inScope(scope, () => {
      for (const param of params) this.declare(param);
      placeholder.decls.push(...this.declarations(body.decls));
      placeholder.stmts.push(...this.statements(body.stmts));
    });
    this.nested = nested;
    this.owner = owner;
    this.result = result;
    if (sub.isFunction && !endsInReturn(placeholder.stmts) && body.stmts.length === 0)
      this.error("no-return", spec.name.loc, `Function '${spec.name.id}' returns nothing.`, "Write 'return value;'.");
  }

  // ---- generic subprograms (2008) -------------------------------------------------------------------------------

  private readonly genericSubs = new Map<
    string,
    { readonly node: DeclNode & { kind: "subprogram" }; readonly scope: Scope }
  >();
  private genericSubprogram(node: DeclNode & { kind: "subprogram" }): BoundDecl[] {
    const { id } = node.spec.name;
    if (node.body || !this.genericSubs.has(id)) this.genericSubs.set(id, { node, scope: this.scope });
    if (!this.scope.names.has(id)) this.scope.add({ kind: "label", name: id, loc: node.spec.name.loc, scope: null });
    return [];
  }

  private subprogramInstance(node: DeclNode & { kind: "subprograminstance" }): BoundDecl[] {
    const generic = node.of.kind === "name" ? this.genericSubs.get(node.of.id) : undefined;
    if (!generic) {
      this.error(
        "undeclared",
        node.of.loc,
        `'${this.text(node.of.loc)}' is no generic subprogram.`,
        "Declare it with a generic list.",
      );
      return [];
    }
    const { spec, body } = generic.node;
    const scope = new Scope(generic.scope);
    const list: BoundDecl[] = this.bindGenerics(spec.generics, node.generics, scope);
    const own: SubprogramSpec = { ...spec, generics: [], name: { id: node.name.id, loc: node.name.loc } };
    const sub = this.inScope(scope, () => {
      const made = this.makeSubprogram(own, null);
      if (body) this.subprogramBody(made, made.params, own, body);
      return made;
    });
    this.declare(sub);
    return [...list, sub];
  }

  /** Generics of a package or subprogram, given their actuals: constants, types and subprograms of a new region. */
  protected bindGenerics(
    generics: readonly GenericNode[],
    actuals: readonly import("../../../hdl/vhdl/ast.ts").Association[],
    scope: Scope,
  ): BoundDecl[] {
    const outer = this.scope;
    const list: BoundDecl[] = [];
    generics.forEach((generic, i) => {
      const name = generic.kind === "genericsub" ? generic.spec.name.id : generic.name.id;
      const association =
        actuals.find((each) => each.formal?.kind === "name" && each.formal.id === name) ??
        (actuals[i]?.formal === null ? actuals[i] : undefined);
      const actual = association?.actual;
      if (generic.kind === "generictype") {
        const subtype =
          actual &&
          (actual.kind === "subtype"
            ? this.subtype(actual)
            : actual.kind !== "range"
              ? this.typeOfActual(actual)
              : null);
        if (!subtype) {
          this.error(
            "generic",
            association?.loc ?? generic.loc,
            `No type is given for generic '${name}'.`,
            `Write ${name} => type.`,
          );
          return;
        }
        scope.add({ kind: "type", name, loc: generic.name.loc, subtype });
        return;
      }
      if (generic.kind === "genericsub") {
        const made = this.inScope(scope, () => this.makeSubprogram(generic.spec, null));
        const source =
          actual && actual.kind !== "range" && actual.kind !== "subtype"
            ? actual
            : generic.fallback && generic.fallback !== "box"
              ? generic.fallback
              : null;
        const decls =
          source?.kind === "string"
            ? { decls: outer.lookup(`"${source.text.toLowerCase()}"`) }
            : source
              ? this.meaning(source)
              : { decls: outer.lookup(name) };
        const found =
          decls && "decls" in decls
            ? decls.decls.find((decl): decl is Subprogram => decl.kind === "sub" && sameSignature(decl, made))
            : undefined;
        const operator =
          source?.kind === "string"
            ? { id: `"${source.text.toLowerCase()}"`, loc: source.loc }
            : source?.kind === "name"
              ? source
              : null;
        const standard = found
          ? null
          : this.predefinedOperator(made, operator ?? (source ? null : generic.spec.name), scope);
        if (found) scope.add(found, name);
        else if (standard) scope.add(standard, name);
        else
          this.error(
            "generic",
            association?.loc ?? generic.loc,
            `No subprogram that fits is given for generic '${name}'.`,
            `Write ${name} => subprogram.`,
          );
        return;
      }
      const subtype = this.inScope(scope, () => this.subtype(generic.type)) ?? subtypeOf(errorType);
      const given =
        actual && actual.kind !== "range" && actual.kind !== "subtype" && actual.kind !== "open"
          ? this.bind(actual, subtype.type)
          : null;
      const init = given ?? (generic.init ? this.inScope(scope, () => this.bind(generic.init!, subtype.type)) : null);
      if (!init)
        this.error(
          "generic",
          association?.loc ?? generic.loc,
          `Generic '${name}' has no value.`,
          `Write ${name} => value.`,
        );
      const decl: ConstantDecl = {
        kind: "constant",
        name,
        loc: generic.name.loc,
        subtype,
        init,
        role: "constant",
        full: null,
      };
      scope.add(decl);
      list.push(decl);
    });
    return list;
  }
  /** A subprogram that does what a predefined operator does. */
  private predefinedOperator(
    made: Subprogram,
    symbol: { readonly id: string; readonly loc: Loc } | null,
    around: Scope,
  ): Subprogram | null {
    if (!symbol?.id.startsWith('"') || !made.result) return null;
    const { loc } = symbol;
    const scope = new Scope(around);
    for (const param of made.params) scope.add(param);
    const [left, right] = made.params.map((param): ExprNode => ({ kind: "name", id: param.name, loc }));
    if (!left || made.params.length > 2) return null;
    const op = symbol.id.slice(1, -1);
    const node: ExprNode = right
      ? { kind: "binary", op, left, right, opLoc: loc, loc }
      : { kind: "unary", op, arg: left, opLoc: loc, loc };
    const value = this.inScope(scope, () => this.bind(node, made.result!.type));
    if (value.type === errorType) return null;
    made.body = { params: made.params, decls: [], stmts: [{ op: "return", value, loc }] };
    return made;
  }
  private typeOfActual(node: ExprNode): Subtype | null {
    if (node.kind === "apply") {
      // std_logic_vector(7 downto 0)
      const ranges = node.args.map((arg) => arg.actual);
      return this.subtype({
        kind: "subtype",
        mark: node.of,
        resolution: null,
        constraint: { kind: "array", ranges, element: null, loc: node.loc },
        loc: node.loc,
      });
    }
    return this.mark(node);
  }
}

function endsInReturn(stmts: readonly Stmt[]): boolean {
  return stmts.some(
    (stmt) =>
      stmt.op === "return" || stmt.op === "if" || stmt.op === "case" || stmt.op === "while" || stmt.op === "for",
  );
}
