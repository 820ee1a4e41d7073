/**
 * The simulated part and its boards. In: a bitstream through the TAP, levels at pads. Out: levels at pads.
 * Levelised generated WebAssembly; see engine.ts.
 */
export { Board, type BoardState, type WrongCapture } from "./board/board.ts";
export { type Circuit, decodeCircuit } from "./decode.ts";
export { SimulatedPart } from "./device.ts";
export { Engine } from "./engine.ts";
export { reduceAndOrder } from "./reduce.ts";
