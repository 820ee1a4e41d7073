import { clockSwitchRun } from "./clock-switch.ts";
import { memoryRun } from "./memory.ts";
import { multiplierRun } from "./multiplier.ts";
import { registerRun } from "./running.ts";

/** How each block of the part runs. */
registerRun("memory", memoryRun);
registerRun("multiplier", multiplierRun);
registerRun("clockBlock", { how: "clock edges" });
registerRun("clockSwitch", clockSwitchRun);
registerRun("serialLane", { how: "serial line" });
