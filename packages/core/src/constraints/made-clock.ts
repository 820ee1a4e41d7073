import type { ClockBlockModes, ClockSwitchModes } from "../netlist/rtl.ts";
import type { ClockRule } from "./sdc.ts";

/** A clock wherever it has come to. Times in ps. */
export type MadeClock = Omit<ClockRule, "port">;

/** What comes out of a clock block or switch for a clock that goes in. */
export function clockFrom(clock: MadeClock, modes: ClockBlockModes | ClockSwitchModes, output: number): MadeClock {
  if (modes.type === "clockSwitch") return clock;
  const [divide, phase] = [modes.divide[output], modes.phase[output]];
  const periodPs = (clock.periodPs * divide) / modes.multiply;
  const risePs = clock.risePs + (periodPs * phase) / 8;
  return {
    name: `${clock.name} × ${ratioText(modes.multiply, divide)}${phase ? `, ${phase * 45}° later` : ""}`,
    periodPs,
    risePs,
    fallPs: risePs + periodPs / 2,
  };
}

/** `3/2`, or `4` where nothing is left to divide by. */
export function ratioText(multiply: number, divide: number): string {
  let [a, b] = [multiply, divide];
  while (b) [a, b] = [b, a % b];
  return divide === a ? `${multiply / a}` : `${multiply / a}/${divide / a}`;
}
