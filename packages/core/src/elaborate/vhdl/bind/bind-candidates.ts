import type { ExprNode, RangeNode, SubtypeNode } from "../../../hdl/vhdl/ast.ts";
import {
  anyAggregate,
  anyNull,
  errorType,
  isCharacters,
  universalInteger,
  universalReal,
  type VType,
} from "../types.ts";
import { distinct } from "./bind-words.ts";
import type { Binder } from "./binder.ts";

/** Types that an expression can have by what is declared (overload resolution, 12.5). */
export class TypeCandidates {
  constructor(private readonly host: Binder) {}

  /** Types that an expression may have by itself. Tells no mistakes but unknown names; empty if there is one. */
  types(node: ExprNode): readonly VType[] {
    const known = this.host.memo.get(node);
    if (known) return known;
    // a long chain of operators goes down to the left: it is worked out from there, so that nothing is as deep as it is long
    if (node.kind === "binary") {
      const chain: ExprNode[] = [];
      for (let at = node.left; at.kind === "binary" && !this.host.memo.has(at); at = at.left) chain.push(at);
      for (let i = chain.length - 1; i >= 0; i--) this.host.memo.set(chain[i], this.findTypes(chain[i]));
    }
    const found = this.findTypes(node);
    this.host.memo.set(node, found);
    return found;
  }

  private findTypes(node: ExprNode): readonly VType[] {
    switch (node.kind) {
      case "name":
      case "char":
      case "select": {
        const meaning = this.host.names.meaning(node);
        if (!meaning) return [];
        if ("value" in meaning) return [meaning.value.type];
        return distinct(meaning.decls.map((decl) => this.host.names.typesOfDecl(decl)).filter((type) => type !== null));
      }
      case "string":
        return [{ kind: "any", name: `"${node.text}"`, of: "string", text: node.text }];
      case "number":
        return [node.isReal ? universalReal : universalInteger];
      case "physical": {
        const unit = this.host.calls.unit(node.unit);
        return unit ? [unit.type] : [];
      }
      case "apply":
        return distinct(this.host.calls.callReadings(node).map((reading) => reading.result));
      case "unary":
        return distinct(this.host.operators.readings(node.op, [node.arg]).map((reading) => reading.result));
      case "binary":
        return distinct(
          this.host.operators.readings(node.op, [node.left, node.right]).map((reading) => reading.result),
        );
      case "aggregate":
        return [anyAggregate];
      case "null":
        return [anyNull];
      case "open":
      case "bad":
        return [];
      case "new": {
        const value = this.quiet(() => this.host.ranges.allocated(node.value));
        return value ? [{ kind: "any", name: "new", of: "new", text: "" }] : [];
      }
      default: {
        const value = this.host.exprs.bind(node, null);
        return value.type === errorType ? [] : [value.type];
      }
    }
  }

  quiet<T>(run: () => T): T {
    this.host.silent++;
    try {
      return run();
    } finally {
      this.host.silent--;
    }
  }

  /** Whether a candidate can be taken where `wanted` is needed (9.3.6: implicit conversion of universal types). */
  fits(candidate: VType, wanted: VType): boolean {
    if (candidate === wanted) return true;
    if (wanted.kind === "any") return candidate.kind === "any" || wanted.of === "error";
    switch (candidate.kind) {
      case "int":
        return candidate.universal && wanted.kind === "int";
      case "real":
        return candidate.universal && wanted.kind === "real";
      case "any":
        if (candidate.of === "string") {
          if (!isCharacters(wanted)) return false;
          const { type } = wanted.element;
          if (type.kind !== "enum") return false;
          const names = this.host.world.charactersOf(type);
          return [...candidate.text!].every((c) => names.has(c));
        }
        if (candidate.of === "aggregate") return wanted.kind === "array" || wanted.kind === "record";
        if (candidate.of === "null" || candidate.of === "new") return wanted.kind === "access";
        return true;
      default:
        return false;
    }
  }
  nodeFits(node: ExprNode | RangeNode | SubtypeNode, wanted: VType): boolean {
    if (node.kind === "range" || node.kind === "subtype") return false;
    return this.types(node).some((type) => this.fits(type, wanted));
  }
}
