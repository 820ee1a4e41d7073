import type { Code } from "../../../common/code-pieces.ts";
import type { Decl, Subprogram } from "../bound.ts";
import type { Subtype } from "../types.ts";
import type { Shape } from "./shapes.ts";
import type { Sig, SigTree } from "./signals.ts";

/** A JavaScript function that is being written. */
export interface JsFunction {
  /** Functions declared within it. */
  readonly inner: (string | Code)[];
  /** Variables of its own for values that are needed twice. */
  readonly temps: string[];
  readonly generator: boolean;
}

/** Where the value of a declaration is, in one instance, process or call. */
export type Place =
  | { readonly k: "const"; readonly v: unknown; readonly shape: Shape }
  /** Code that reads and, for variables, is assigned. */
  | { readonly k: "var"; readonly js: string; readonly shape: Shape }
  /** Signals that are known, or those that a parameter brings. */
  | { readonly k: "sig"; readonly tree: SigTree; readonly shape: Shape }
  | { readonly k: "sigparam"; readonly sig: string; readonly drv: string | null; readonly shape: Shape }
  /** Another name: looked up where it was declared. */
  | { readonly k: "alias"; readonly frame: Frame }
  /** A shared variable: a cell that all its users hold. */
  | { readonly k: "cell"; readonly cell: { v: unknown }; readonly shape: Shape };

/** What declarations mean at run time: one for each instance, generate, process, and subprogram being written. */
export class Frame {
  readonly places = new Map<Decl, Place>();
  readonly shapes = new Map<Subtype, Shape>();
  readonly subs = new Set<Subprogram>();
  /** What the drivers of an instance's outputs begin with: the defaults of its ports. */
  driverInit: Map<Sig, unknown> | null = null;
  constructor(
    readonly parent: Frame | null,
    /** The function that holds its variables; null: they are elaborated. */
    readonly fn: JsFunction | null,
    /** Names from the top, for 'path_name. */
    readonly path: readonly string[] = parent?.path ?? [],
  ) {}

  find(decl: Decl): Place | null {
    for (let frame: Frame | null = this; frame; frame = frame.parent) {
      const place = frame.places.get(decl);
      if (place) return place;
    }
    return null;
  }
  shapeOf(subtype: Subtype): Shape | null {
    for (let frame: Frame | null = this; frame; frame = frame.parent) {
      const shape = frame.shapes.get(subtype);
      if (shape) return shape;
    }
    return null;
  }
  homeOf(sub: Subprogram): Frame | null {
    for (let frame: Frame | null = this; frame; frame = frame.parent) if (frame.subs.has(sub)) return frame;
    return null;
  }
  initOf(sig: Sig): unknown {
    for (let frame: Frame | null = this; frame; frame = frame.parent)
      if (frame.driverInit?.has(sig)) return frame.driverInit.get(sig);
    return undefined;
  }
  get root(): Frame {
    let frame: Frame = this;
    while (frame.parent) frame = frame.parent;
    return frame;
  }
}
