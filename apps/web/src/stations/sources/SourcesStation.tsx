import type { DesignFile } from "@gate-clock/contract";
import type { Finding, HierarchyNode, Spot } from "@gate-clock/core";
import { useQueryClient } from "@tanstack/react-query";
import { Box, FilePlus2, FileText, FlaskConical, Search, Trash2, Upload } from "lucide-react";
import { type ChangeEvent, useCallback, useRef, useState } from "react";
import { Group, Panel, Separator } from "react-resizable-panels";
import { useSearchParams } from "react-router";
import { api } from "../../app/api.ts";
import { designQuery } from "../../app/queries.ts";
import { EmptyPanel } from "../../app/StatePages.tsx";
import { useDesign } from "../../design/context.ts";
import { useFocus } from "../../design/focus.ts";
import { Button } from "../../ui/Button.tsx";
import { CodeEditor } from "../../ui/CodeEditor.tsx";
import { FindingList } from "../../ui/FindingList.tsx";
import { giveOutEvent } from "../../ui/give-out.ts";
import { Verdict } from "../../ui/Verdict.tsx";
import { PlaceListPanel } from "./PlaceListPanel.tsx";
import { useNames } from "./use-names.ts";

export function SourcesStation() {
  const { design, drafts, check, sources, showPlace, repair } = useDesign();
  const [params, setParams] = useSearchParams();
  const [focus] = useFocus();
  const files = design.files.filter((file) => file.kind === "source");
  const wanted = params.get("file");
  const open =
    files.find((file) => file.path === wanted) ??
    files.find((file) => file.path.replace(/\.\w+$/, "") === design.top) ??
    files.at(-1);
  const findings = check?.sourceFindings ?? [];
  const errors = findings.filter((finding) => finding.severity === "error");
  const choose = (path: string) => setParams({ file: path });
  const onSpot = useCallback(
    (spot: Spot) => showPlace({ file: spot.file, line: spot.line, column: spot.column }),
    [showPlace],
  );
  const { service, list, setList } = useNames(sources, open?.path, onSpot);
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
    for (const file of files) {
      const spots = (list?.spots ?? []).filter((spot) => spot.file === file.path).sort((a, b) => b.start - a.start);
      if (spots.length === 0) continue;
      let text = drafts.text(file);
      for (const spot of spots) text = text.slice(0, spot.start) + name + text.slice(spot.end);
      drafts.edit(file.id, text);
    }
    setList(null);
  };
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
      {!check ? (
        <Verdict tone="open">Reading the sources…</Verdict>
      ) : errors.length ? (
        <Verdict tone="bad" figure={String(errors.length)} unit={errors.length === 1 ? "error" : "errors"}>
          {errors[0].message}{" "}
          <button
            type="button"
            className="font-mono text-xs text-indigo underline"
            onClick={() => showPlace(errors[0].place)}
          >
            {errors[0].place.file}:{errors[0].place.line}
          </button>
        </Verdict>
      ) : findings.some((finding) => finding.severity === "warning") ? (
        <Verdict
          tone="warn"
          figure={String(findings.filter((finding) => finding.severity === "warning").length)}
          unit="to look at"
        >
          The design can be built, with things worth a look below.
        </Verdict>
      ) : (
        <Verdict
          tone="good"
          figure={String(check.modules.length)}
          unit={check.modules.length === 1 ? "module" : "modules"}
        >
          The sources are sound. The top is <span className="font-mono">{check.hierarchy?.module}</span>.
        </Verdict>
      )}
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
          <FileList files={files} open={open} findings={findings} onChoose={choose} />
          {check?.hierarchy && <Hierarchy root={check.hierarchy} onChoose={(node) => showPlace(node.place)} />}
        </Panel>
        <Separator className="w-1 bg-transparent hover:bg-indigo" />
        <Panel className="flex min-w-0 flex-col">
          {open ? (
            <Group orientation="vertical" className="min-h-0 flex-1">
              <Panel minSize="120px">
                <CodeEditor
                  fileId={open.id}
                  text={drafts.text(open)}
                  language="verilog"
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
                    <FindingList findings={findings} onPlace={showPlace} onRepair={repair} />
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

function FileList({
  files,
  open,
  findings,
  onChoose,
}: {
  files: readonly DesignFile[];
  open: DesignFile | undefined;
  findings: readonly Finding[];
  onChoose: (path: string) => void;
}) {
  const { design, check } = useDesign();
  const benches = new Set(check?.testBenches.map((bench) => bench.file));
  const queries = useQueryClient();
  const upload = useRef<HTMLInputElement>(null);
  const [name, setName] = useState<string | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const refresh = () => queries.invalidateQueries({ queryKey: designQuery(design.id).queryKey });
  const add = async (path: string, text: string) => {
    try {
      await api.addFile(design.id, {
        path,
        kind: path.endsWith(".pins") ? "pins" : path.endsWith(".sdc") ? "timing" : "source",
        text,
      });
      setProblem(null);
      setName(null);
      await refresh();
      onChoose(path);
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  const onUpload = async (event: ChangeEvent<HTMLInputElement>) => {
    for (const file of event.target.files ?? []) await add(file.name, await file.text());
    event.target.value = "";
  };
  const remove = async (file: DesignFile) => {
    await api.removeFile(design.id, file.id).catch((error: Error) => setProblem(error.message));
    await refresh();
  };
  return (
    <section className="flex min-h-0 flex-1 flex-col">
      <div className="flex items-center gap-1 px-3 pt-3 pb-1">
        <h2 className="flex-1 text-[13px] font-semibold text-soft">Files</h2>
        <button
          type="button"
          className="rounded p-1 text-soft hover:bg-raised"
          onClick={() => setName("")}
          aria-label="New file"
          title="New file"
        >
          <FilePlus2 className="size-4" />
        </button>
        <button
          type="button"
          className="rounded p-1 text-soft hover:bg-raised"
          onClick={() => upload.current?.click()}
          aria-label="Add files from disk"
          title="Add files from disk"
        >
          <Upload className="size-4" />
        </button>
        <input
          ref={upload}
          type="file"
          multiple
          accept=".v,.vh,.sv,.svh,.hex,.mem,.txt,.pins,.sdc"
          className="hidden"
          onChange={(event) => void onUpload(event)}
        />
      </div>
      {name !== null && (
        <form
          className="flex gap-1 px-3 pb-2"
          onSubmit={(event) => {
            event.preventDefault();
            void add(name.trim(), "");
          }}
        >
          <input
            // biome-ignore lint/a11y/noAutofocus: the field was opened to type in
            autoFocus
            aria-label="Name of the new file"
            placeholder="name.v"
            value={name}
            onChange={(event) => setName(event.target.value)}
            className="h-8 min-w-0 flex-1 rounded-md border border-line bg-panel px-2 font-mono text-xs"
          />
          <Button type="submit" disabled={!name.trim()}>
            Add
          </Button>
        </form>
      )}
      {problem && (
        <p className="px-3 pb-2 text-[13px] text-bad" role="alert">
          {problem}
        </p>
      )}
      <ul className="min-h-0 flex-1 overflow-auto pb-2">
        {files.map((file) => {
          const own = findings.filter((finding) => finding.place.file === file.path);
          const errors = own.filter((finding) => finding.severity === "error").length;
          const warnings = own.filter((finding) => finding.severity === "warning").length;
          return (
            <li
              key={file.id}
              className={`group flex items-center ${file === open ? "bg-panel shadow-[inset_3px_0_0_var(--indigo)]" : "hover:bg-raised"}`}
            >
              <button
                type="button"
                className="flex min-w-0 flex-1 items-center gap-2 px-3 py-1 text-left"
                onClick={() => onChoose(file.path)}
              >
                {benches.has(file.path) ? (
                  <FlaskConical className="size-4 shrink-0 text-indigo" aria-label="Holds a test bench" />
                ) : (
                  <FileText className="size-4 shrink-0 text-soft" aria-hidden />
                )}
                <span className="truncate font-mono text-xs" title={file.path}>
                  {file.path}
                </span>
                {errors > 0 && <span className="ml-auto text-xs text-bad">{errors} ✕</span>}
                {errors === 0 && warnings > 0 && <span className="ml-auto text-xs text-warn">{warnings} !</span>}
              </button>
              <button
                type="button"
                className="invisible mr-2 rounded p-0.5 text-soft group-hover:visible hover:text-bad focus:visible"
                onClick={() => void remove(file)}
                aria-label={`Remove ${file.path}`}
              >
                <Trash2 className="size-3.5" />
              </button>
            </li>
          );
        })}
      </ul>
    </section>
  );
}

function Hierarchy({ root, onChoose }: { root: HierarchyNode; onChoose: (node: HierarchyNode) => void }) {
  const rows: { node: HierarchyNode; depth: number; path: string }[] = [];
  const walk = (node: HierarchyNode, depth: number, path: string) => {
    if (rows.length > 400) return;
    rows.push({ node, depth, path });
    for (const child of node.children) walk(child, depth + 1, `${path}/${child.instance}`);
  };
  walk(root, 0, root.instance);
  return (
    <section className="flex max-h-[50%] min-h-0 flex-col border-t border-line">
      <h2 className="px-3 pt-2 pb-1 text-[13px] font-semibold text-soft">Hierarchy</h2>
      <ul className="min-h-0 overflow-auto pb-2">
        {rows.map(({ node, depth, path }) => (
          <li key={path}>
            <button
              type="button"
              className="flex w-full items-baseline gap-1.5 py-0.5 pr-2 text-left hover:bg-raised"
              style={{ paddingLeft: 12 + 14 * depth }}
              onClick={() => onChoose(node)}
            >
              <Box className="size-3 shrink-0 self-center text-soft" aria-hidden />
              <span className="truncate font-mono text-xs" title={path}>
                {node.instance}
              </span>
              {node.instance !== node.module && (
                <span className="truncate text-[11px] text-soft" title={node.module}>
                  {node.module.replace(/ #.*/, "")}
                </span>
              )}
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
