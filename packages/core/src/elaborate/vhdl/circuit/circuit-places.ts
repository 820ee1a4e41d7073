import type { Loc } from "../../../common/source.ts";
import type { Signal } from "../../model.ts";
import type { Decl } from "../bound.ts";
import { type Shape, shapeText } from "../values/shapes.ts";
import type { SigTree } from "../values/signals.ts";
import type { CircuitWriter } from "./circuit.ts";
import type { Home, Ref } from "./circuit-base.ts";
import { fourStateOf, widthOf } from "./circuit-expr.ts";

/** Where the object of a declaration is. */
export class CircuitPlaces {
  constructor(private readonly host: CircuitWriter) {}

  home(decl: Decl, loc: Loc): Home {
    const own = this.host.scope.find(decl);
    if (own) return own;
    const place = this.host.owner.placeOf(decl, this.host.scope.frame);
    if (place?.k === "sig") return { k: "ref", ref: this.treeRef(place.tree, place.shape) };
    if (place?.k === "cell") return { k: "ref", ref: this.shared(decl, place.cell, place.shape) };
    this.host.refuse(loc, `'${decl.name}'`);
  }

  /** A tree of signals, as a stretch of one signal if it is that. */
  treeRef(tree: SigTree, shape: Shape): Ref {
    let made = this.trees.get(tree);
    if (!made) {
      const place = this.host.signals.treePlace(tree, shape);
      made = place ? { k: "signal", ...place } : { k: "tree", tree, shape };
      this.trees.set(tree, made);
    }
    // a port shows the same signals under bounds of its own
    return { ...made, shape } as Ref;
  }
  private readonly trees = new Map<SigTree, Ref>();

  /** A shared variable: a register or memory that several processes write. */
  private shared(decl: Decl, cell: { v: unknown }, shape: Shape): Ref {
    let made = this.cells.get(cell);
    if (!made) {
      const width = widthOf(shape);
      if (!width) this.host.refuse(decl.loc, `The shared variable '${decl.name}' of type ${shapeText(shape)}`);
      const signal = this.host.makeSignal(decl.name, width, decl.loc, "variable", shape);
      this.startWith(signal, cell.v, shape);
      made = { k: "signal", signal, offset: 0, shape };
      this.cells.set(cell, made);
    }
    return made;
  }
  private readonly cells = new Map<object, Ref>();
  /** A variable's value before all else; unknown bits have none. */
  startWith(signal: Signal, v: unknown, shape: Shape): void {
    const value = fourStateOf(v, shape);
    if (value.b !== (1n << BigInt(signal.width)) - 1n) signal.init = value;
  }
}
