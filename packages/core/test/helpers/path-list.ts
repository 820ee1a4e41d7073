import { isMemory } from "../../src/device/blocks/memory.ts";
import type { MultiplierModes } from "../../src/device/blocks/multiplier.ts";
import type { CornerName } from "../../src/device/family.ts";
import type { LayoutInputs } from "../../src/layout/index.ts";
import { cellKind, ffPin, isLogic } from "../../src/netlist/index.ts";
import { cornerDelays } from "../../src/timing/index.ts";

/** Worst slacks by walking every path from every register to every register, one by one. Times in ps; one rising clock. */
export interface PathList {
  readonly setup: number;
  readonly hold: number;
  readonly paths: number;
}

/** What can be at the beginning of a stretch inside of a block: a register, or one of its pins. */
interface Beginning {
  readonly pin: string | null;
  readonly ps: number;
}

/** A multiplier as what it is made of: operands, product, sum, each behind its register where it has one. */
class MultiplierInside {
  constructor(
    private readonly modes: MultiplierModes,
    private readonly delays: {
      readonly clock: number;
      readonly product: number;
      readonly sum: number;
      readonly setup: number;
    },
  ) {}
  private operands(more: number): Beginning[] {
    if (this.modes.inputRegister) return [{ pin: null, ps: this.delays.clock + more }];
    return ["LEFT", "RIGHT"].map((pin) => ({ pin, ps: more }));
  }
  private product(more: number): Beginning[] {
    return this.operands(more + this.delays.product);
  }
  private sum(more: number): Beginning[] {
    const { accumulate, productRegister } = this.modes;
    const with_ = more + this.delays.sum;
    const term = productRegister ? [{ pin: null, ps: this.delays.clock + with_ }] : this.product(with_);
    const base = accumulate ? [{ pin: null, ps: this.delays.clock + with_ }] : [];
    return [...term, ...base, { pin: "ADDEND", ps: with_ }, { pin: "LOAD", ps: with_ }];
  }
  /** Ways to the outputs. */
  get outputs(): Beginning[] {
    return this.modes.outputRegister ? [{ pin: null, ps: this.delays.clock }] : this.sum(0);
  }
  /** Ways to each of its own registers, setup included. */
  get ends(): Beginning[] {
    const { inputRegister, productRegister, outputRegister } = this.modes;
    const { setup } = this.delays;
    return [
      ...(inputRegister ? ["LEFT", "RIGHT"].map((pin) => ({ pin, ps: setup })) : []),
      ...(productRegister ? this.product(setup) : []),
      ...(outputRegister ? this.sum(setup) : []),
      ...(inputRegister || productRegister || outputRegister ? ["E", "R"].map((pin) => ({ pin, ps: setup })) : []),
    ];
  }
}

class TooMany extends Error {}

/** @returns Null beyond `most` paths. */
export function listPaths(layout: LayoutInputs, periodPs: number, name: CornerName, most = 400_000): PathList | null {
  const { netlist: n, packed } = layout;
  const corner = cornerDelays(layout, name);
  const { delays } = corner;
  const family = delays.family.delays;
  const scale = delays.lutPs(0) / family.lutPs[0];
  const insideOf = (modes: MultiplierModes) =>
    new MultiplierInside(modes, {
      clock: family.multiplierClockPs * scale,
      product: family.multiplierPs * scale,
      sum: family.multiplierAddPs * scale,
      setup: family.multiplierSetupPs * scale,
    });
  const clockAt = (slot: number) => corner.padPs[n.netDriver[n.inputNet[slot]]] + corner.netPs[slot];
  const blockAt = new Map(n.blocks.map((block) => [block.cell, block]));
  const driverOf = (cell: number) => n.netDriver[n.inputNet[n.inputStart[cell]]];
  const clockOfBlock = (cell: number, clock: number) =>
    clockAt(n.inputStart[cell] + blockAt.get(cell)!.inputNames.length + clock);
  const result = { setup: Infinity, hold: Infinity, paths: 0 };

  /** Walks back from an input pin. @param latest Delay from there to the capturing edge, setup included. @param earliest Delay for hold. */
  const walk = (slot: number, latest: number, earliest: number, capturePs: number): void => {
    if (n.inputNet[slot] < 0) return;
    const driver = n.netDriver[n.inputNet[slot]];
    const late = latest + corner.netPs[slot];
    const early = earliest + corner.netPs[slot] * delays.minRatio;
    const launch = (clockPs: number, startPs: number) => {
      if (++result.paths > most) throw new TooMany();
      result.setup = Math.min(result.setup, periodPs + capturePs - clockPs - startPs - late);
      result.hold = Math.min(result.hold, clockPs + startPs * delays.minRatio + early - capturePs - delays.holdPs);
    };
    const kind = n.kind[driver];
    if (kind === cellKind.flipFlop) launch(clockAt(n.inputStart[driver] + ffPin.clock), delays.clockToOutputPs);
    else if (isLogic(kind))
      for (let i = n.inputStart[driver]; i < n.inputStart[driver + 1]; i++)
        walk(i, late + corner.lutPs[i], early + corner.lutPs[i] * delays.minRatio, capturePs);
    else if (kind === cellKind.blockOutput) {
      const block = blockAt.get(driverOf(driver))!;
      const output = block.outputNames[n.modes[driver]];
      if (isMemory(block.modes)) {
        const port = output[1] === "B" ? 1 : 0;
        const { memoryRegisteredPs, memoryClockPs } = family;
        const startPs = (block.modes.ports[port].outputRegister ? memoryRegisteredPs : memoryClockPs) * scale;
        launch(clockOfBlock(block.cell, port), startPs);
        return;
      }
      for (const { pin, ps } of insideOf(block.modes as MultiplierModes).outputs)
        if (pin === null) launch(clockOfBlock(block.cell, 0), ps);
        else
          for (const at of pinsOf(block, pin))
            walk(n.inputStart[block.cell] + at, late + ps, early + ps * delays.minRatio, capturePs);
    }
  };
  const pinsOf = (block: { readonly inputNames: readonly string[] }, name: string): number[] =>
    block.inputNames.flatMap((each, at) => (each.replace(/\d+$/, "") === name ? [at] : []));

  const walkAll = () => {
    for (let cell = 0; cell < n.cellCount; cell++) {
      if (n.kind[cell] === cellKind.flipFlop)
        for (const pin of [ffPin.d, ffPin.enable, ffPin.reset]) {
          const bypass = pin === ffPin.d && packed.elementJoined[packed.cellElement[cell]] === 0;
          const capture = clockAt(n.inputStart[cell] + ffPin.clock);
          walk(n.inputStart[cell] + pin, delays.setupPs(bypass), 0, capture);
        }
      const block = blockAt.get(cell);
      if (!block) continue;
      if (isMemory(block.modes))
        block.inputNames.forEach((each, at) => {
          const port = each[1] === "B" ? 1 : 0;
          walk(n.inputStart[cell] + at, family.memorySetupPs * scale, 0, clockOfBlock(cell, port));
        });
      else
        for (const { pin, ps } of insideOf(block.modes as MultiplierModes).ends)
          if (pin === null) {
            result.paths++;
            result.setup = Math.min(result.setup, periodPs - ps);
          } else for (const at of pinsOf(block, pin)) walk(n.inputStart[cell] + at, ps, 0, clockOfBlock(cell, 0));
    }
  };
  try {
    walkAll();
  } catch (error) {
    if (error instanceof TooMany) return null;
    throw error;
  }
  return result;
}
