import type { ClockBlockModes, ClockSwitchModes } from "../netlist/rtl.ts";

export function clockMakerSymbol(modes: ClockBlockModes | ClockSwitchModes): string {
  return modes.type === "clockBlock" ? "clock block" : "clock switch";
}

/** What each output of a clock block is of its input, or how a switch changes over. */
export function clockMakerWords(modes: ClockBlockModes | ClockSwitchModes): string[] {
  if (modes.type === "clockSwitch") return ["changes over while both clocks are low"];
  return modes.divide.map((divide, i) => {
    const lag = modes.phase[i] ? `, ${modes.phase[i] * 45}° later` : "";
    return `${"AB"[i]}: input × ${ratioText(modes.multiply, divide)}${lag}`;
  });
}

/** `3/2`, or `4` where nothing is left to divide by. */
export function ratioText(multiply: number, divide: number): string {
  let [a, b] = [multiply, divide];
  while (b) [a, b] = [b, a % b];
  return divide === a ? `${multiply / a}` : `${multiply / a}/${divide / a}`;
}
