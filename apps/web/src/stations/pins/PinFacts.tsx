import {
  type Contact,
  legalValues,
  PinChoices,
  type PinOptionName,
  type PlacedPort,
  pairOf,
  pinOptionNames,
} from "@gate-clock/core";
import { useId } from "react";
import { contactText, optionNow, type PinState, standardsFor } from "../../pins/pin-state.ts";

const optionTitles: Readonly<Record<PinOptionName, string>> = {
  drive: "Drive, mA",
  slew: "Slew",
  pull: "Pull",
  hysteresis: "Hysteresis",
  register: "Register in the pad",
  termination: "Termination",
  clock: "Clock comes by",
  initial: "Starts at",
};

/** All that can be set for the port that has the focus, and why the rest cannot; of a free contact, what it is. */
export function PinFacts({
  state,
  port,
  contact,
  onOption,
  onInside,
}: {
  state: PinState;
  port: string | null;
  contact: Contact | null;
  onOption: (name: PinOptionName | "standard", value: string) => void;
  onInside: (isInside: boolean) => void;
}) {
  const need = port === null ? undefined : state.needByName.get(port);
  if (!need)
    return (
      <p className="px-4 py-2 text-[13px] text-soft" data-testid="pin-facts">
        {contact ? contactText(contact, state) : "Choose a port or a contact to see all that can be set there."}
      </p>
    );
  const placed = state.resolved.lines.byPort.get(need.bitName);
  const isInside = state.resolved.lines.inside.has(need.bitName);
  const where = contact ? contactText(contact, state) : isInside ? "Kept inside: a register stands in for its pad" : "";
  return (
    <section className="max-h-44 overflow-auto px-4 py-2 text-[13px]" data-testid="pin-facts">
      <div className="flex items-baseline gap-3">
        <h2 className="min-w-0 truncate font-mono font-semibold">{need.bitName}</h2>
        <p className="min-w-0 flex-1 truncate text-soft" title={where}>
          {where}
        </p>
        {!need.isClock && !need.serial && (
          <label
            className="flex shrink-0 items-center gap-1.5"
            title="No pad: a register stands in for it, for a study"
          >
            <input type="checkbox" checked={isInside} onChange={(event) => onInside(event.target.checked)} />
            Keep inside
          </label>
        )}
      </div>
      {placed ? (
        <Options state={state} placed={placed} onOption={onOption} />
      ) : (
        !isInside && <p className="mt-1 text-soft">No line places it yet: drag it to a contact, or type a pin.</p>
      )}
    </section>
  );
}

function Options({
  state,
  placed,
  onOption,
}: {
  state: PinState;
  placed: PlacedPort;
  onOption: (name: PinOptionName | "standard", value: string) => void;
}) {
  const { need, pin, standard } = placed;
  const partner = standard.isDifferential ? pairOf(state.part, pin)?.pin.name : null;
  const fields = pinOptionNames
    .map((name) => ({ name, values: legalValues(name, placed), now: optionNow(placed, name) }))
    .filter(({ values, now }) => values.length > 1 || !values.includes(now));
  const choices = new PinChoices(state.resolved.lines, state.part, state.resolved.ties, new Set([need.bitName]));
  const barred = state.part.family.standards.flatMap((each) => {
    const why = choices.standardHindrance(each, pin, need);
    return why === null ? [] : [{ name: each.name, why }];
  });
  const reasons = new Map<string, string[]>();
  for (const { name, why } of barred) reasons.set(why, [...(reasons.get(why) ?? []), name]);
  return (
    <>
      <div className="mt-1.5 flex flex-wrap gap-x-4 gap-y-1.5">
        <Field
          title="Standard"
          now={standard.name}
          values={standardsFor(placed, state)}
          onChange={(value) => onOption("standard", value)}
        />
        {fields.map(({ name, values, now }) => (
          <Field
            key={name}
            title={optionTitles[name]}
            now={now}
            values={values}
            onChange={(value) => onOption(name, value)}
          />
        ))}
        {partner && (
          <p>
            Other level at <span className="font-mono">{partner}</span>
          </p>
        )}
        {need.initial !== undefined && need.initial !== "x" && (
          <p className="text-soft">Source starts it at {need.initial}</p>
        )}
      </div>
      {reasons.size > 0 && (
        <details className="mt-1 text-soft">
          <summary className="cursor-pointer">{barred.length} standards cannot be had here</summary>
          <ul className="ml-4 list-disc">
            {[...reasons].map(([why, names]) => (
              <li key={why}>
                {names.join(", ")}: {why}
              </li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}

function Field({
  title,
  now,
  values,
  onChange,
}: {
  title: string;
  now: string;
  values: readonly string[];
  onChange: (value: string) => void;
}) {
  const id = useId();
  return (
    <span className="flex items-center gap-1.5">
      <label htmlFor={id} className="text-soft">
        {title}
      </label>
      <select
        id={id}
        className="h-6 rounded border border-line bg-panel px-1 font-mono text-xs"
        value={now}
        onChange={(event) => onChange(event.target.value)}
      >
        {!values.includes(now) && <option value={now}>{now}</option>}
        {values.map((value) => (
          <option key={value}>{value}</option>
        ))}
      </select>
    </span>
  );
}
