import type { PinNeed } from "../../src/constraints/index.ts";

/** A port bit that needs a pin. */
export const need = (
  bitName: string,
  direction: PinNeed["direction"] = "input",
  more: Partial<PinNeed> = {},
): PinNeed => ({ bitName, direction, isClock: false, ...more });
