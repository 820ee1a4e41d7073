import type { DesignFile } from "@gate-clock/contract";
import type { Finding, HierarchyNode, Spot } from "@gate-clock/core";
import { useQueryClient } from "@tanstack/react-query";
import {
  Box,
  Download,
  FilePlus2,
  FileText,
  FlaskConical,
  History,
  Pencil,
  Search,
  Trash2,
  Upload,
} from "lucide-react";
import { useCallback, useRef, useState } from "react";
import { Group, Panel, Separator } from "react-resizable-panels";
import { useSearchParams } from "react-router";
import { api } from "../../app/api.ts";
import { designQuery } from "../../app/queries.ts";
import { EmptyPanel } from "../../app/StatePages.tsx";
import { useDesign } from "../../design/context.ts";
import { kindOf, packDesign, saveBlob, unpackZip } from "../../design/design-zip.ts";
import { useFocus } from "../../design/focus.ts";
import { Button } from "../../ui/Button.tsx";
import { CodeEditor } from "../../ui/CodeEditor.tsx";
import { FindingList } from "../../ui/FindingList.tsx";
import { giveOutEvent } from "../../ui/give-out.ts";
import { Verdict } from "../../ui/Verdict.tsx";
import { FileHistory } from "./FileHistory.tsx";
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
          <FileList
            files={files}
            open={open}
            findings={findings}
            onChoose={choose}
            onHistory={(file) => setPast(file)}
          />
          {check?.hierarchy && <Hierarchy root={check.hierarchy} onChoose={(node) => showPlace(node.place)} />}
        </Panel>
        <Separator className="w-1 bg-transparent hover:bg-indigo" />
        <Panel className="flex min-w-0 flex-col">
          {past ? (
            <FileHistory
              file={past}
              text={drafts.text(past)}
              onRestore={(text) => {
                drafts.edit(past.id, text);
                choose(past.path);
                setPast(null);
              }}
              onClose={() => setPast(null)}
            />
          ) : open ? (
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
  onHistory,
}: {
  files: readonly DesignFile[];
  open: DesignFile | undefined;
  findings: readonly Finding[];
  onChoose: (path: string) => void;
  onHistory: (file: DesignFile) => void;
}) {
  const { design, check, drafts } = useDesign();
  const benches = new Set(check?.testBenches.map((bench) => bench.file));
  const queries = useQueryClient();
  const upload = useRef<HTMLInputElement>(null);
  const [name, setName] = useState<string | null>(null);
  const [renaming, setRenaming] = useState<{ file: DesignFile; path: string } | null>(null);
  const [removed, setRemoved] = useState<{ file: DesignFile; text: string } | null>(null);
  const [over, setOver] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const refresh = () => queries.invalidateQueries({ queryKey: designQuery(design.id).queryKey });
  /** Says what went wrong in words, and always shows the files as they then are. */
  const attempt = async (work: () => Promise<string | null>) => {
    try {
      setProblem(await work());
    } catch (error) {
      setProblem((error as Error).message);
    }
    await refresh();
  };
  const add = (path: string, text: string) =>
    attempt(async () => {
      await api.addFile(design.id, { path, kind: kindOf(path), text });
      setName(null);
      onChoose(path);
      return null;
    });
  const addFiles = (list: Iterable<File>) =>
    attempt(async () => {
      const told: string[] = [];
      for (const file of list) {
        const found = /\.zip$/i.test(file.name)
          ? await unpackZip(file)
          : { files: [{ path: file.name, kind: kindOf(file.name), text: await file.text() }], skipped: [] };
        told.push(...found.skipped);
        for (const each of found.files)
          await api.addFile(design.id, each).catch((error: Error) => told.push(error.message));
      }
      return told.length ? told.slice(0, 4).join(" ") + (told.length > 4 ? ` And ${told.length - 4} more.` : "") : null;
    });
  const remove = (file: DesignFile) =>
    attempt(async () => {
      const text = drafts.text(file);
      await api.removeFile(design.id, file.id);
      setRemoved({ file, text });
      return null;
    });
  const restore = () =>
    attempt(async () => {
      if (removed)
        await api.addFile(design.id, { path: removed.file.path, kind: removed.file.kind, text: removed.text });
      setRemoved(null);
      return null;
    });
  const rename = (file: DesignFile, path: string) =>
    attempt(async () => {
      if (path && path !== file.path) await api.renameFile(design.id, file.id, path);
      setRenaming(null);
      if (file === open) onChoose(path);
      return null;
    });
  const download = () =>
    attempt(async () => {
      await drafts.flush();
      const texts = new Map(design.files.map((file) => [file.id, drafts.text(file)]));
      saveBlob(await packDesign(design, (id) => texts.get(id) ?? ""), `${design.name.replace(/[^\w.-]+/g, "-")}.zip`);
      return null;
    });
  const sorted = [...files].sort((a, b) => folderOf(a.path).localeCompare(folderOf(b.path)));
  return (
    <section
      className={`flex min-h-0 flex-1 flex-col ${over ? "bg-indigo-wash" : ""}`}
      aria-label="Files"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        void addFiles(event.dataTransfer.files);
      }}
    >
      <div className="flex items-center gap-1 px-3 pt-3 pb-1">
        <h2 className="flex-1 text-[13px] font-semibold text-soft">Files</h2>
        {(
          [
            ["New file", FilePlus2, () => setName("")],
            ["Add files or a zip from disk", Upload, () => upload.current?.click()],
            ["Download the design as a zip", Download, () => void download()],
          ] as const
        ).map(([label, Icon, act]) => (
          <button
            key={label}
            type="button"
            className="rounded p-1 text-soft hover:bg-raised"
            onClick={act}
            aria-label={label}
            title={label}
          >
            <Icon className="size-4" />
          </button>
        ))}
        <input
          ref={upload}
          type="file"
          multiple
          accept=".v,.vh,.sv,.svh,.hex,.mem,.txt,.pins,.sdc,.zip"
          className="hidden"
          data-testid="add-files"
          onChange={(event) => {
            void addFiles([...(event.target.files ?? [])]);
            event.target.value = "";
          }}
        />
      </div>
      {name !== null && (
        <NameForm
          label="Name of the new file"
          start={name}
          button="Add"
          onDone={(path) => void add(path, "")}
          onCancel={() => setName(null)}
        />
      )}
      {problem && (
        <p className="px-3 pb-2 text-[13px] text-bad" role="alert">
          {problem}
        </p>
      )}
      {removed && (
        <p className="flex items-center gap-2 px-3 pb-2 text-[13px]">
          <span className="min-w-0 flex-1 truncate">
            <span className="font-mono text-xs">{removed.file.path}</span> is removed.
          </span>
          <Button className="h-7" onClick={() => void restore()} data-testid="undo-remove">
            Undo
          </Button>
        </p>
      )}
      <ul className="min-h-0 flex-1 overflow-auto pb-2">
        {sorted.map((file, i) => {
          const own = findings.filter((finding) => finding.place.file === file.path);
          const errors = own.filter((finding) => finding.severity === "error").length;
          const warnings = own.filter((finding) => finding.severity === "warning").length;
          const folder = folderOf(file.path);
          const isFirst = folder !== "" && folder !== folderOf(sorted[i - 1]?.path ?? "");
          return (
            <li key={file.id}>
              {isFirst && <p className="truncate px-3 pt-1.5 font-mono text-[11px] text-soft">{folder}</p>}
              {renaming?.file.id === file.id ? (
                <NameForm
                  label={`New name of ${file.path}`}
                  start={renaming.path}
                  button="Rename"
                  onDone={(path) => void rename(file, path)}
                  onCancel={() => setRenaming(null)}
                />
              ) : (
                <div
                  className={`group flex items-center ${file === open ? "bg-panel shadow-[inset_3px_0_0_var(--indigo)]" : "hover:bg-raised"} ${folder ? "pl-3" : ""}`}
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
                      {file.path.slice(folder.length)}
                    </span>
                    {errors > 0 && <span className="ml-auto text-xs text-bad">{errors} ✕</span>}
                    {errors === 0 && warnings > 0 && <span className="ml-auto text-xs text-warn">{warnings} !</span>}
                  </button>
                  <span className="invisible mr-1 flex group-focus-within:visible group-hover:visible">
                    {(
                      [
                        [`History of ${file.path}`, History, () => onHistory(file)],
                        [`Rename or move ${file.path}`, Pencil, () => setRenaming({ file, path: file.path })],
                        [`Remove ${file.path}`, Trash2, () => void remove(file)],
                      ] as const
                    ).map(([label, Icon, act]) => (
                      <button
                        key={label}
                        type="button"
                        className="rounded p-0.5 text-soft hover:text-indigo"
                        onClick={act}
                        aria-label={label}
                        title={label}
                      >
                        <Icon className="size-3.5" />
                      </button>
                    ))}
                  </span>
                </div>
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}

const folderOf = (path: string) => path.slice(0, path.lastIndexOf("/") + 1);

function NameForm({
  label,
  start,
  button,
  onDone,
  onCancel,
}: {
  label: string;
  start: string;
  button: string;
  onDone: (name: string) => void;
  onCancel: () => void;
}) {
  const [name, setName] = useState(start);
  return (
    <form
      className="flex gap-1 px-3 pb-2"
      onSubmit={(event) => {
        event.preventDefault();
        onDone(name.trim());
      }}
      onKeyDown={(event) => {
        if (event.key === "Escape") onCancel();
      }}
    >
      <input
        // biome-ignore lint/a11y/noAutofocus: the field was opened to type in
        autoFocus
        aria-label={label}
        placeholder="folder/name.v"
        value={name}
        onChange={(event) => setName(event.target.value)}
        className="h-8 min-w-0 flex-1 rounded-md border border-line bg-panel px-2 font-mono text-xs"
      />
      <Button type="submit" disabled={!name.trim()}>
        {button}
      </Button>
    </form>
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
