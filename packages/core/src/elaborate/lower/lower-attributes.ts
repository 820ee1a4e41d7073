import { nearestName } from "../../common/finding.ts";
import {
  isSynthAttribute,
  type NamedAttributes,
  readSynthAttribute,
  type SynthAttributes,
  synthAttributeNames,
} from "../../netlist/attributes.ts";
import type { DesignModel, Instance } from "../model.ts";
import type { Report } from "../report.ts";

/**
 * What the source asks of synthesis, checked. Attributes that are meant for other tools are passed over; one that is
 * nearly ours is told.
 */
export function lowerAttributes(design: DesignModel, report: Report): NamedAttributes[] {
  const found = new Map<string, { name: string; isScope: boolean; values: SynthAttributes }>();
  const add = (name: string, isScope: boolean, values: SynthAttributes) => {
    const key = `${isScope} ${name}`;
    const old = found.get(key);
    found.set(key, { name, isScope, values: { ...old?.values, ...values } });
  };
  for (const { of, isScope, name, value, loc } of design.attributes) {
    if (!isSynthAttribute(name)) {
      const near = nearestName(name, synthAttributeNames);
      if (near)
        report.warn(
          "circuit/attribute",
          loc,
          `There is no attribute '${name}', so it changes nothing.`,
          `Did you mean '${near}'?`,
        );
      continue;
    }
    const reading = readSynthAttribute(name, value);
    if (reading.kind === "ok") add(of, isScope, reading.values);
    else
      report.warn(
        "circuit/attribute",
        loc,
        `'${name}' cannot be ${typeof value === "string" ? `"${value}"` : value}, so it changes nothing.`,
        `Give it ${reading.wanted}.`,
      );
  }
  // a scope that is kept keeps the nets at its border
  const instances = new Map<string, Instance>();
  const walk = (instance: Instance) => {
    instances.set(instance.path.split(".").slice(1).join("."), instance);
    instance.children.forEach(walk);
  };
  if ([...found.values()].some(({ isScope, values }) => isScope && values.keep !== undefined)) {
    walk(design.top);
    const byInstance = new Map<Instance, string[]>();
    for (const { instance, direction, name } of design.signals) {
      if (!direction) continue;
      const list = byInstance.get(instance);
      if (list) list.push(name);
      else byInstance.set(instance, [name]);
    }
    for (const { name, isScope, values } of [...found.values()]) {
      if (!isScope || values.keep === undefined) continue;
      const { keep, ...others } = values;
      found.set(`true ${name}`, { name, isScope, values: others });
      const instance = instances.get(name);
      if (keep && instance) for (const port of byInstance.get(instance) ?? []) add(port, false, { keep: true });
    }
  }
  return [...found.values()].filter(({ values }) => Object.keys(values).length > 0);
}
