/** Mapped cells to elements and clusters. In: netlist, pin plan, part. Out: `PackedDesign`. Betz and Marquardt 1997. */
export { pack } from "./pack.ts";
