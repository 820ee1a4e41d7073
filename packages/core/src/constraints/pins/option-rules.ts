import type { Finding } from "../../common/finding.ts";
import { removal, replacement } from "./edits.ts";
import { nearestValue, optionHindrance } from "./legal.ts";
import type { PlacedPort } from "./lines.ts";
import { defaultPinOptions, optionText, pinOptionNames } from "./model.ts";

/** Options that a port, its standard or its pin cannot have, and those that nothing comes of. */
export function checkOptions(placed: readonly PlacedPort[]): Finding[] {
  return placed.flatMap((each) => pinOptionNames.flatMap((name) => checkOption(each, name)));
}

function checkOption(
  { assignment, words, need, pin, standard }: PlacedPort,
  name: (typeof pinOptionNames)[number],
): Finding[] {
  const place = words.options.get(name);
  if (!place) return [];
  const value = optionText(assignment, name);
  const hindrance = optionHindrance(name, value, need, pin, standard);
  if (!hindrance) return [];
  const near = nearestValue(name, value, standard);
  const isDefault = hindrance.kind === "no effect" || near === optionText(defaultPinOptions, name);
  const edit = isDefault
    ? removal(place, `Delete ${name}=${value}`)
    : replacement(place, `${name}=${near}`, `Write ${name}=${near}`);
  const { port } = assignment;
  const remedy = isDefault ? `Take ${name}=${value} away.` : `Write ${name}=${near}, the nearest that it has.`;
  if (hindrance.kind === "no effect")
    return [
      {
        code: "pins/no-effect",
        severity: "warning",
        place,
        message: `${name}=${value} has no effect for '${port}': ${hindrance.why}.`,
        remedy,
        edit,
      },
    ];
  return [
    {
      code: `pins/${name}`,
      severity: "error",
      place,
      message: `'${port}' cannot have ${name}=${value}: ${hindrance.why}.`,
      remedy,
      edit,
    },
  ];
}

/** Lines that pull a port otherwise than the source does: the line counts, and it is told. */
export function checkPulls(placed: readonly PlacedPort[]): Finding[] {
  return placed.flatMap(({ assignment, words, need }): Finding[] => {
    const place = words.options.get("pull");
    if (!place || !need.pull || assignment.pull === need.pull) return [];
    return [
      {
        code: "pins/pull",
        severity: "warning",
        place,
        message: `The source pulls '${assignment.port}' ${need.pull}, but its line says pull=${assignment.pull}.`,
        remedy: "The line counts. Take it back, or change the source.",
        edit: removal(place, `Delete pull=${assignment.pull}`),
      },
    ];
  });
}
