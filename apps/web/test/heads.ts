import { stations } from "../src/stations/heads.ts";
import type { HeadView, StationHead } from "../src/workbench/station.ts";

/** What the rail says of each station, by its path, in a view that has nothing but these. */
export const headsOf = (view: Partial<HeadView>): Record<string, StationHead> =>
  Object.fromEntries(
    stations.map((station) => [
      station.path,
      station.head({
        trial: null,
        reference: null,
        check: null,
        checkKind: "current",
        told: null,
        accepted: new Set(),
        benches: { figure: "not run", tone: "open", isOld: false },
        ...view,
      }),
    ]),
  );
