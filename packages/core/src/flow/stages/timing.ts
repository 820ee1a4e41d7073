import { analyzeTiming } from "../../timing/analyze.ts";
import { laidOut } from "../../timing/timed-circuit.ts";
import { stage } from "../stage.ts";

export const timingStage = stage("timing", {
  word: "timing",
  version: 10,
  settings: ["part"],
  reads: ["synth.timed", "pack.clusters", "place.places", "route.trees", "rules.delays", "rules.timing"],
  facets: {},
  run: async (given, context) =>
    analyzeTiming(
      laidOut({
        netlist: await given.read("synth.timed"),
        packed: await given.read("pack.clusters"),
        placed: await given.read("place.places"),
        routed: await given.read("route.trees"),
        pins: await given.read("rules.delays"),
        part: given.setting("part"),
      }),
      await given.read("rules.timing"),
      context,
    ),
});
