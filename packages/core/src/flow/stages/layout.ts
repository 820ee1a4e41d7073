import { pack } from "../../pack/pack.ts";
import { place } from "../../place/place.ts";
import { route } from "../../route/route.ts";
import { stage } from "../stage.ts";

export const packStage = stage("pack", {
  word: "pack",
  version: 5,
  settings: ["part"],
  reads: ["synth.structure", "rules.sites"],
  facets: { clusters: { of: (packed) => packed } },
  run: async (given, context) =>
    pack(await given.read("synth.structure"), await given.read("rules.sites"), given.setting("part"), context),
});

export const placeStage = stage("place", {
  word: "place",
  version: 8,
  settings: ["part", "placement", "seed"],
  reads: ["synth.structure", "pack.clusters", "goals.bound"],
  facets: { places: { of: (placed) => placed } },
  async run(given, context) {
    const netlist = await given.read("synth.structure");
    const goals = await given.read("goals.bound");
    const packed = await given.read("pack.clusters");
    return place(netlist, packed, given.setting("part"), goals, given.setting("placement"), context);
  },
});

export const routeStage = stage("route", {
  word: "route",
  version: 7,
  settings: ["part", "routing"],
  reads: ["synth.structure", "pack.clusters", "place.places", "goals.bound"],
  facets: { trees: { of: (routed) => routed } },
  async run(given, context) {
    const netlist = await given.read("synth.structure");
    const goals = await given.read("goals.bound");
    const [packed, placed] = [await given.read("pack.clusters"), await given.read("place.places")];
    return route(netlist, packed, placed, given.setting("part"), goals, given.setting("routing"), context);
  },
});
