/** Pin files and SDC: read, check against part and design, write back. Out: pin plan and clock rules. */
export {
  type BoardBus,
  boardBuses,
  type Claim,
  type ClaimPort,
  claimAll,
  claimPorts,
  suggestClaims,
} from "./claims.ts";
export { pairOf } from "./io-rules.ts";
export { claimedPins, withoutPins, withPins } from "./pin-lines.ts";
export {
  defaultPinOptions,
  formatPin,
  type ParsedPin,
  type PinAssignment,
  type PinDelay,
  type PinElectrical,
  type PinNeed,
  type PinPlan,
  type PinSite,
  parsePins,
  planPins,
} from "./pins.ts";
export { type ClockMaker, type PortCircuit, portCircuit } from "./port-circuit.ts";
export type { PortClock } from "./port-clocks.ts";
export type { QueryRecord } from "./sdc/queries.ts";
export { timingCommands } from "./sdc/read.ts";
export {
  canBeSwitched,
  type TimingRow,
  timingRows,
  withOption,
  withoutRow,
  withRowSwitched,
  withValue,
} from "./sdc/rows.ts";
export type { RuleOrigin, TimingRules } from "./sdc/rules.ts";
