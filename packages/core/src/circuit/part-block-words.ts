import { ratioText } from "../constraints/made-clock.ts";
import type { ClockBlockModes, ClockSwitchModes, SerialLaneModes } from "../netlist/rtl.ts";

type PartBlockModes = ClockBlockModes | ClockSwitchModes | SerialLaneModes;

export function partBlockSymbol({ type }: PartBlockModes): string {
  return { clockBlock: "clock block", clockSwitch: "clock switch", serialLane: "serial lane" }[type];
}

/** What each output of a clock block is of its input, how a switch changes over, what a lane sends. */
export function partBlockWords(modes: PartBlockModes): string[] {
  if (modes.type === "clockSwitch") return ["changes over while both clocks are low"];
  if (modes.type === "serialLane") return ["ten bits a cycle, lowest first"];
  return modes.divide.map((divide, i) => {
    const lag = modes.phase[i] ? `, ${modes.phase[i] * 45}° later` : "";
    return `${"AB"[i]}: input × ${ratioText(modes.multiply, divide)}${lag}`;
  });
}
