import type { Choice, ExprNode } from "../../../hdl/vhdl/ast.ts";
import type { AggregateElement, BoundChoice, Expr } from "../bound.ts";
import { errorType, isDiscrete, type VType } from "../types.ts";
import { countOf } from "./bind-words.ts";
import type { Binder } from "./binder.ts";

/** Aggregates and choices. */
export class AggregateBinder {
  constructor(private readonly host: Binder) {}

  // ---- aggregates -----------------------------------------------------------------------------------------------

  aggregate(node: ExprNode & { kind: "aggregate" }, wanted: VType | null): Expr {
    const { loc } = node;
    if (!wanted || (wanted.kind !== "array" && wanted.kind !== "record")) {
      if (wanted !== errorType)
        this.host.error(
          "aggregate",
          loc,
          wanted
            ? `Several values in brackets are no ${wanted.name}.`
            : "The type of this aggregate is not known here.",
          wanted ? "Give one value." : "Qualify it: type'(...).",
        );
      return this.host.bad(loc);
    }
    this.checkOthers(node);
    const elements: AggregateElement[] = [];
    if (wanted.kind === "record") {
      let position = 0;
      const given = new Set<number>();
      let others: ExprNode | null = null;
      for (const { choices, value } of node.elements) {
        if (choices.length === 0) {
          const field = wanted.fields[position];
          if (!field) {
            this.host.error(
              "aggregate",
              value.loc,
              `Record type '${wanted.name}' has ${countOf(wanted.fields.length, "field")} only.`,
              "Take this value out.",
            );
            break;
          }
          given.add(position);
          elements.push({
            choice: { kind: "field", field: position++ },
            value: this.host.exprs.bind(value, field.subtype.type),
          });
          continue;
        }
        for (const choice of choices) {
          if (choice.kind === "others") {
            others = value;
            continue;
          }
          const at = choice.kind === "name" ? wanted.fields.findIndex((each) => each.name === choice.id) : -1;
          if (at < 0) {
            this.host.error(
              "unknown-field",
              choice.loc,
              `Record type '${wanted.name}' has no field '${this.host.names.text(choice.loc)}'.`,
              this.host.names.nearText(
                this.host.names.text(choice.loc),
                wanted.fields.map((each) => each.name),
                "Check its spelling.",
              ),
            );
            continue;
          }
          if (given.has(at))
            this.host.error(
              "aggregate",
              choice.loc,
              `Field '${wanted.fields[at].name}' is given twice.`,
              "Take one of them out.",
            );
          given.add(at);
          elements.push({
            choice: { kind: "field", field: at },
            value: this.host.exprs.bind(value, wanted.fields[at].subtype.type),
          });
        }
      }
      const missing = wanted.fields.map((_, i) => i).filter((i) => !given.has(i));
      if (others) {
        for (const i of missing)
          elements.push({
            choice: { kind: "field", field: i },
            value: this.host.exprs.bind(others, wanted.fields[i].subtype.type),
          });
      } else if (missing.length)
        this.host.error(
          "aggregate",
          loc,
          `No value for ${missing.map((i) => `'${wanted.fields[i].name}'`).join(", ")} of '${wanted.name}'.`,
          "Give them, or write 'others => ...'.",
        );
      return { op: "aggregate", elements, type: wanted, loc };
    }
    const inner: VType = wanted.indexes.length === 1 ? wanted.element.type : this.host.world.innerArray(wanted); // a row of an array of several dimensions
    let at = 0;
    for (const { choices, value } of node.elements) {
      // 2008: a stretch of elements in place of one
      const types = this.host.candidates.types(value);
      const isStretch =
        wanted.indexes.length === 1 &&
        !types.some((type) => this.host.candidates.fits(type, inner)) &&
        types.some((type) => this.host.candidates.fits(type, wanted)) &&
        choices.every((choice) => choice.kind === "range");
      const bound = this.host.exprs.bind(value, isStretch ? wanted : inner);
      if (choices.length === 0) elements.push({ choice: { kind: "position", at: at++ }, value: bound, isStretch });
      for (const choice of choices) {
        if (choice.kind === "others") elements.push({ choice: { kind: "others" }, value: bound });
        else if (this.host.calls.isRange(choice)) {
          const range = this.host.ranges.discrete(choice, wanted.indexes[0].type);
          if (range) elements.push({ choice: { kind: "range", range }, value: bound, isStretch });
        } else
          elements.push({
            choice: { kind: "value", value: this.host.exprs.bind(choice as ExprNode, wanted.indexes[0].type) },
            value: bound,
          });
      }
    }
    const named = elements.some((each) => each.choice.kind === "value" || each.choice.kind === "range");
    if (named && at > 0) {
      this.host.error(
        "aggregate",
        loc,
        "Positions and names are mixed in this aggregate.",
        "Give all elements by position, or all by name.",
      );
      return this.host.bad(loc, wanted);
    }
    return { op: "aggregate", elements, type: wanted, loc };
  }

  /** `others` stands last, alone (9.3.3.1). */
  private checkOthers(node: ExprNode & { kind: "aggregate" }): void {
    node.elements.forEach(({ choices }, i) => {
      const at = choices.findIndex((choice) => choice.kind === "others");
      if (at < 0 || (i === node.elements.length - 1 && choices.length === 1)) return;
      this.host.error(
        "others",
        choices[at].loc,
        choices.length > 1
          ? "'others' stands with other choices."
          : "'others' is not the last element of the aggregate.",
        "Put 'others => ...' at the end.",
      );
    });
  }

  choices(list: readonly Choice[], type: VType): BoundChoice[] {
    const bound: BoundChoice[] = [];
    for (const choice of list) {
      if (choice.kind === "others") bound.push({ kind: "others", loc: choice.loc });
      else if (isDiscrete(type) && this.host.calls.isRange(choice)) {
        const range = this.host.ranges.discrete(choice, type);
        if (range) bound.push({ kind: "range", range, loc: choice.loc });
      } else if (choice.kind !== "range" && choice.kind !== "subtype")
        bound.push({ kind: "value", value: this.host.exprs.bind(choice, type), loc: choice.loc });
      else this.host.error("choice", choice.loc, `A range is no choice of ${type.name}.`, "Give single values.");
    }
    return bound;
  }
}
