import type { TimingRules } from "./sdc/rules.ts";

/** A clock that comes in at a port. Times in ps. */
export interface PortClock {
  readonly name: string;
  readonly port: string;
  readonly periodPs: number;
  readonly risePs: number;
  readonly fallPs: number;
}

/** Clocks that lines declare at ports, by name: what stages need that only ask how fast a port runs. */
export function portClocks({ clocks, objects }: TimingRules): PortClock[] {
  const found = clocks.flatMap(({ name, periodPs, edgesPs, sources, generated }): PortClock[] => {
    if (generated) return [];
    return sources.flatMap((source): PortClock[] => {
      const object = objects[source];
      if (object.kind !== "port") return [];
      return [{ name, port: object.name, periodPs, risePs: edgesPs[0], fallPs: edgesPs[1] }];
    });
  });
  return found.sort((a, b) => (a.name < b.name ? -1 : a.name > b.name ? 1 : 0));
}
