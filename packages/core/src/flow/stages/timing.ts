import { analyzeTiming } from "../../timing/analyze.ts";
import { stage } from "../stage.ts";

export const timingStage = stage("timing", {
  word: "timing",
  version: 8,
  settings: ["part"],
  reads: ["synth.named", "pack.clusters", "place.places", "route.trees", "rules.delays", "rules.clocks"],
  facets: {},
  run: async (given, context) =>
    analyzeTiming(
      {
        netlist: await given.read("synth.named"),
        packed: await given.read("pack.clusters"),
        placed: await given.read("place.places"),
        routed: await given.read("route.trees"),
        pins: await given.read("rules.delays"),
        part: given.setting("part"),
      },
      await given.read("rules.clocks"),
      context,
    ),
});
