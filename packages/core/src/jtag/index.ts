/** TAP controller states, instructions, chain and cable stand-in: bit-level IEEE 1149.1. */
export { Cable, Chain } from "./chain.ts";
export {
  instruction,
  irBits,
  nextTapState,
  statusBit,
  statusFaultShift,
  type TapDevice,
  type TapState,
  tapStates,
} from "./tap.ts";
