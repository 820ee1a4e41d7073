import type { Crossing, MixedDesign } from "../../elaborate/mixed.ts";
import type { DesignModel, Instance, Signal } from "../../elaborate/model.ts";
import { wholeTarget } from "../../elaborate/model.ts";
import { vectorType } from "../../elaborate/types.ts";
import { fromFourState } from "../../elaborate/vhdl/circuit/border.ts";
import { fourStateOf, read } from "../../elaborate/vhdl/circuit/circuit-expr.ts";
import { putStretch, type Stretch } from "../../elaborate/vhdl/instances/elaborator-pieces.ts";
import type { Shape } from "../../elaborate/vhdl/values/shapes.ts";
import { leavesOf, readTree, type Sig, type SigTree } from "../../elaborate/vhdl/values/signals.ts";
import { type Bits, getL, sliceL } from "../../elaborate/vhdl/values/values.ts";
import { vhdlPrecision } from "../../elaborate/vhdl/vhdl-design.ts";
import type { Engine } from "./engine.ts";

/** What Verilog's side of a simulation offers to the border. */
interface VerilogSide {
  store(id: number, a: bigint, b: bigint): void;
  read(signal: Signal): { a: bigint; b: bigint };
  observe(signal: Signal, run: () => void): void;
}

/** The border between the languages while a design of both runs. */
export class BorderRun {
  constructor(
    private readonly mixed: MixedDesign,
    private readonly engine: Engine,
  ) {}

  /** Joins both sides once their code is made. @returns What gives Verilog's side its first values. */
  join(hidden: readonly Signal[], side: VerilogSide): void {
    const { elaborator } = this.mixed.vhdl;
    const { engine } = this;
    this.mixed.crossings.forEach((crossing, i) => {
      const signal = hidden[i];
      const { shape, tree, part } = crossing;
      if (crossing.into === "verilog") {
        const give = (v: unknown, own: Shape) => {
          const { a, b } = bitsAcross(v, own, crossing.port.width);
          side.store(signal.id, a, b);
        };
        if (crossing.value) elaborator.border.watch(crossing.value.expr, crossing.value.frame, give);
        else if (crossing.shared && tree && !Array.isArray(tree)) {
          tree.outside = (v) => give(part ? cutOf(v, part) : v, shape);
          this.starts.push(() => tree.outside!(engine.resolve(tree)));
        } else if (tree) {
          const push = () => give(readTree(tree), shape);
          for (const leaf of leavesOf(tree)) leaf.links.push(push);
          this.starts.push(push);
        }
        return;
      }
      const drive =
        crossing.shared || this.mixed.outer.has(crossing.owner) ? null : elaborator.border.borderDriver(tree!, part);
      const take = () => {
        const v = fromFourState(side.read(signal), shape);
        if (drive) drive(v);
        else put(tree!, v, (leaf, own) => engine.set(leaf, part ? putStretch(leaf.v as Bits, leaf.n, part, own) : own));
        engine.schedule();
      };
      side.observe(signal, take);
      this.starts.push(take);
    });
  }
  private readonly starts: (() => void)[] = [];
  start(): void {
    for (const run of this.starts) run();
  }
}

function put(tree: SigTree, v: unknown, set: (leaf: Sig, v: unknown) => void): void {
  if (Array.isArray(tree)) tree.forEach((each, i) => put(each, (v as unknown[])[i], set));
  else set(tree, v);
}
function cutOf(v: unknown, part: Stretch): unknown {
  return part.bit ? getL(v as Bits, part.lo) - (part.two ? 2 : 0) : sliceL(v as Bits, part.lo, part.n);
}
/** A value of VHDL as bits for a port; whole numbers take its width. */
function bitsAcross(v: unknown, shape: Shape, width: number): { a: bigint; b: bigint } {
  if (shape.k === "s" && shape.type.kind === "int") return { a: BigInt.asUintN(width, BigInt(v as number)), b: 0n };
  return fourStateOf(v, shape);
}

/** Hidden signals on Verilog's side of each crossing: a variable that drives, or a net that is watched. */
export function borderSignals(design: DesignModel, crossings: readonly Crossing[]): Signal[] {
  const hidden: Instance = {
    name: "$border",
    path: "$border",
    module: "$border",
    kind: "package",
    parent: null,
    children: [],
    parameters: [],
    ports: [],
    bindings: [],
    timeScale: { unit: vhdlPrecision, precision: vhdlPrecision },
    loc: design.top.loc,
    moduleLoc: design.top.loc,
  };
  return crossings.map(({ port, into, loc }, i) => {
    const isVariable = into === "verilog";
    const signal: Signal = {
      ...port,
      id: design.signals.length,
      name: `$border${i}`,
      plainName: `$border${i}`,
      instance: hidden,
      type: vectorType(port.width),
      signed: false,
      msb: port.width - 1,
      lsb: 0,
      kind: isVariable ? "variable" : "net",
      net: isVariable ? null : "wire",
      direction: null,
      init: isVariable ? { a: (1n << BigInt(port.width)) - 1n, b: (1n << BigInt(port.width)) - 1n } : null,
    };
    design.signals.push(signal);
    const [to, from] = isVariable ? [port, signal] : [signal, port];
    design.assigns.push({
      target: wholeTarget(to, loc),
      value: read(from, loc),
      delay: null,
      strength: null,
      instance: design.top,
      loc,
    });
    return signal;
  });
}
