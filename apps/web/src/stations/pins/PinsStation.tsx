import { DndContext, DragOverlay, PointerSensor, useSensor, useSensors } from "@dnd-kit/core";
import {
  boardBuses,
  boardSignals,
  type Finding,
  findBoard,
  findPart,
  type Part,
  type PinMove,
  type PinNeed,
  type TransferredPin,
} from "@gate-clock/core";
import { useQuery } from "@tanstack/react-query";
import { Minus, Plus } from "lucide-react";
import { useCallback, useDeferredValue, useMemo, useRef, useState } from "react";
import { Group, Panel, Separator } from "react-resizable-panels";
import { useSearchParams } from "react-router";
import { artifactQuery } from "../../app/queries.ts";
import { formatFocus, useFocus } from "../../focus/focus.ts";
import { drawPackage, type Spot } from "../../pins/package-drawing.ts";
import { type PinState, pinStateOf } from "../../pins/pin-state.ts";
import { Button } from "../../ui/Button.tsx";
import { useCheckResult, useDesign } from "../../workbench/context.ts";
import { Findings } from "../../workbench/Findings.tsx";
import { RuleFileEditor } from "../../workbench/RuleFileEditor.tsx";
import { RuleFileTabs } from "../../workbench/RuleFileTabs.tsx";
import { useTargetSetter, useUpdateTarget } from "../../workbench/use-target.ts";
import { ClaimPanel } from "./ClaimPanel.tsx";
import { portClaims } from "./claims-view.ts";
import { ImportPins, type IncomingPins, readIncoming } from "./ImportPins.tsx";
import { type MoveGoal, MovePins } from "./MovePins.tsx";
import { PackageDrawing } from "./PackageDrawing.tsx";
import { PinFacts } from "./PinFacts.tsx";
import { PinLegend } from "./PinLegend.tsx";
import { PinOutputs } from "./PinOutputs.tsx";
import { PinTable } from "./PinTable.tsx";
import { PinVerdict } from "./PinVerdict.tsx";
import { usePinActs } from "./use-pin-acts.ts";
import { usePinDrag } from "./use-pin-drag.ts";
import { usePinTexts } from "./use-pin-texts.ts";

const noNeeds: readonly PinNeed[] = [];
const zooms = [1, 1.5, 2, 3, 4];
const nothing: ReadonlySet<string> = new Set();
const none: readonly Finding[] = [];

export function PinsStation() {
  const { design, trial } = useDesign();
  const { check } = useCheckResult();
  const [focus, setFocus] = useFocus();
  const [params, setParams] = useSearchParams();
  const [notice, setNotice] = useState<string | null>(null);
  const part = useMemo(() => findPart(design.part).part, [design.part]);
  const files = useMemo(() => design.files.filter(({ kind }) => kind === "pins"), [design.files]);
  const wanted = focus?.kind === "line" ? focus.file : params.get("file");
  const file = files.find(({ path }) => path === wanted) ?? files[0];
  const isAlone = params.get("alone") === "1";
  const used = useMemo(() => files.filter((each) => (isAlone ? each === file : each.inUse)), [files, file, isAlone]);
  const texts = usePinTexts(used, file);
  const needs = check?.needs ?? noNeeds;
  const board = findBoard(design.board ?? "").board;
  const boardHere = board?.part === design.part ? board : null;
  // who types or drops is answered first; table and drawing follow as soon as there is time
  const shownFiles = useDeferredValue(texts.files);
  const state = useMemo(
    () => (part && needs.length ? pinStateOf(shownFiles, needs, part, boardHere, check?.links) : null),
    [part, needs, shownFiles, boardHere, check?.links],
  );
  const contacts = state?.contacts;
  const picture = useMemo(() => (contacts ? drawPackage(contacts) : null), [contacts]);
  const svg = useRef<SVGSVGElement>(null);
  const acts = usePinActs(texts, setNotice);
  const { data: image } = useQuery(artifactQuery(trial, "image"));
  const built = useMemo(() => (image ? new Map(image.ports.map((port) => [port.port, port])) : null), [image]);
  const { drag, handlers } = usePinDrag(state, picture, svg, acts.place);
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 4 } }));

  /** Chooses a port everywhere: the file that has its line comes up too. */
  const choosePort = useCallback(
    (name: string) => {
      const line = state?.resolved.lines.byPort.get(name) ?? state?.resolved.lines.inside.get(name);
      setParams((old) => {
        const next = new URLSearchParams(old);
        next.set("focus", formatFocus({ kind: "pin", name }));
        if (line?.place.file) next.set("file", line.place.file);
        return next;
      });
    },
    [state, setParams],
  );
  const pick = useCallback(
    (spot: Spot) => {
      const { name } = spot.contact;
      const use = state?.useOf.get(name);
      if (use?.kind === "line" || use?.kind === "automatic") choosePort(use.need.bitName);
      else if (use?.kind === "second" || use?.kind === "reference") choosePort(use.of);
      else setFocus({ kind: "contact", name });
    },
    [state, setFocus, choosePort],
  );

  const focusPort = focus?.kind === "pin" ? focus.name : portAtLine(state, focus);
  const focusContact = focus?.kind === "contact" ? focus.name : contactOf(state, focusPort);
  const overlay = useMemo(
    () => ({
      focus: focusContact ? new Set([focusContact]) : nothing,
      taken: drag?.move?.pins ? new Set(drag.move.pins.map(({ pin }) => pin)) : nothing,
      refused: drag?.move && !drag.move.pins ? drag.at : null,
      barred: drag?.barred ?? null,
    }),
    [focusContact, drag],
  );
  const setParam = (key: string, value: string | null) =>
    setParams(
      (old) => {
        const next = new URLSearchParams(old);
        if (value === null) next.delete(key);
        else next.set(key, value);
        if (key === "file") next.delete("focus");
        return next;
      },
      { replace: true },
    );
  const goal = useMemo(() => readGoal(params.get("move")), [params]);
  const target = useUpdateTarget(() => setParam("move", null));
  const setTarget = useTargetSetter();
  const move = (rows: readonly TransferredPin[], part: Part) => {
    if (!goal) return;
    const before = { part: design.part, board: design.board };
    const after = { part: goal.part, board: goal.board };
    target.mutate(after, {
      onSuccess: () =>
        acts.transfer(rows, part, {
          back: () => setTarget(before),
          again: () => setTarget(after),
        }),
    });
  };
  const openFile = (path: string) => setParam("file", path);
  const setAlone = (is: boolean) => setParam("alone", is ? "1" : null);
  const zoom = zooms.find((each) => String(each) === params.get("zoom")) ?? 1;
  const setZoom = (step: number) => {
    const to = zooms[Math.max(0, Math.min(zooms.length - 1, zooms.indexOf(zoom) + step))];
    setParam("zoom", to === 1 ? null : String(to));
  };

  const findings = useMemo(
    () => (isAlone && state ? [...state.readFindings, ...state.resolved.findings] : (check?.pinFindings ?? null)),
    [isAlone, state, check],
  );
  const [incoming, setIncoming] = useState<IncomingPins | null>(null);
  const picker = useRef<HTMLInputElement>(null);
  const buses = useMemo(() => (boardHere ? boardBuses(boardSignals(boardHere)) : null), [boardHere]);
  const allText = texts.files.map(({ text }) => text).join("\n");
  const claims = useMemo(
    () => (buses && needs.length ? portClaims(needs, buses, allText) : null),
    [buses, needs, allText],
  );
  const keepAll = () => {
    const automatic = [...(state?.pinOf.values() ?? [])].filter((pin) => pin.automatic);
    acts.write(`keep ${automatic.length} places in ${file?.path}`, automatic);
  };

  return (
    <DndContext sensors={sensors} {...handlers} autoScroll={false}>
      <div className="flex h-full flex-col">
        <PinVerdict state={state} findings={findings} file={file} isAlone={isAlone} onKeep={keepAll} />
        <Group orientation="horizontal" className="min-h-0 flex-1">
          <Panel defaultSize="47%" minSize="300px" className="flex flex-col border-r border-line bg-panel">
            {state && picture ? (
              <>
                <div className="min-h-0 flex-1">
                  <PackageDrawing
                    state={state}
                    picture={picture}
                    overlay={overlay}
                    zoom={zoom}
                    svg={svg}
                    onPick={pick}
                  />
                </div>
                <div className="flex shrink-0 items-center border-t border-line pr-2">
                  <PinLegend isGrid={picture.isGrid} />
                  <ZoomButton label="Smaller" isOff={zoom === zooms[0]} onClick={() => setZoom(-1)}>
                    <Minus className="size-3.5" />
                  </ZoomButton>
                  <ZoomButton label="Larger" isOff={zoom === zooms[zooms.length - 1]} onClick={() => setZoom(1)}>
                    <Plus className="size-3.5" />
                  </ZoomButton>
                </div>
                <div className="shrink-0 border-t border-line">
                  <PinFacts
                    state={state}
                    port={focusPort}
                    contact={state.contacts.find(({ name }) => name === focusContact) ?? null}
                    onOption={(name, value) =>
                      focusPort && acts.setOption([state.needByName.get(focusPort)!], focusPort, name, value)
                    }
                    onInside={(isInside) => {
                      if (!focusPort) return;
                      const row = state.rows.find((each) => each.needs.some(({ bitName }) => bitName === focusPort));
                      // a vector stays inside as a whole
                      if (row) acts.setPin(row, isInside ? "inside" : "", state);
                    }}
                  />
                </div>
              </>
            ) : (
              <p className="p-6 text-soft">
                {check ? "The package is drawn once the sources have no errors." : "Reading the ports…"}
              </p>
            )}
          </Panel>
          <Separator className="w-1 bg-transparent hover:bg-indigo" />
          <Panel minSize="360px" className="flex flex-col">
            <Group orientation="vertical" className="min-h-0 flex-1">
              <Panel defaultSize="58%" minSize="120px" className="flex flex-col bg-panel">
                {claims && boardHere && file && (
                  <ClaimPanel board={boardHere.title} claims={claims} onClaim={acts.claim} onRelease={acts.release} />
                )}
                {notice && (
                  <p
                    className="flex shrink-0 items-center gap-2 border-b border-line bg-warn-wash px-4 py-1 text-[13px]"
                    role="status"
                    data-testid="pin-notice"
                  >
                    <span className="min-w-0 flex-1">{notice}</span>
                    <button type="button" className="underline" onClick={() => setNotice(null)}>
                      Close
                    </button>
                  </p>
                )}
                {/* what is pasted out of a sheet is looked at before it is taken */}
                <div
                  className="min-h-0 flex-1"
                  onPaste={(event) => {
                    const text = event.clipboardData.getData("text/plain");
                    if (event.target instanceof HTMLInputElement && !text.includes("\n") && !text.includes("\t"))
                      return;
                    event.preventDefault();
                    setIncoming(readIncoming(text, "the clipboard"));
                  }}
                >
                  {state && !incoming && goal && (
                    <MovePins
                      state={state}
                      from={{ part: design.part, board: design.board }}
                      goal={goal}
                      isBusy={target.isPending}
                      problem={target.error?.message ?? null}
                      onGoal={(to) => setParam("move", goalText(to))}
                      onMove={move}
                      onClose={() => setParam("move", null)}
                    />
                  )}
                  {state && incoming && (
                    <ImportPins
                      key={incoming.from}
                      incoming={incoming}
                      now={state.read}
                      ports={new Set(state.needByName.keys())}
                      onTake={(pins, removed) => {
                        acts.take(incoming.from, pins, removed);
                        setIncoming(null);
                      }}
                      onClose={() => setIncoming(null)}
                    />
                  )}
                  {state && !incoming && !goal && (
                    <PinTable
                      state={state}
                      built={built}
                      focusId={focusPort}
                      onFocus={(row) => choosePort(row.needs[0].bitName)}
                      onPin={(row, text) => acts.setPin(row, text, state)}
                      onOption={(row, name, value) => acts.setOption(row.needs, row.id, name, value)}
                    />
                  )}
                </div>
              </Panel>
              <Separator className="h-1 bg-transparent hover:bg-indigo" />
              <Panel minSize="100px" className="flex flex-col">
                <RuleFileTabs kind="pins" files={files} open={file} onOpen={openFile}>
                  {files.length > 1 && (
                    <label
                      className="flex items-center gap-1"
                      title="Drawing, table and findings of this file by itself"
                    >
                      <input type="checkbox" checked={isAlone} onChange={(event) => setAlone(event.target.checked)} />
                      Check alone
                    </label>
                  )}
                  <Button look="quiet" className="h-6 px-2 text-xs" onClick={() => picker.current?.click()}>
                    Import
                  </Button>
                  <Button
                    look="quiet"
                    className="h-6 px-2 text-xs"
                    onClick={() => setParam("move", goalText({ part: design.part, board: design.board }))}
                  >
                    Move
                  </Button>
                  {state && <PinOutputs state={state} files={texts.files} />}
                  <input
                    ref={picker}
                    type="file"
                    accept=".csv,.tsv,.txt,.pins"
                    className="hidden"
                    aria-label="Pins to import"
                    onChange={async (event) => {
                      const [chosen] = event.target.files ?? [];
                      event.target.value = "";
                      if (chosen) setIncoming(readIncoming(await chosen.text(), chosen.name));
                    }}
                  />
                </RuleFileTabs>
                {file && !file.inUse && !isAlone && (
                  <p className="border-b border-line bg-warn-wash px-4 py-1 text-[13px]" role="status">
                    {file.path} is not used by {design.targetName}: tick it, or check it alone.
                  </p>
                )}
                <RuleFileEditor
                  file={file}
                  language="pins"
                  findings={findings ?? none}
                  focusLine={focusPort && file ? lineOf(state, focusPort, file.path) : null}
                  kind="pin"
                  example="board.pins"
                  onLine={(line) => {
                    const port = portAtLine(state, { kind: "line", file: file?.path ?? "", line });
                    if (port !== null && port !== focusPort) setFocus({ kind: "pin", name: port });
                  }}
                />
                {findings && findings.length > 0 && (
                  <div className="max-h-32 shrink-0 overflow-auto border-t border-line bg-panel">
                    <Findings findings={findings} />
                  </div>
                )}
              </Panel>
            </Group>
          </Panel>
        </Group>
      </div>
      <DragOverlay dropAnimation={null}>
        {drag && (
          <div className="w-max rounded border border-line bg-panel px-2 py-1 text-[13px] shadow-lg" data-testid="drag">
            <span className="font-mono">{drag.title}</span>
            {drag.move && (
              <span className={`ml-2 ${drag.move.pins ? "text-good" : "text-bad"}`}>
                {drag.move.pins ? moveText(drag.move) : drag.move.hindrance}
              </span>
            )}
          </div>
        )}
      </DragOverlay>
    </DndContext>
  );
}

function ZoomButton({
  label,
  isOff,
  onClick,
  children,
}: {
  label: string;
  isOff: boolean;
  onClick: () => void;
  children: React.ReactNode;
}) {
  return (
    <button
      type="button"
      className="rounded p-1.5 hover:bg-raised disabled:opacity-40"
      aria-label={label}
      title={label}
      disabled={isOff}
      onClick={onClick}
    >
      {children}
    </button>
  );
}

/** In the address: part, and the board behind it. */
const goalText = ({ part, board }: MoveGoal) => `${part}${board ? `@${board}` : ""}`;
function readGoal(text: string | null): MoveGoal | null {
  if (!text) return null;
  const [part, board = null] = text.split("@");
  return { part, board };
}

function moveText({ pins, swapped }: PinMove & { pins: readonly { pin: string }[] }): string {
  if (swapped) return `to ${pins[0].pin}, and ${swapped} to ${pins[1].pin}`;
  return pins.length === 1 ? `to ${pins[0].pin}` : `to ${pins[0].pin} … ${pins[pins.length - 1].pin}`;
}

type Focus = ReturnType<typeof useFocus>[0];

/** The port whose line has the focus. */
function portAtLine(state: PinState | null, focus: Focus): string | null {
  if (focus?.kind !== "line" || !state) return null;
  const { placed, inside } = state.resolved.lines;
  const isThere = ({ place }: { place: { file?: string; line?: number } }) =>
    place.file === focus.file && place.line === focus.line;
  return (placed.find(isThere) ?? [...inside.values()].find(isThere))?.assignment.port ?? null;
}

function lineOf(state: PinState | null, port: string, file: string): number | null {
  const line = state?.resolved.lines.byPort.get(port) ?? state?.resolved.lines.inside.get(port);
  return line?.place.file === file ? (line.place.line ?? null) : null;
}

function contactOf(state: PinState | null, port: string | null): string | null {
  return (port !== null && state?.pinOf.get(port)?.pin) || null;
}
