import { type ComponentType, lazy } from "react";
import type { StationPage } from "../workbench/station.ts";
import { stations as heads } from "./heads.ts";

// each station is a piece of its own: the first page does not wait for charts and boards
const page = <K extends string>(name: K, load: () => Promise<Record<K, ComponentType>>) =>
  lazy(async () => ({ default: (await load())[name] }));

const pages: Readonly<Record<string, ComponentType>> = {
  sources: page("SourcesStation", () => import("./sources/SourcesStation.tsx")),
  simulate: page("SimulateStation", () => import("./simulate/SimulateStation.tsx")),
  circuit: page("CircuitStation", () => import("./circuit/CircuitStation.tsx")),
  pins: page("PinsStation", () => import("./pins/PinsStation.tsx")),
  clocks: page("ClocksStation", () => import("./clocks/ClocksStation.tsx")),
  fit: page("FitStation", () => import("./fit/FitStation.tsx")),
  layout: page("LayoutStation", () => import("./layout/LayoutStation.tsx")),
  timing: page("TimingStation", () => import("./timing/TimingStation.tsx")),
  image: page("ImageStation", () => import("./image/ImageStation.tsx")),
  bench: page("BenchStation", () => import("./bench/BenchStation.tsx")),
};

/** Every station: its name, its place in the way of the work, its headline figure and its page. */
export const stations: readonly StationPage[] = heads.map((station) => ({ ...station, Page: pages[station.path] }));
