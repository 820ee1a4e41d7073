import type { DesignFile } from "@gate-clock/contract";
import type { Finding } from "@gate-clock/core";
import type { PinState } from "../../pins/pin-state.ts";
import { Button } from "../../ui/Button.tsx";
import { Verdict } from "../../ui/Verdict.tsx";
import { CheckVerdict } from "../../workbench/CheckVerdict.tsx";
import { useDesign } from "../../workbench/context.ts";

/**
 * The verdict on the pins: what is illegal, then what nobody placed.
 * @param findings Of the files that the target uses, or of one alone; null while they are not known.
 */
export function PinVerdict({
  state,
  findings,
  file,
  isAlone,
  onKeep,
}: {
  state: PinState | null;
  findings: readonly Finding[] | null;
  file: DesignFile | undefined;
  isAlone: boolean;
  onKeep: () => void;
}) {
  return (
    <CheckVerdict waiting="Checking the pins…">
      {findings && <Words state={state} findings={findings} file={file} isAlone={isAlone} onKeep={onKeep} />}
    </CheckVerdict>
  );
}

function Words({
  state,
  findings,
  file,
  isAlone,
  onKeep,
}: Omit<Parameters<typeof PinVerdict>[0], "findings"> & { findings: readonly Finding[] }) {
  const { design } = useDesign();
  const errors = findings.filter(({ severity }) => severity === "error");
  const alone = isAlone && file ? ` By ${file.path} alone.` : "";
  if (errors.length)
    return (
      <Verdict tone="bad" figure={String(errors.length)} unit={errors.length === 1 ? "illegal pin" : "illegal pins"}>
        {errors[0].message} {errors[0].remedy}
        {alone}
      </Verdict>
    );
  if (!state) return <Verdict tone="open">Pins can be checked once the sources have no errors.</Verdict>;
  const pins = [...state.pinOf.values()];
  const automatic = pins.filter((pin) => pin.automatic).length;
  const inside = state.resolved.lines.inside.size;
  const andInside = inside ? ` ${inside} ${inside === 1 ? "bit stays" : "bits stay"} inside.` : "";
  if (automatic)
    return (
      <Verdict
        tone="warn"
        figure={`${pins.length - automatic} of ${pins.length}`}
        unit="placed"
        aside={file && <Button onClick={onKeep}>Write them into {file.path}</Button>}
      >
        {automatic} {automatic === 1 ? "port bit has" : "port bits have"} no line in the pin file and got legal pins by
        themselves.{andInside}
        {alone}
      </Verdict>
    );
  return (
    <Verdict tone="good" figure={String(pins.length)} unit="pins placed">
      Every port bit has a legal pin on {design.part}.{andInside}
      {alone}
    </Verdict>
  );
}
