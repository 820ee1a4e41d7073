import type { ObjectIndex, Part, WrongCapture } from "@gate-clock/core";
import { Gauge, Square } from "lucide-react";
import { useEffect, useState } from "react";
import type { BenchSession } from "../../sessions/bench-session.ts";
import { Button } from "../../ui/Button.tsx";
import { formatCount, formatMhz } from "../../ui/format.ts";
import type { Tone } from "../../ui/Verdict.tsx";
import type { BenchFrame, Limit } from "../../workers/bench.worker.ts";

/** Where a register lies, with its name where the design on the bench is known. */
export function nameOf(wrong: WrongCapture, part: Part | null, index: ObjectIndex | null): string {
  const name = index?.flipFlopAt(wrong.tile, wrong.element) ?? null;
  const place = part ? `x${part.fabric.tileX(wrong.tile)}y${part.fabric.tileY(wrong.tile)}` : `tile ${wrong.tile}`;
  return name ? `'${name}' at ${place}` : `the register at ${place}, place ${wrong.element}`;
}

/** What the bench has to say while the part runs with its delays; null where that is nothing of its own. */
export function timedVerdict(
  frame: BenchFrame | null,
  turning: number | null,
  limit: Limit | null,
  register: string | null,
): { tone: Tone; figure?: string; unit?: string; text: string } | null {
  if (!frame?.state.powered || !frame.state.configured || !frame.state.delays) return null;
  if (turning !== null)
    return {
      tone: "open",
      figure: formatMhz(turning / 1e6),
      unit: "MHz",
      text: "Turning the oscillator up until it fails.",
    };
  if (limit) {
    const figure = formatMhz(limit.goodHz / 1e6);
    if (!limit.bad)
      return {
        tone: "good",
        figure,
        unit: "MHz",
        text: `Captures all as it should at any frequency that was tried, over ${formatCount(limit.cycles)} cycles each.`,
      };
    if (limit.goodHz === 0)
      return {
        tone: "bad",
        text: `Captures wrong at every frequency: ${register}. That is no matter of the clock's period.`,
      };
    return {
      tone: "plain",
      figure,
      unit: "MHz",
      text: `is the most that it runs at. At ${formatMhz(limit.bad.hz / 1e6)} MHz ${register} captures wrong, by cycle ${formatCount(limit.bad.wrong.cycle)}.`,
    };
  }
  const { wrong, frequencyHz, delays } = frame.state;
  if (wrong)
    return {
      tone: "bad",
      figure: formatMhz(frequencyHz / 1e6),
      unit: "MHz",
      text: `is too fast at ${delays}: by cycle ${formatCount(wrong.cycle)} ${register} had captured what it should not${wrong.registers > 1 ? `, and ${wrong.registers - 1} more` : ""}.`,
    };
  return null;
}

/** Any frequency, and the search for the highest. */
export function DelayedOscillator({
  bench,
  frame,
  turning,
  limit,
  expectedMhz,
}: {
  readonly bench: BenchSession;
  readonly frame: BenchFrame | null;
  readonly turning: number | null;
  readonly limit: Limit | null;
  /** What timing has found for this clock; null where it is not known. */
  readonly expectedMhz: number | null;
}) {
  const hz = frame?.state.frequencyHz ?? 0;
  const [text, setText] = useState(formatMhz(hz / 1e6));
  useEffect(() => setText(formatMhz(hz / 1e6)), [hz]);
  const take = () => {
    const mhz = Number(text);
    if (mhz >= 0.1 && mhz <= 2000) bench.setFrequency(mhz * 1e6);
    else setText(formatMhz(hz / 1e6));
  };
  return (
    <div className="flex flex-col gap-2">
      <label className="flex items-center gap-2">
        <input
          aria-label="Oscillator frequency in MHz"
          data-testid="oscillator"
          inputMode="decimal"
          className="tabular h-8 w-24 rounded-md border border-line bg-cloth px-2 text-right"
          disabled={turning !== null}
          value={text}
          onChange={(event) => setText(event.target.value)}
          onBlur={take}
          onKeyDown={(event) => event.key === "Enter" && take()}
        />
        MHz
      </label>
      {turning === null ? (
        <Button disabled={!frame?.state.configured} onClick={() => void bench.turnUp()} data-testid="turn-up">
          <Gauge className="size-4" /> Turn up until it fails
        </Button>
      ) : (
        <Button onClick={() => bench.stopTurning()} data-testid="stop-turning">
          <Square className="size-4" /> Stop at {formatMhz(turning / 1e6)} MHz
        </Button>
      )}
      {expectedMhz !== null && (
        <p className="text-[13px] text-soft" data-testid="expected">
          Timing says {formatMhz(expectedMhz)} MHz
          {limit?.goodHz ? `; it runs at ${formatMhz(limit.goodHz / 1e6)} MHz` : ""}.
          {limit?.goodHz && limit.goodHz / 1e6 > 1.05 * expectedMhz
            ? " What the board does now may not use the slowest path."
            : ""}
        </p>
      )}
    </div>
  );
}
