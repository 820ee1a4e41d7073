import { ffMode, ffPin, type MappedMachine, type MappedNetlist } from "../netlist/mapped.ts";
import type { FlipFlopModes } from "../netlist/rtl.ts";
import { type JointGraph, nextValue, type ProofPoint, type SharedState } from "./joint-graph.ts";
import type { WrittenState } from "./word-logic.ts";

type AddPoint = (name: string, what: ProofPoint["what"], written: number, built: number) => void;

/**
 * A state machine whose two sides hold different codes. The leaves that both share are the number of the state in
 * binary; either register's bits follow from it. What is compared: the written register goes to a state of the list,
 * and the built one to the code of the same state.
 */
export class MachineLeaves {
  /** [states] Literal that is 1 in the state; numbers past the last one count as the first. */
  private readonly is: number[];
  private readonly leaves: SharedState[] = [];
  private readonly next = new Map<number, number>();
  private control: { readonly state: WrittenState; readonly modes: FlipFlopModes } | null = null;
  private readonly twins: { readonly bit: number; readonly next: number }[] = [];
  private readonly starts: { readonly bit: number; readonly value: number }[] = [];

  constructor(
    private readonly graph: JointGraph,
    readonly machine: MappedMachine,
    private readonly name: string,
  ) {
    const { aig } = graph;
    const count = machine.written.length;
    const width = Math.max(1, Math.ceil(Math.log2(count)));
    for (let i = 0; i < width; i++) {
      const leaf = {
        name: `${name} number bit ${i}`,
        node: aig.input() >> 1,
        init: (machine.initState >> i) & 1,
        next: -1,
      };
      this.leaves.push(leaf);
      graph.states.push(leaf);
    }
    this.is = machine.written.map((_, s) =>
      aig.andAll(this.leaves.map(({ node }, i) => (2 * node) ^ (((s >> i) & 1) ^ 1))),
    );
    this.is[0] = aig.orAll(this.is.slice(1)) ^ 1;
  }

  private over(of: readonly number[], holds: (state: number) => boolean): number {
    return this.graph.aig.orAll(of.filter((_, s) => holds(s)));
  }

  /** Literal of a bit of the register as written. */
  writtenBit(bit: number): number {
    return this.over(this.is, (s) => ((this.machine.written[s] >> bit) & 1) === 1);
  }

  builtBit(bit: number): number {
    return this.over(this.is, (s) => this.builtCode(s, bit) === 1);
  }

  private builtCode(state: number, bit: number): number {
    const code = this.machine.built[state];
    return Number(code[code.length - 1 - bit]);
  }

  /** What a bit of the register as written takes next. */
  take(bit: number, state: WrittenState, q: number, modes: FlipFlopModes): void {
    const pick = (text: string) => text[text.length - 1 - state.bit];
    const [reset, init] = [pick(modes.resetValue), pick(modes.init)];
    // an open value follows the other one
    const resetValue = Number(reset === "x" ? init === "1" : reset);
    const { d, enable, reset: resets } = state;
    const next = nextValue(this.graph.aig, { d, q, enable, reset: resets, resetValue });
    if (init !== "x") this.starts.push({ bit, value: Number(init) });
    if (this.next.has(bit)) this.twins.push({ bit, next });
    else this.next.set(bit, next);
    this.control ??= { state, modes };
  }

  /** To be called when all bits are taken. @param control Literal at a flip-flop's pin, -1 where it is open. */
  compare(mapped: MappedNetlist, control: (cell: number, pin: number) => number, point: AddPoint): void {
    const { graph, machine, name, next } = this;
    const { aig } = graph;
    const { written, flipFlops } = machine;
    const isNext = written.map((code) =>
      aig.andAll([...next].map(([bit, literal]) => literal ^ (((code >> bit) & 1) ^ 1))),
    );
    point(
      `${name} stays among its states`,
      "register",
      this.over(isNext, () => true),
      1,
    );
    for (const { bit, next: other } of this.twins) point(`${name} bit ${bit}`, "register", other, next.get(bit)!);
    for (const { bit, value } of this.starts)
      point(`${name} bit ${bit}`, "start value", value, (written[machine.initState] >> bit) & 1);
    this.leaves.forEach((leaf, i) => {
      leaf.next = this.over(isNext, (s) => ((s >> i) & 1) === 1);
    });
    const { state, modes } = this.control!;
    flipFlops.forEach((cell, bit) => {
      const own = mapped.modes[cell];
      const cellName = mapped.cellName[cell];
      const reset = control(cell, ffPin.reset);
      const built = nextValue(aig, {
        d: control(cell, ffPin.d),
        q: this.builtBit(bit),
        enable: control(cell, ffPin.enable),
        reset,
        resetValue: own & ffMode.resetValue ? 1 : 0,
      });
      point(
        cellName,
        "register",
        this.over(isNext, (s) => this.builtCode(s, bit) === 1),
        built,
      );
      point(cellName, "start value", this.builtCode(machine.initState, bit), own & ffMode.init ? 1 : 0);
      const falling = own & ffMode.clockFalling ? 1 : 0;
      point(cellName, "clock", state.clock ^ (modes.clockRising ? 0 : 1), control(cell, ffPin.clock) ^ falling);
      const isAsync = modes.asyncReset && state.reset >= 0;
      const builtAsync = (own & ffMode.asyncReset) !== 0 && reset >= 0;
      point(cellName, "reset", isAsync ? state.reset : 0, builtAsync ? reset : 0);
    });
  }
}
