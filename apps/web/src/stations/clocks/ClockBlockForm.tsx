import {
  type ClockInstance,
  type ClockSettings,
  type ClockWish,
  clockInstances,
  clockInstanceText,
  type DeclaredClock,
  findPart,
  planClockBlock,
  withClockSettings,
  withinArchitecture,
  withinModule,
} from "@gate-clock/core";
import { useId, useMemo, useState } from "react";
import { Button } from "../../ui/Button.tsx";
import { formatMhz } from "../../ui/format.ts";
import { useCopy } from "../../ui/use-copy.ts";
import { useCheckResult, useDesign, useTexts } from "../../workbench/context.ts";

const phases = [0, 45, 90, 135, 180, 225, 270, 315];
const field = "h-7 w-20 rounded border border-line bg-cloth px-1 text-right tabular";
const isVhdl = (path: string) => /\.vhdl?$/i.test(path);

/** What is wished of a clock block, the nearest that there is, and the text of it in the source. */
export function ClockBlockForm() {
  const { design } = useDesign();
  const { check } = useCheckResult();
  const { drafts } = useTexts();
  const id = useId();
  const clocks = (check?.clocks ?? []).filter(({ isAutomatic, port }) => !isAutomatic && port !== "");
  const [chosen, setChosen] = useState("");
  const [typedMhz, setTypedMhz] = useState<string | null>(null);
  const [a, setA] = useState<ClockWish>({ mhz: 75, degrees: 0 });
  const [b, setB] = useState<ClockWish | null>(null);
  const [at, setAt] = useState(0);
  const [jitter, setJitter] = useState("");
  const [told, setTold] = useState<string | null>(null);
  const { copy, isCopied, problem } = useCopy();
  const clock: DeclaredClock | undefined = clocks.find(({ name }) => name === chosen) ?? clocks[0];
  const mhz = typedMhz ?? (clock ? String(Number((1e6 / clock.periodPs).toPrecision(7))) : "50");
  const allowedPs = Number(jitter) > 0 ? Number(jitter) : Infinity;
  const family = useMemo(() => findPart(design.part).part?.family, [design.part]);
  const plans = useMemo(
    () => (family ? planClockBlock(Number(mhz), b ? [a, b] : [a], family, { jitterPs: allowedPs }) : []),
    [family, mhz, a, b, allowedPs],
  );
  const sources = design.files.filter(({ kind }) => kind === "source");
  const instances = sources.flatMap((file) =>
    clockInstances(drafts.text(file), isVhdl(file.path) ? "vhdl" : "verilog").map((own) => ({ file, own })),
  );
  const [target, setTarget] = useState("");
  const edited = instances.find(({ file, own }) => `${file.path} ${own.name}` === target);
  const settings: ClockSettings | undefined = plans[Math.min(at, plans.length - 1)];
  if (!family || family.clockBlocks === 0) return null;
  const { input, inside } = family.clockBlockMhz;

  const text = (language: "verilog" | "vhdl") => {
    const own = clock?.port ?? "clk";
    const all = sources.map((file) => drafts.text(file)).join("\n");
    const fresh = (name: string) => {
      let unique = name;
      for (let i = 2; new RegExp(`\\b${unique}\\b`).test(all); i++) unique = `${name}_${i}`;
      return unique;
    };
    const base = own.replace(/\W+/g, "_");
    const nets = {
      instance: fresh(`u_${base}_block`),
      input: own,
      a: fresh(`${base}_a`),
      b: b ? fresh(`${base}_b`) : null,
      locked: fresh(`${base}_locked`),
    };
    return clockInstanceText(settings!, nets, language);
  };
  const wholeText = (language: "verilog" | "vhdl") => {
    const { declared, stated } = text(language);
    return declared + stated;
  };
  const insert = () => {
    const top = check?.hierarchy?.module ?? "";
    for (const file of sources.filter(({ inUse }) => inUse)) {
      const old = drafts.text(file);
      const next = isVhdl(file.path)
        ? withinArchitecture(old, top, text("vhdl"))
        : withinModule(old, top, text("verilog"));
      if (next === null) continue;
      drafts.act(`clock block in ${top}`, [{ fileId: file.id, text: next }]);
      setTold(`It stands at the end of ${top} in ${file.path}.`);
      return;
    }
    setTold("The top is in none of the sources as they are: copy the text, and put it where it belongs.");
  };
  const change = (instance: { readonly file: (typeof sources)[number]; readonly own: ClockInstance }) => {
    const next = withClockSettings(drafts.text(instance.file), instance.own, settings!);
    drafts.act(`settings of ${instance.own.name}`, [{ fileId: instance.file.id, text: next }]);
    setTold(`${instance.own.name} in ${instance.file.path} has them now.`);
  };
  return (
    <details className="mb-6 text-[13px]" data-testid="clock-block">
      <summary className="cursor-pointer font-semibold">Clocks of a block of the part</summary>
      <div className="mt-2 flex flex-wrap items-center gap-x-4 gap-y-2">
        <span className="flex items-center gap-1.5">
          <label htmlFor={`${id}in`}>From</label>
          {clocks.length > 0 && (
            <select
              id={`${id}in`}
              className="h-7 rounded border border-line bg-cloth px-1 font-mono text-xs"
              value={clock?.name}
              onChange={(event) => {
                setChosen(event.target.value);
                setTypedMhz(null);
              }}
            >
              {clocks.map(({ name }) => (
                <option key={name}>{name}</option>
              ))}
            </select>
          )}
          <input
            className={field}
            inputMode="decimal"
            aria-label="Frequency that comes in, MHz"
            value={mhz}
            onChange={(event) => setTypedMhz(event.target.value)}
          />
          MHz
        </span>
        <Wish title="A" wish={a} onChange={setA} />
        {b ? (
          <span className="flex items-center gap-1.5">
            <Wish title="B" wish={b} onChange={setB} />
            <button type="button" className="text-indigo underline" onClick={() => setB(null)}>
              Without B
            </button>
          </span>
        ) : (
          <button type="button" className="text-indigo underline" onClick={() => setB({ mhz: a.mhz / 2, degrees: 0 })}>
            With a second output
          </button>
        )}
        <span className="flex items-center gap-1.5">
          <label htmlFor={`${id}jitter`}>Jitter at most</label>
          <input
            id={`${id}jitter`}
            className={field}
            inputMode="decimal"
            placeholder="any"
            value={jitter}
            onChange={(event) => {
              setJitter(event.target.value);
              setAt(0);
            }}
          />
          ps
        </span>
      </div>
      {plans.length === 0 ? (
        <p className="mt-2 text-warn">
          A clock block of {family.name} takes in {input[0]} to {input[1]} MHz and goes up to {inside} MHz inside; what
          is wished must be more than 0.
        </p>
      ) : (
        <table className="mt-2 w-full" data-testid="clock-plans">
          <thead className="text-left text-soft">
            <tr>
              <th className="w-8" aria-label="Chosen" />
              <th className="font-semibold">Ratio</th>
              <th className="text-right font-semibold">A, MHz</th>
              <th className="text-right font-semibold">off, ppm</th>
              {b && <th className="text-right font-semibold">B, MHz</th>}
              {b && <th className="text-right font-semibold">off, ppm</th>}
              <th className="text-right font-semibold">Phase off</th>
              <th className="text-right font-semibold">Inside, MHz</th>
              <th className="text-right font-semibold">Jitter, ps</th>
            </tr>
          </thead>
          <tbody>
            {plans.map((plan, i) => (
              <tr key={`${plan.multiply} ${plan.outputs[0].divide}`} className="border-t border-line/60">
                <td>
                  <input
                    type="radio"
                    name={`${id}plan`}
                    checked={plan === settings}
                    aria-label={`Setting ${i + 1}`}
                    onChange={() => setAt(i)}
                  />
                </td>
                <td className="tabular">
                  × {plan.multiply} ÷ {plan.outputs.map(({ divide }) => divide).join(", ")}
                </td>
                {plan.outputs.map((output, o) => [
                  // biome-ignore lint/suspicious/noArrayIndexKey: A and B
                  <td key={`m${o}`} className="tabular text-right">
                    {formatMhz(output.mhz)}
                  </td>,
                  // biome-ignore lint/suspicious/noArrayIndexKey: A and B
                  <td key={`p${o}`} className={`tabular text-right ${Math.abs(output.ppm) < 0.5 ? "text-soft" : ""}`}>
                    {output.ppm.toFixed(0)}
                  </td>,
                ])}
                <td className="tabular text-right">
                  {plan.outputs.map(({ degreesOff }) => `${degreesOff}°`).join(", ")}
                </td>
                <td className="tabular text-right">{formatMhz(plan.insideMhz)}</td>
                <td className={`tabular text-right ${plan.jitterPs > allowedPs ? "font-semibold text-warn" : ""}`}>
                  {plan.jitterPs.toFixed(0)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {settings && settings.jitterPs > allowedPs && (
        <p className="mt-2 text-warn">
          No setting keeps the jitter below {jitter} ps with {mhz} MHz coming in: what comes nearest is shown.
        </p>
      )}
      {settings && (
        <div className="mt-2 flex flex-wrap items-center gap-2">
          <select
            className="h-7 rounded border border-line bg-cloth px-1 text-xs"
            aria-label="Where the settings go"
            value={edited ? target : ""}
            onChange={(event) => setTarget(event.target.value)}
          >
            <option value="">a new block</option>
            {instances.map(({ file, own }) => (
              <option key={`${file.path} ${own.name}`} value={`${file.path} ${own.name}`}>
                {own.name} in {file.path}
              </option>
            ))}
          </select>
          {edited ? (
            <Button className="h-7" onClick={() => change(edited)}>
              Change {edited.own.name}
            </Button>
          ) : (
            <Button className="h-7" onClick={insert}>
              Insert into the top
            </Button>
          )}
          {(["verilog", "vhdl"] as const).map((language) => (
            <Button key={language} look="quiet" className="h-7" onClick={() => void copy(wholeText(language))}>
              Copy as {language === "verilog" ? "Verilog" : "VHDL"}
            </Button>
          ))}
          {(problem ?? told ?? isCopied) && (
            <span className="text-soft" role="status">
              {problem ?? (isCopied ? "Copied." : told)}
            </span>
          )}
        </div>
      )}
    </details>
  );
}

function Wish({ title, wish, onChange }: { title: string; wish: ClockWish; onChange: (wish: ClockWish) => void }) {
  return (
    <span className="flex items-center gap-1.5">
      {title}
      <input
        className={field}
        inputMode="decimal"
        aria-label={`Frequency of ${title}, MHz`}
        defaultValue={String(wish.mhz)}
        onChange={(event) => onChange({ ...wish, mhz: Number(event.target.value) })}
      />
      MHz, later by
      <select
        className="h-7 rounded border border-line bg-cloth px-1"
        aria-label={`Phase of ${title}`}
        value={wish.degrees}
        onChange={(event) => onChange({ ...wish, degrees: Number(event.target.value) })}
      >
        {phases.map((each) => (
          <option key={each} value={each}>
            {each}°
          </option>
        ))}
      </select>
    </span>
  );
}
