import { ffMode, ffPin, type MappedMoves, type MappedNetlist } from "../netlist/mapped.ts";
import type { FlipFlopModes } from "../netlist/rtl.ts";
import { type JointGraph, nextValue, type ProofPoint } from "./joint-graph.ts";
import { tableLogic } from "./mapped-logic.ts";
import type { WrittenState } from "./word-logic.ts";

type AddPoint = (name: string, what: ProofPoint["what"], written: number, built: number) => void;
type Control = (cell: number, pin: number) => number;
type Move = MappedMoves["records"][number];

interface Taken {
  readonly name: string;
  readonly next: number;
  readonly init: number;
  readonly state: WrittenState;
  readonly modes: FlipFlopModes;
}

/**
 * Registers that retiming moved, in a proof. Each is a function of others (a register that went backward, of those at the
 * inputs; a new one behind a LUT, of those before it), down to leaves that both sides share. What is compared: the
 * functions hold at the start, and from one cycle to the next.
 */
export class MovedLeaves {
  private readonly recordOf = new Map<number, Move>();
  private readonly cellOf: ReadonlyMap<number, number>;
  private readonly alias: ReadonlyMap<number, number>;
  private readonly ids: ReadonlySet<number>;
  private readonly literals = new Map<number, number>();
  /** Leaves that are no flip-flop of the written circuit: their state in the graph. */
  private readonly states = new Map<number, number>();
  private readonly taken = new Map<number, Taken>();
  private readonly twins: { readonly of: number; readonly taken: Taken }[] = [];

  /** @param own Literal of the flip-flop that still holds a written register; null if there is none. */
  constructor(
    private readonly graph: JointGraph,
    private readonly mapped: MappedNetlist,
    private readonly own: (net: number) => number | null,
  ) {
    const { records, cells, aliases } = mapped.moved;
    for (const record of records) this.recordOf.set(record.register, record);
    this.cellOf = new Map(cells);
    this.alias = new Map(aliases);
    this.ids = new Set(records.flatMap(({ register, ins }) => [register, ...ins]));
  }

  /** Literal of a written register that took part; null for others. */
  written(net: number): number | null {
    const id = this.alias.get(net) ?? net;
    return this.ids.has(id) ? this.literal(id) : null;
  }

  /** Literals of the new registers' flip-flops. */
  *built(): Generator<readonly [cell: number, literal: number]> {
    for (const [id, cell] of this.cellOf) yield [cell, this.literal(id)];
  }

  private literal(id: number): number {
    const known = this.literals.get(id);
    if (known !== undefined) return known;
    const record = this.recordOf.get(id);
    const literal = record
      ? this.over(
          record,
          record.ins.map((one) => this.literal(one)),
        )
      : ((id >= 0 ? this.own(id) : null) ?? this.leaf(id));
    this.literals.set(id, literal);
    return literal;
  }

  private over({ low, high, invert }: Move, values: readonly number[]): number {
    return tableLogic(this.graph.aig, low, high, values) ^ invert;
  }

  private leaf(id: number): number {
    const { graph, mapped } = this;
    const literal = graph.aig.input();
    const cell = this.cellOf.get(id);
    const name = cell === undefined ? `register ${id}` : mapped.cellName[cell];
    const init = cell === undefined ? 0 : mapped.modes[cell] & ffMode.init ? 1 : 0;
    this.states.set(id, graph.states.length);
    graph.states.push({ name, node: literal >> 1, init, next: -1 });
    return literal;
  }

  /**
   * What a written register takes next.
   * @returns True if no flip-flop stands for it, so that nothing else is to be compared.
   */
  take(net: number, name: string, state: WrittenState, q: number, modes: FlipFlopModes): boolean {
    const id = this.alias.get(net) ?? net;
    if (!this.ids.has(id)) return false;
    const pick = (text: string) => text[text.length - 1 - state.bit];
    const [reset, start] = [pick(modes.resetValue), pick(modes.init)];
    // an open value follows the other one
    const resetValue = Number(reset === "x" ? start === "1" : reset);
    const init = Number(start === "x" ? reset === "1" : start);
    const { d, enable, reset: resets } = state;
    const taken = {
      name,
      next: nextValue(this.graph.aig, { d, q, enable, reset: resets, resetValue }),
      init,
      state,
      modes,
    };
    if (net === id) this.taken.set(id, taken);
    else this.twins.push({ of: id, taken });
    return this.recordOf.has(id) || this.own(id) === null;
  }

  /** To be called when all written registers are taken. */
  compare(control: Control, point: AddPoint): void {
    const { graph, mapped } = this;
    const builtNext = (cell: number, q: number) =>
      nextValue(graph.aig, {
        d: control(cell, ffPin.d),
        q,
        enable: control(cell, ffPin.enable),
        reset: control(cell, ffPin.reset),
        resetValue: mapped.modes[cell] & ffMode.resetValue ? 1 : 0,
      });
    const next = (id: number): number => {
      const taken = this.taken.get(id);
      if (taken) return taken.next;
      const record = this.recordOf.get(id);
      if (record) return this.over(record, record.ins.map(next));
      return builtNext(this.cellOf.get(id)!, this.literal(id));
    };
    const init = (id: number): number => {
      const taken = this.taken.get(id);
      if (taken) return taken.init;
      const record = this.recordOf.get(id);
      if (record) return this.over(record, record.ins.map(init));
      return mapped.modes[this.cellOf.get(id)!] & ffMode.init ? 1 : 0;
    };
    for (const [id, s] of this.states) {
      const taken = this.taken.get(id);
      graph.states[s].next = next(id);
      if (taken) Object.assign(graph.states[s], { init: taken.init, name: taken.name });
    }
    const sameControls = ({ state, modes }: Taken, cell: number) => {
      const name = mapped.cellName[cell];
      const falling = mapped.modes[cell] & ffMode.clockFalling ? 1 : 0;
      point(name, "clock", state.clock ^ (modes.clockRising ? 0 : 1), control(cell, ffPin.clock) ^ falling);
      const isAsync = (mapped.modes[cell] & ffMode.asyncReset) !== 0;
      const reset = control(cell, ffPin.reset);
      point(name, "reset", modes.asyncReset && state.reset >= 0 ? state.reset : 0, isAsync && reset >= 0 ? reset : 0);
    };
    for (const record of mapped.moved.records) {
      const { register, ins, isBackward } = record;
      if (isBackward) {
        const taken = this.taken.get(register);
        if (!taken) continue; // one that moved on
        point(taken.name, "register", taken.next, this.over(record, ins.map(next)));
        point(taken.name, "start value", taken.init, this.over(record, ins.map(init)));
        for (const cell of this.cellsBelow(ins)) sameControls(taken, cell);
        continue;
      }
      const cell = this.cellOf.get(register);
      if (cell === undefined) continue;
      const name = mapped.cellName[cell];
      point(name, "register", this.over(record, ins.map(next)), builtNext(cell, this.literal(register)));
      point(name, "start value", this.over(record, ins.map(init)), mapped.modes[cell] & ffMode.init ? 1 : 0);
      const before = this.writtenBelow(ins);
      if (before) sameControls(before, cell);
    }
    for (const { of, taken } of this.twins) point(taken.name, "register", taken.next, next(of));
  }

  private *below(ids: readonly number[]): Generator<number> {
    const stack = [...ids];
    const seen = new Set<number>();
    while (stack.length) {
      const id = stack.pop()!;
      if (seen.has(id)) continue;
      seen.add(id);
      yield id;
      const record = this.recordOf.get(id);
      if (record) stack.push(...record.ins);
    }
  }

  private *cellsBelow(ids: readonly number[]): Generator<number> {
    for (const id of this.below(ids)) {
      const cell = this.recordOf.has(id) ? undefined : this.cellOf.get(id);
      if (cell !== undefined) yield cell;
    }
  }

  private writtenBelow(ids: readonly number[]): Taken | null {
    for (const id of this.below(ids)) {
      const taken = this.taken.get(id);
      if (taken) return taken;
    }
    return null;
  }
}
