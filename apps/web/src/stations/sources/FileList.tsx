import type { DesignFile } from "@gate-clock/contract";
import { type Finding, kindOfPath } from "@gate-clock/core";
import { useQueryClient } from "@tanstack/react-query";
import { Download, FilePlus2, FileText, FlaskConical, History, Pencil, Trash2, Upload } from "lucide-react";
import { useRef, useState } from "react";
import { api } from "../../app/api.ts";
import { designKey } from "../../app/queries.ts";
import { packDesign, unpackZip } from "../../start/design-zip.ts";
import { Button } from "../../ui/Button.tsx";
import { saveBlob } from "../../ui/save-blob.ts";
import { useCheckResult, useDesign, useTexts } from "../../workbench/context.ts";

/** The source files by folder: added, renamed, moved, removed with undo, taken home as a zip. */
export function FileList({
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
  const { design } = useDesign();
  const { check } = useCheckResult();
  const { drafts } = useTexts();
  const benches = new Set(check?.testBenches.map((bench) => bench.file));
  const queries = useQueryClient();
  const upload = useRef<HTMLInputElement>(null);
  const [name, setName] = useState<string | null>(null);
  const [renaming, setRenaming] = useState<{ file: DesignFile; path: string } | null>(null);
  const [removed, setRemoved] = useState<{ file: DesignFile; text: string } | null>(null);
  const [over, setOver] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const refresh = () => queries.invalidateQueries({ queryKey: designKey(design.id) });
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
      await api.addFile(design.id, design.targetId, { path, kind: kindOfPath(path), text });
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
          : { files: [{ path: file.name, kind: kindOfPath(file.name), text: await file.text() }], skipped: [] };
        told.push(...found.skipped);
        for (const each of found.files)
          await api.addFile(design.id, design.targetId, each).catch((error: Error) => told.push(error.message));
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
        await api.addFile(design.id, design.targetId, {
          path: removed.file.path,
          kind: removed.file.kind,
          text: removed.text,
        });
      setRemoved(null);
      return null;
    });
  const rename = (file: DesignFile, path: string) =>
    attempt(async () => {
      if (path && path !== file.path) await api.updateFile(design.id, file.id, { path });
      setRenaming(null);
      if (file === open) onChoose(path);
      return null;
    });
  const download = () =>
    attempt(async () => {
      await drafts.flush();
      const texts = new Map(design.files.map((file) => [file.id, drafts.text(file)]));
      const [targets, rules] = await Promise.all([api.targets(design.id), api.targetRules(design.id)]);
      const blob = await packDesign(design, (id) => texts.get(id) ?? "", targets, rules);
      saveBlob(blob, `${design.name.replace(/[^\w.-]+/g, "-")}.zip`);
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
          accept=".v,.vh,.sv,.svh,.vhd,.vhdl,.hex,.mem,.txt,.pins,.sdc,.zip"
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
        placeholder="folder/name.v or .vhd"
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
