import { ffMode, ffPin, type LayoutNetlist } from "../netlist/mapped.ts";

type Registers = Pick<LayoutNetlist, "inputNet" | "inputStart" | "modes">;

/** Equal for flip-flops that may share a tile's clock: one net, one edge. */
export function clockKey({ inputNet, inputStart, modes }: Registers, flipFlop: number): string {
  return `${inputNet[inputStart[flipFlop] + ffPin.clock]} ${modes[flipFlop] & ffMode.clockFalling}`;
}
/** Equal for flip-flops that may share a group's enable and reset. */
export function controlKey({ inputNet, inputStart }: Registers, flipFlop: number): string {
  return `${inputNet[inputStart[flipFlop] + ffPin.enable]} ${inputNet[inputStart[flipFlop] + ffPin.reset]}`;
}
