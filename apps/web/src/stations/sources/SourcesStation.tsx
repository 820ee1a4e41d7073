import type { DesignFile } from "@gate-clock/contract";
import {
  type Finding,
  formatVerilog,
  formatVhdl,
  isVhdl,
  libraryModules,
  type PortTexts,
  type Spot,
} from "@gate-clock/core";
import { Search } from "lucide-react";
import { useCallback, useEffect, useRef, useState } from "react";
import { Group, Panel, Separator } from "react-resizable-panels";
import { useNavigate, useSearchParams } from "react-router";
import { EmptyPanel } from "../../app/StatePages.tsx";
import { useFocus } from "../../focus/focus.ts";
import { CodeEditor, type EditorHandle } from "../../ui/CodeEditor.tsx";
import { giveOutEvent } from "../../ui/give-out.ts";
import { Verdict } from "../../ui/Verdict.tsx";
import { onlyView, stationAddress } from "../../workbench/address.ts";
import { CheckVerdict } from "../../workbench/CheckVerdict.tsx";
import { useActs, useCheckResult, useDesign, useSessions, useTexts } from "../../workbench/context.ts";
import { Findings } from "../../workbench/Findings.tsx";
import { useStationCommands } from "../../workbench/use-commands.ts";
import { useFindings } from "../../workbench/use-findings.ts";
import { EditorBar } from "./EditorBar.tsx";
import { FileHistory } from "./FileHistory.tsx";
import { FileList } from "./FileList.tsx";
import { HierarchyTree } from "./HierarchyTree.tsx";
import { PlaceListPanel } from "./PlaceListPanel.tsx";
import { useNames } from "./use-names.ts";

const none: readonly Finding[] = [];

export function SourcesStation() {
  const { design } = useDesign();
  const { drafts, sources } = useTexts();
  const { check } = useCheckResult();
  const { simulation } = useSessions();
  const { showPlace, repair } = useActs();
  const navigate = useNavigate();
  const [params, setParams] = useSearchParams();
  const [focus] = useFocus();
  const files = design.files.filter((file) => file.kind === "source");
  const wanted = params.get("file");
  const open =
    files.find((file) => file.path === wanted) ??
    files.find((file) => file.path.replace(/\.\w+$/, "") === design.top) ??
    files.at(-1);
  const findings = check?.sourceFindings ?? none;
  const { open: unaccepted } = useFindings(findings);
  const errors = findings.filter((finding) => finding.severity === "error");
  const choose = (path: string) => setParams(onlyView({ file: path }));
  const onSpot = useCallback(
    (spot: Spot) => showPlace({ file: spot.file, line: spot.line, column: spot.column }),
    [showPlace],
  );
  const { service, list, setList, ask } = useNames(sources, open?.path, onSpot);
  const editor = useRef<EditorHandle>(null);
  const [told, setTold] = useState<string | null>(null);
  const openPath = open?.path;
  // biome-ignore lint/correctness/useExhaustiveDependencies: what was told of one file is nothing for the next
  useEffect(() => setTold(null), [openPath]);
  /** Modules of the open file: an instance of one in itself is no use. */
  const owned = new Set(open && drafts.text(open).match(/(?<=\b(?:module|entity)\s+)\w+/gi));
  const openIsVhdl = open !== undefined && isVhdl(open.path);
  const format = () => {
    dispatchEvent(new Event(giveOutEvent));
    if (open) editor.current?.replace((openIsVhdl ? formatVhdl : formatVerilog)(drafts.text(open)));
  };
  const insertInstance = async (name: string, form: keyof PortTexts) => {
    const template = await ask.instance(name, form);
    if (template) editor.current?.insertLines(template);
  };
  const showInWaves = async () => {
    dispatchEvent(new Event(giveOutEvent));
    const entry = editor.current && (await ask.at(editor.current.offset()));
    if (!entry) {
      setTold("Put the cursor on the name of a signal first.");
      return;
    }
    const bench = simulation.reveal(entry.spot);
    if (bench === null) setTold(`No run in this page has recorded ${entry.name}: run a test bench first.`);
    else void navigate(stationAddress(design.id, "simulate", { run: bench }));
  };
  useStationCommands([
    { id: "format", title: "Format the file", group: "Sources", keys: "Ctrl+Alt+Y", run: () => void format() },
    {
      id: "in-waves",
      title: "Show the signal in the waves",
      group: "Sources",
      keys: "Ctrl+Alt+W",
      run: () => void showInWaves(),
    },
  ]);
  const rename = (name: string) => {
    dispatchEvent(new Event(giveOutEvent));
    const old = list?.renaming?.name ?? "";
    const moved = files.some((file) =>
      (list?.spots ?? []).some(
        (spot) => spot.file === file.path && !drafts.text(file).slice(spot.start, spot.end).endsWith(old),
      ),
    );
    if (moved) {
      setList({ title: "The text has changed since: press F2 on the name again", spots: [], renaming: null });
      return;
    }
    const texts = files.flatMap((file) => {
      const spots = (list?.spots ?? []).filter((spot) => spot.file === file.path).sort((a, b) => b.start - a.start);
      if (spots.length === 0) return [];
      let text = drafts.text(file);
      for (const spot of spots) text = text.slice(0, spot.start) + name + text.slice(spot.end);
      return [{ fileId: file.id, text }];
    });
    drafts.act(`rename to ${name}`, texts);
    setList(null);
  };
  const [past, setPast] = useState<DesignFile | null>(null);
  const find = (words: string) => {
    const spots: Spot[] = [];
    for (const file of sources) {
      file.text.split("\n").forEach((line, i) => {
        for (
          let at = line.toLowerCase().indexOf(words.toLowerCase());
          at >= 0 && spots.length < 5000;
          at = line.toLowerCase().indexOf(words.toLowerCase(), at + 1)
        )
          spots.push({ file: file.name, start: i * 100_000 + at, end: 0, line: i + 1, column: at + 1 });
      });
    }
    setList({ title: `${spots.length} places with “${words}”`, spots, renaming: null });
  };

  return (
    <div className="flex h-full flex-col">
      <CheckVerdict waiting="Reading the sources…">
        {check &&
          (errors.length ? (
            <Verdict tone="bad" figure={String(errors.length)} unit={errors.length === 1 ? "error" : "errors"}>
              {errors[0].message}{" "}
              {errors[0].place.file && (
                <button
                  type="button"
                  className="font-mono text-xs text-indigo underline"
                  onClick={() => showPlace(errors[0].place)}
                >
                  {errors[0].place.file}:{errors[0].place.line}
                </button>
              )}
            </Verdict>
          ) : unaccepted.some((finding) => finding.severity === "warning") ? (
            <Verdict
              tone="warn"
              figure={String(unaccepted.filter((finding) => finding.severity === "warning").length)}
              unit={
                unaccepted.filter((finding) => finding.severity === "warning").length === 1 ? "warning" : "warnings"
              }
            >
              No errors: the design can be built.
            </Verdict>
          ) : (
            <Verdict
              tone="good"
              figure={String(check.modules.length)}
              unit={check.modules.length === 1 ? "module" : "modules"}
            >
              No errors or warnings. The top is <span className="font-mono">{check.hierarchy?.module}</span>.
            </Verdict>
          ))}
      </CheckVerdict>
      <Group orientation="horizontal" className="min-h-0 flex-1">
        <Panel defaultSize="22%" minSize="200px" className="flex flex-col border-r border-line bg-cloth">
          <form
            className="flex items-center gap-2 border-b border-line px-3 py-1.5"
            onSubmit={(event) => {
              event.preventDefault();
              const words = String(new FormData(event.currentTarget).get("words") ?? "").trim();
              if (words) find(words);
            }}
          >
            <Search className="size-3.5 text-soft" aria-hidden />
            <input
              name="words"
              aria-label="Find in all files"
              placeholder="Find in all files"
              className="min-w-0 flex-1 bg-transparent text-[13px] outline-none"
              data-testid="find-all"
            />
          </form>
          <FileList
            files={files}
            open={open}
            findings={unaccepted}
            onChoose={choose}
            onHistory={(file) => setPast(file)}
          />
          <HierarchyTree root={check?.hierarchy ?? null} />
        </Panel>
        <Separator className="w-1 bg-transparent hover:bg-indigo" />
        <Panel className="flex min-w-0 flex-col">
          {past ? (
            <FileHistory
              file={past}
              text={drafts.text(past)}
              onRestore={(text) => {
                drafts.act(`bring back an earlier ${past.path}`, [{ fileId: past.id, text }]);
                choose(past.path);
                setPast(null);
              }}
              onClose={() => setPast(null)}
            />
          ) : open ? (
            <Group orientation="vertical" className="min-h-0 flex-1">
              <Panel minSize="120px" className="flex flex-col">
                <EditorBar
                  path={open.path}
                  modules={[...new Set([...(check?.modules ?? []), ...libraryModules()])].filter(
                    (name) => !owned.has(name),
                  )}
                  isVhdl={openIsVhdl}
                  told={told}
                  onFormat={format}
                  onInstance={(name, form) => void insertInstance(name, form)}
                  onWaves={() => void showInWaves()}
                />
                <CodeEditor
                  handle={editor}
                  fileId={open.id}
                  text={drafts.text(open)}
                  language={openIsVhdl ? "vhdl" : "verilog"}
                  findings={findings.filter((finding) => finding.place.file === open.path)}
                  focusLine={focus?.kind === "line" && focus.file === open.path ? focus.line : null}
                  onChange={(text) => drafts.edit(open.id, text)}
                  onRepair={repair}
                  label={open.path}
                  names={service}
                />
              </Panel>
              {list && (
                <>
                  <Separator className="h-1 border-t border-line bg-transparent hover:bg-indigo" />
                  <Panel defaultSize="30%" minSize="90px">
                    <PlaceListPanel
                      key={list.title}
                      list={list}
                      sources={sources}
                      onSpot={onSpot}
                      onRename={rename}
                      onClose={() => setList(null)}
                    />
                  </Panel>
                </>
              )}
              {findings.length > 0 && !list && (
                <>
                  <Separator className="h-1 border-t border-line bg-transparent hover:bg-indigo" />
                  <Panel defaultSize="28%" minSize="60px" className="overflow-auto bg-panel">
                    <Findings findings={findings} />
                  </Panel>
                </>
              )}
            </Group>
          ) : (
            <EmptyPanel title="This design has no source file">
              Add a Verilog file on the left, or drop one in from your disk.
            </EmptyPanel>
          )}
        </Panel>
      </Group>
    </div>
  );
}
