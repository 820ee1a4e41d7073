import { isSynthAttribute } from "../../../netlist/attributes.ts";
import type { BoundDecl, SignalDecl } from "../bound.ts";
import type { Frame } from "../values/frames.ts";
import { leafCount, type Shape } from "../values/shapes.ts";
import { Arr } from "../values/values.ts";
import type { Elaborator } from "./elaborator.ts";

import type { VhdlInstance } from "./instance.ts";

/** Parts of one signal. */
const mostParts = 2 ** 19;

/** What declarations make at elaboration (IEEE 1076-2008 clause 14.3). */
export class Declarations {
  constructor(private readonly host: Elaborator) {}

  declare(decl: BoundDecl, frame: Frame, instance: VhdlInstance | null): void {
    switch (decl.kind) {
      case "attributevalue": {
        if (!instance || !isSynthAttribute(decl.decl.name)) return;
        const { v } = this.host.values.evaluate(
          decl.value,
          this.host.values.shapeOf(decl.decl.subtype, frame, decl.value.loc),
          frame,
        );
        const value = v instanceof Arr ? String(v.p) : typeof v === "number" || typeof v === "string" ? v : Number(v);
        instance.attributes.push({ on: decl.on, name: decl.decl.name, value, loc: decl.value.loc });
        return;
      }
      case "constant": {
        if (!decl.init || frame.places.has(decl)) return;
        const shape = this.host.values.shapeOf(decl.subtype, frame, decl.loc);
        const made = this.host.values.evaluate(decl.init, shape, frame);
        frame.places.set(decl, { k: "const", v: made.v, shape: made.shape });
        return;
      }
      case "signal": {
        const shape = this.host.values.shapeOf(decl.subtype, frame, decl.loc);
        if (!this.checkBounds(shape, decl)) return;
        const parts = leafCount(shape);
        if (parts > mostParts) {
          this.host.report.error(
            "vhdl/large-array",
            decl.loc,
            `Signal '${decl.name}' has ${parts} parts, each a signal by itself.`,
            `A signal may have ${mostParts}: use a variable, or wider elements.`,
          );
          return;
        }
        const value = decl.init
          ? this.host.values.evaluate(decl.init, shape, frame).v
          : this.host.values.defaultOf(shape, frame, decl.loc).v;
        const tree = this.host.trees.makeTree(decl.name, shape, value, decl.subtype, frame);
        frame.places.set(decl, { k: "sig", tree, shape });
        instance?.signals.push({ decl, tree, shape });
        return;
      }
      case "variable": {
        const shape = this.host.values.shapeOf(decl.subtype, frame, decl.loc);
        const made = decl.init
          ? this.host.values.evaluate(decl.init, shape, frame)
          : this.host.values.defaultOf(shape, frame, decl.loc);
        frame.places.set(decl, { k: "cell", cell: { v: made.v }, shape: made.shape });
        return;
      }
      case "file": {
        const file = this.host.runtime.file();
        frame.places.set(decl, { k: "const", v: file, shape: { k: "o", type: decl.subtype.type } });
        if (decl.path) {
          const path = this.host.values.evaluate(decl.path, null, frame).v;
          const mode = decl.mode ? (this.host.values.evaluate(decl.mode, null, frame).v as number) : 0;
          const name = path instanceof Arr ? (path.p as string) : (path as string);
          const status = this.host.runtime.fileOpen(file, name, mode);
          if (status !== 0)
            this.host.report.error(
              "vhdl/file",
              decl.loc,
              `There is no file '${name}' to read.`,
              "Add it to the design, or check its name.",
            );
        }
        return;
      }
      case "alias":
        frame.places.set(decl, { k: "alias", frame });
        return;
      case "sub":
        frame.subs.add(decl);
        return;
      case "package":
        for (const inner of decl.decls) if (inner.kind === "sub") frame.subs.add(inner);
        for (const inner of decl.decls) this.declare(inner, frame, null);
        return;
      default:
        return;
    }
  }
  checkBounds(shape: Shape, decl: SignalDecl): boolean {
    if (shape.k === "a" && shape.dims === null) {
      this.host.report.error(
        "vhdl/unconstrained",
        decl.loc,
        `'${decl.name}' has no bounds: its type ${decl.subtype.name} leaves them open.`,
        "Write them: (7 downto 0).",
      );
      return false;
    }
    return true;
  }
}
