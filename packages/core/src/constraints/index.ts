/** Pin files and SDC: read, check against part and design, write back. Out: pin plan and clock rules. */
export { pairOf } from "./io-rules.ts";
export {
  defaultPinOptions,
  formatPin,
  type ParsedPin,
  type PinAssignment,
  type PinNeed,
  type PinPlan,
  parsePins,
  planPins,
} from "./pins.ts";
export { type ClockRule, checkClocks, type ParsedClock, parseSdc } from "./sdc.ts";
