/** Pin files and SDC: read, check against part and design, write back. Out: pin plan and clock rules. */

export {
  type BoardBus,
  boardBuses,
  type Claim,
  type ClaimPort,
  claimAll,
  claimPorts,
  suggestClaims,
} from "./pins/claims.ts";
export { legalValues, PinChoices } from "./pins/legal.ts";
export type { PlacedPort } from "./pins/lines.ts";
export {
  defaultPinOptions,
  optionText,
  type ParsedPin,
  type PinAssignment,
  type PinDelay,
  type PinElectrical,
  type PinNeed,
  type PinOptionName,
  type PinPlan,
  type PinSite,
  type PlannedPin,
  pinOptionNames,
  serialStandard,
} from "./pins/model.ts";
export { movePins, type PinMove } from "./pins/moves.ts";
export { pairOf } from "./pins/pairs.ts";
export { planPins, type ResolvedPins, resolvePins } from "./pins/plan.ts";
export { type PortOfBits, portsOf } from "./pins/ports.ts";
export { parsePins } from "./pins/read.ts";
export { comparePins, type PinDifference, readPinSheet, type SheetFault, writePinSheet } from "./pins/sheet.ts";
export { type TransferredPin, transferPins, withTransfer } from "./pins/transfer.ts";
export {
  claimedPins,
  formatPin,
  insideLine,
  placedPorts,
  withInside,
  withLinesOf,
  withoutPins,
  withPinOption,
  withPins,
  withPlaces,
} from "./pins/write.ts";
export { type ClockMaker, type PortCircuit, portCircuit } from "./port-circuit.ts";
export type { PortClock } from "./port-clocks.ts";
export type { PortLink } from "./port-links.ts";
export { TimingCompleter, type TimingName, typedWord } from "./sdc/complete.ts";
export type { QueryRecord } from "./sdc/queries.ts";
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
