import type { Finding } from "../common/finding.ts";
import type { PinSite } from "../constraints/pins/model.ts";
import type { PadRegisterSide } from "../device/fabric.ts";
import type { Part } from "../device/part.ts";
import { clockKey } from "../layout/controls.ts";
import { cellKind, collectSinks, ffPin, type LayoutNetlist, padPin } from "../netlist/mapped.ts";

/** Flip-flops that lie at pads, by cell. */
export type PadRegisters = ReadonlyMap<number, { readonly pad: number; readonly side: PadRegisterSide }>;

/**
 * Takes flip-flops into the pads whose lines of the pin file ask for it: one that takes nothing but the pin, or that gives
 * to nothing but the pin, without enable and reset, which pads do not have. Pads of a tile share its clock. What cannot be
 * done is told.
 * @param cellPad [cells] Pad of each pad cell; -1 for others.
 */
export function takePadRegisters(
  netlist: LayoutNetlist,
  pins: readonly PinSite[],
  part: Part,
  cellPad: Int32Array,
): { registers: PadRegisters; findings: Finding[] } {
  const registers = new Map<number, { pad: number; side: PadRegisterSide }>();
  const findings: Finding[] = [];
  const wanted = new Set(pins.flatMap(({ port, register }) => (register ? [port] : [])));
  if (!wanted.size) return { registers, findings };
  const { kind, inputStart, inputNet, outputNet, netDriver } = netlist;
  const sinks = collectSinks(netlist);
  const tileClock = new Map<number, string>();

  /** Why a flip-flop cannot lie at a pad; null if it can. */
  const hindrance = (ff: number, pad: number): string | null => {
    if (inputNet[inputStart[ff] + ffPin.enable] >= 0) return "it has an enable";
    if (inputNet[inputStart[ff] + ffPin.reset] >= 0) return "it has a reset";
    if (registers.has(ff)) return "it is at another pad already";
    const clock = clockKey(netlist, ff);
    const { tile } = part.fabric.pads[pad];
    const other = tileClock.get(tile);
    if (other !== undefined && other !== clock) return "the pad beside it has a register with another clock";
    tileClock.set(tile, clock);
    return null;
  };

  const done = new Map<string, string | null>();
  for (const port of netlist.ports) {
    port.pads.forEach((cell, bit) => {
      const name = port.bitNames[bit];
      if (!wanted.has(name)) return;
      const refuse = (why: string) => {
        if (done.get(name) !== null) done.set(name, why);
      };
      if (cell < 0) {
        refuse("nothing reads it");
        return;
      }
      let ff: number;
      const side: PadRegisterSide = kind[cell] === cellKind.inputPad ? "input" : "output";
      if (side === "input") {
        const net = outputNet[cell];
        const [first, end] = [sinks.start[net], sinks.start[net + 1]];
        ff = sinks.cell[first];
        if (end - first !== 1 || kind[ff] !== cellKind.flipFlop || sinks.pin[first] !== ffPin.d) {
          refuse("what reads it is not one register alone");
          return;
        }
      } else {
        const net = inputNet[inputStart[cell] + padPin.value];
        ff = netDriver[net];
        if (kind[ff] !== cellKind.flipFlop) {
          refuse("no register drives it");
          return;
        }
        if (sinks.start[net + 1] - sinks.start[net] !== 1) {
          refuse("its register is read inside of the part too");
          return;
        }
      }
      const why = hindrance(ff, cellPad[cell]);
      if (why) refuse(why);
      else {
        registers.set(ff, { pad: cellPad[cell], side });
        done.set(name, null);
      }
    });
  }
  for (const [port, why] of done) {
    if (why === null) continue;
    findings.push({
      code: "pins/no-register",
      severity: "warning",
      place: { object: port },
      message: `'${port}' asks for the register of its pad, but ${why}.`,
      remedy: "Give the pin a register of its own, without enable and reset, or take register=on away.",
    });
  }
  return { registers, findings };
}
