import { type CornerName, findBoard, findPart, type ImageArtifact, listBoards, timingCorners } from "@gate-clock/core";
import { useQuery } from "@tanstack/react-query";
import { Cable, FileUp, Power, Zap } from "lucide-react";
import { useCallback, useEffect, useMemo, useRef, useSyncExternalStore } from "react";
import { artifactQuery } from "../../app/queries.ts";
import type { Programmed } from "../../sessions/bench-session.ts";
import { Button } from "../../ui/Button.tsx";
import { formatBytes, formatCount, formatDuration, formatMhz, formatPercent } from "../../ui/format.ts";
import { type Tone, Verdict } from "../../ui/Verdict.tsx";
import { useDesign, useSessions } from "../../workbench/context.ts";
import { useObjectIndex } from "../../workbench/use-object-index.ts";
import type { BenchFrame, ChainEntry } from "../../workers/bench.worker.ts";
import { BoardView } from "./BoardView.tsx";
import { DelayedOscillator, nameOf, timedVerdict } from "./Delayed.tsx";

export function BenchStation() {
  const { trial, design } = useDesign();
  const { bench } = useSessions();
  const { data: image } = useQuery(artifactQuery(trial, "image"));
  const board = useMemo(
    () =>
      findBoard(design.board ?? "").board ??
      listBoards().find(
        (candidate) => candidate.part.split("-").slice(0, 2).join("-") === design.part.split("-").slice(0, 2).join("-"),
      ) ??
      listBoards()[0],
    [design.board, design.part],
  );
  const { frame, chain, progress, programmed, turning, limit } = useSyncExternalStore(
    bench.subscribe,
    bench.getSnapshot,
  );
  const fileInput = useRef<HTMLInputElement>(null);
  useEffect(() => bench.open(board.name), [bench, board.name]);
  const isOn = frame?.state.powered ?? false;
  const portAt = usePortNames(image, programmed);
  const delays = frame?.state.delays ?? null;
  const wrong = limit?.bad?.wrong ?? frame?.state.wrong ?? null;
  const isOwnTrial = programmed?.key != null && programmed.key === image?.designKey;
  const index = useObjectIndex(wrong && isOwnTrial ? "object" : null);
  const { data: timing } = useQuery(artifactQuery(trial, "timing"));
  // at the corner that its highest clock is of
  const expectedMhz =
    isOwnTrial && delays === "slow-hot" && timing?.clocks.length === 1 ? timing.clocks[0].fmaxMhz : null;
  const { tone, figure, unit, text } =
    timedVerdict(frame, turning, limit, wrong && nameOf(wrong, findPart(board.part).part, index)) ??
    verdictOf(frame, chain, programmed, image, progress);

  return (
    <div className="flex h-full flex-col">
      <Verdict tone={tone} figure={figure} unit={unit}>
        {text}
      </Verdict>
      <div className="grid min-h-0 flex-1 grid-cols-[244px_minmax(0,1fr)]">
        <aside className="flex min-h-0 flex-col gap-5 overflow-auto border-r border-line bg-panel p-5">
          <Step number={1} title="Power">
            <Button look={isOn ? "plain" : "main"} onClick={() => void bench.power(!isOn)} data-testid="power">
              <Power className="size-4" /> {isOn ? "Switch off" : "Switch on"}
            </Button>
          </Step>
          <Step number={2} title="Find the chain">
            <Button
              look={isOn && !chain ? "main" : "plain"}
              disabled={!isOn}
              onClick={() => void bench.findChain()}
              data-testid="find-chain"
            >
              <Cable className="size-4" /> Find devices
            </Button>
            {chain && (
              <ol className="mt-2 text-[13px]" data-testid="chain">
                {chain.map((entry, i) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: a device's place on the chain is what it is known by
                  <li key={i} className="flex justify-between border-b border-line/60 py-1">
                    <span>{entry.name}</span>
                    <span className="font-mono text-xs">{entry.idcode}</span>
                  </li>
                ))}
              </ol>
            )}
          </Step>
          <Step number={3} title="Program">
            <div className="flex gap-2">
              <Button
                look={isOn && chain && !programmed ? "main" : "plain"}
                disabled={!isOn || !image || progress !== null}
                onClick={() => image && trial && void bench.program(image.file, `trial ${trial.number}`, image)}
                data-testid="program"
              >
                <Zap className="size-4" /> Program{trial && image ? ` trial ${trial.number}` : ""}
              </Button>
              <Button
                look="quiet"
                disabled={!isOn || progress !== null}
                onClick={() => fileInput.current?.click()}
                title="Program a .bits file from disk"
                aria-label="Program a file from disk"
              >
                <FileUp className="size-4" />
              </Button>
              <input
                ref={fileInput}
                type="file"
                accept=".bits"
                className="hidden"
                data-testid="bit-file"
                onChange={async (event) => {
                  const file = event.target.files?.[0];
                  if (file) await bench.program(new Uint8Array(await file.arrayBuffer()), file.name, null);
                  event.target.value = "";
                }}
              />
            </div>
            {!image && <p className="mt-2 text-[13px] text-soft">There is no image yet: build the design first.</p>}
            {progress !== null && (
              <progress className="mt-2 h-2 w-full" value={progress} max={1} aria-label="Programming" />
            )}
            {programmed?.result.ok && (
              <p className="mt-2 text-[13px] text-soft">
                {formatBytes(programmed.bytes)} from {programmed.what}, {formatCount(programmed.result.clocks)} clocks
                of TCK in {formatDuration(programmed.result.elapsedMs)}.
              </p>
            )}
          </Step>
          <Step number={4} title="Delays">
            <select
              aria-label="Delays of wires and elements"
              data-testid="delays"
              className="h-8 w-full rounded-md border border-line bg-cloth px-2"
              disabled={turning !== null}
              value={delays ?? ""}
              onChange={(event) => bench.setDelays((event.target.value || null) as CornerName | null)}
            >
              <option value="">None: fastest to run</option>
              {timingCorners.map((corner) => (
                <option key={corner} value={corner}>
                  As routed, {corner}
                </option>
              ))}
            </select>
          </Step>
          <Step number={5} title="Oscillator">
            {delays ? (
              <DelayedOscillator
                bench={bench}
                frame={frame}
                turning={turning}
                limit={limit}
                expectedMhz={expectedMhz}
              />
            ) : (
              <select
                aria-label="Oscillator frequency"
                className="h-8 rounded-md border border-line bg-cloth px-2"
                value={frame?.state.frequencyHz ?? board.oscillator.startHz}
                onChange={(event) => bench.setFrequency(Number(event.target.value))}
              >
                {board.oscillator.frequenciesHz.map((hz) => (
                  <option key={hz} value={hz}>
                    {hz / 1e6} MHz
                  </option>
                ))}
              </select>
            )}
          </Step>
          {frame?.state.configured && (
            <dl className="grid grid-cols-[auto_1fr] gap-x-3 gap-y-1 border-t border-line pt-4 text-[13px]">
              <dt className="text-soft">Time on the board</dt>
              <dd className="tabular text-right">{frame.state.simulatedSeconds.toFixed(2)} s</dd>
              <dt className="text-soft">Against real time</dt>
              <dd className="tabular text-right" data-testid="pace">
                {formatPercent(100 * frame.pace)} %
              </dd>
              <dt className="text-soft">Speed now</dt>
              <dd className="tabular text-right">{formatMhz((frame.pace * frame.state.frequencyHz) / 1e6)} MHz</dd>
              {frame.state.caught !== null && (
                <>
                  <dt className="text-soft">Caught in a change</dt>
                  <dd className="tabular text-right" data-testid="caught">
                    {formatCount(frame.state.caught)}
                  </dd>
                </>
              )}
              <dt className="text-soft">At most</dt>
              <dd className="tabular text-right">{formatMhz(frame.topHz / 1e6)} MHz</dd>
              <dt className="text-soft">Decoded from the bits</dt>
              <dd className="tabular text-right">
                {frame.luts} LUTs, {frame.flipFlops} flip-flops
              </dd>
            </dl>
          )}
        </aside>
        <div className="min-h-0 overflow-auto bg-cloth p-3">
          {frame && (
            <BoardView
              board={board}
              state={frame.state}
              portAt={portAt}
              onSwitch={(index, on) => bench.setSwitch(index, on)}
              onButton={(index, held) => bench.setButton(index, held)}
            />
          )}
          <p className="mx-auto mt-4 w-[720px] text-center text-[13px] text-soft">
            Click a switch, hold a button. The names are those of the design's ports.
          </p>
        </div>
      </div>
    </div>
  );
}

function Step({ number, title, children }: { number: number; title: string; children: React.ReactNode }) {
  return (
    <section>
      <h2 className="mb-2 flex items-center gap-2 text-[13px] font-semibold">
        <span className="inline-flex size-5 items-center justify-center rounded-full bg-raised text-xs">{number}</span>
        {title}
      </h2>
      {children}
    </section>
  );
}

/** Names of the ports that the board runs; before it runs anything, those of the last image. */
function usePortNames(
  image: ImageArtifact | undefined,
  programmed: Programmed | null,
): (pin: string) => string | undefined {
  const names = useMemo(
    () => programmed?.ports ?? new Map(image?.ports.map((port) => [port.pin, port.port])),
    [image, programmed],
  );
  return useCallback((pin: string) => names.get(pin), [names]);
}

function verdictOf(
  frame: BenchFrame | null,
  chain: readonly ChainEntry[] | null,
  programmed: Programmed | null,
  image: ImageArtifact | undefined,
  progress: number | null,
): { tone: Tone; figure?: string; unit?: string; text: string } {
  if (progress !== null)
    return {
      tone: "open",
      figure: `${Math.round(100 * progress)} %`,
      text: "Shifting the bitstream in through the TAP.",
    };
  if (!frame?.state.powered)
    return { tone: "open", text: "The board is off. Switch it on, find the chain, program it." };
  if (programmed && !programmed.result.ok)
    return {
      tone: "bad",
      text: `The part refused ${programmed.what} and stays unconfigured: ${programmed.result.reason}.`,
    };
  if (programmed && frame.state.configured) {
    if (frame.state.unstable)
      return { tone: "warn", text: "It is running, but a combinational loop in the circuit does not settle." };
    const isOld = image && programmed.key !== null && programmed.key !== image.designKey;
    const text = `The board runs ${programmed.what}${frame.pace > 0.95 ? " in real time" : ""}.${isOld ? " A newer image has been built: program it to see the change." : ""}`;
    return {
      tone: isOld ? "warn" : "good",
      figure: formatMhz((frame.pace * frame.state.frequencyHz) / 1e6),
      unit: "MHz",
      text,
    };
  }
  if (frame.state.configured)
    return {
      tone: "good",
      figure: formatMhz((frame.pace * frame.state.frequencyHz) / 1e6),
      unit: "MHz",
      text: "The board started by itself, with what the flash on the part's die holds.",
    };
  if (chain)
    return {
      tone: chain.length ? "plain" : "bad",
      figure: String(chain.length),
      unit: chain.length === 1 ? "device" : "devices",
      text: chain.length ? "The chain answers. Program the part to run your design." : "Nothing answers on the chain.",
    };
  return { tone: "plain", text: "The board has power. Find what is on the chain." };
}
