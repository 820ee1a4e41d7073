import type { DesignFile, FileKind, NewFileDto } from "@gate-clock/contract";
import { Menu, MenuButton, MenuItem, MenuItems, Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Ellipsis, Link2, Plus } from "lucide-react";
import { type ReactNode, useState } from "react";
import { api } from "../app/api.ts";
import { designKey, shareableQuery } from "../app/queries.ts";
import { InlineName } from "../ui/InlineName.tsx";
import { useDesign, useTexts } from "./context.ts";
import { StepButtons } from "./RuleFileEditor.tsx";

const words = { pins: { ending: ".pins", kind: "pin" }, timing: { ending: ".sdc", kind: "timing" } } as const;

/**
 * The rule files of a target: which it uses, which one is open, where else each is; to add, rename, share and delete.
 * @param onOpen Gets the path of the file to show.
 */
export function RuleFileTabs({
  kind,
  files,
  open,
  onOpen,
  children,
}: {
  kind: Exclude<FileKind, "source">;
  files: readonly DesignFile[];
  open: DesignFile | undefined;
  onOpen: (path: string) => void;
  children?: ReactNode;
}) {
  const { design } = useDesign();
  const queries = useQueryClient();
  const [problem, setProblem] = useState<string | null>(null);
  const [naming, setNaming] = useState(false);
  const [removed, setRemoved] = useState<NewFileDto | null>(null);
  const { drafts } = useTexts();
  /** Says what went wrong in words, and always shows the files as they then are. */
  const attempt = async (work: () => Promise<string | null>) => {
    try {
      const path = await work();
      await queries.invalidateQueries({ queryKey: designKey(design.id) });
      if (path) onOpen(path);
      setProblem(null);
    } catch (error) {
      setProblem((error as Error).message);
      await queries.invalidateQueries({ queryKey: designKey(design.id) });
    }
  };
  const { ending } = words[kind];
  const add = (name: string) =>
    attempt(async () => {
      const path = name.endsWith(ending) ? name : `${name}${ending}`;
      await api.addFile(design.id, design.targetId, { path, kind, text: "" });
      return path;
    });
  const change = (file: DesignFile, dto: { path?: string; inUse?: boolean }) =>
    attempt(async () => (await api.updateFile(design.id, file.id, dto)).path);
  return (
    <div className="shrink-0 border-b border-line bg-cloth">
      <div
        className="flex items-center gap-1 overflow-x-auto px-3 text-xs"
        role="tablist"
        aria-label={`${words[kind].kind} files`}
      >
        {files.map((file) => (
          <span
            key={file.id}
            className={`flex shrink-0 items-center gap-1.5 border-b-2 px-1.5 py-1 ${file === open ? "border-indigo font-semibold" : "border-transparent text-soft"}`}
            data-testid={`file-${file.path}`}
          >
            <input
              type="checkbox"
              checked={file.inUse}
              aria-label={`Use ${file.path}`}
              title={`${file.inUse ? "Used" : "Not used"} by ${design.targetName}`}
              onChange={(event) => void change(file, { inUse: event.target.checked })}
            />
            <InlineName
              value={file.path}
              label={`New name of ${file.path}`}
              className={`font-mono hover:text-ink ${file.inUse ? "" : "line-through"}`}
              title="Double click to rename"
              onClick={() => onOpen(file.path)}
              onName={(path) => void change(file, { path })}
            >
              {file.path}
            </InlineName>
            {file.sharedWith.length > 0 && (
              <span
                className="flex items-center gap-0.5 font-normal"
                title={`The same file is in ${file.sharedWith.map(({ designName, targetName }) => `${designName} (${targetName})`).join(", ")}: a change is one everywhere`}
              >
                <Link2 className="size-3" aria-hidden />
                shared with {file.sharedWith.map(({ designName }) => designName).join(", ")}
              </span>
            )}
            {file === open && (
              <Menu>
                <MenuButton className="rounded p-0.5 hover:bg-raised" aria-label={`More of ${file.path}`}>
                  <Ellipsis className="size-3.5" />
                </MenuButton>
                <MenuItems
                  anchor="bottom start"
                  className="z-20 min-w-40 rounded-md border border-line bg-panel py-1 text-[13px] shadow-lg"
                >
                  {file.sharedWith.length > 0 && (
                    <Item onClick={() => void attempt(async () => (await api.unshareFile(design.id, file.id)).path)}>
                      Stop sharing
                    </Item>
                  )}
                  <Item
                    onClick={() =>
                      void attempt(async () => {
                        const { path, inUse } = file;
                        const text = drafts.text(file);
                        await api.removeFile(design.id, file.id);
                        setRemoved({ path, kind, text, inUse });
                        return null;
                      })
                    }
                  >
                    Delete {file.path}
                  </Item>
                </MenuItems>
              </Menu>
            )}
          </span>
        ))}
        {naming ? (
          <InlineAdd
            onDone={(name) => {
              setNaming(false);
              if (name) void add(name);
            }}
            label={`Name of the new ${words[kind].kind} file`}
            example={`board${ending}`}
          />
        ) : (
          <button
            type="button"
            className="flex shrink-0 items-center gap-1 rounded px-1.5 py-0.5 text-soft hover:bg-raised hover:text-ink"
            onClick={() => setNaming(true)}
          >
            <Plus className="size-3.5" aria-hidden /> New
          </button>
        )}
        <Popover>
          <PopoverButton className="flex shrink-0 items-center gap-1 rounded px-1.5 py-0.5 text-soft hover:bg-raised hover:text-ink">
            <Link2 className="size-3.5" aria-hidden /> Share
          </PopoverButton>
          <PopoverPanel
            anchor="bottom end"
            className="z-20 max-h-72 w-80 overflow-auto rounded-md border border-line bg-panel py-1 text-[13px] shadow-lg"
          >
            {({ close }) => (
              <Shareable
                kind={kind}
                files={files}
                onShare={(fileId) => {
                  close();
                  void attempt(async () => (await api.shareFile(design.id, design.targetId, fileId)).path);
                }}
              />
            )}
          </PopoverPanel>
        </Popover>
        <span className="ml-auto flex shrink-0 items-center gap-1">
          {children}
          <StepButtons />
        </span>
      </div>
      {removed && (
        <p className="flex gap-2 px-4 py-1 text-[13px]" role="status">
          {removed.path} is deleted.
          <button
            type="button"
            className="text-indigo underline"
            onClick={() =>
              void attempt(async () => {
                await api.addFile(design.id, design.targetId, removed);
                setRemoved(null);
                return removed.path;
              })
            }
          >
            Put it back
          </button>
        </p>
      )}
      {problem && (
        <p className="px-4 py-1 text-[13px] text-bad" role="alert">
          {problem}
        </p>
      )}
    </div>
  );
}

function Item({ onClick, children }: { onClick: () => void; children: ReactNode }) {
  return (
    <MenuItem>
      <button type="button" className="block w-full px-3 py-1 text-left data-focus:bg-raised" onClick={onClick}>
        {children}
      </button>
    </MenuItem>
  );
}

function InlineAdd({ label, example, onDone }: { label: string; example: string; onDone: (name: string) => void }) {
  const [typed, setTyped] = useState("");
  return (
    <input
      ref={(element) => element?.focus()}
      className="h-5 w-32 rounded border border-line bg-panel px-1 font-mono"
      aria-label={label}
      placeholder={example}
      value={typed}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={() => onDone(typed.trim())}
      onKeyDown={(event) => {
        if (event.key === "Enter") onDone(typed.trim());
        if (event.key === "Escape") onDone("");
      }}
    />
  );
}

/** Rules of other designs and targets that may be taken in. */
function Shareable({
  kind,
  files,
  onShare,
}: {
  kind: Exclude<FileKind, "source">;
  files: readonly DesignFile[];
  onShare: (fileId: string) => void;
}) {
  const { design } = useDesign();
  const { data } = useQuery(shareableQuery(kind));
  const own = new Set(files.map(({ id }) => id));
  const shared = new Set(
    files.flatMap(({ path, sharedWith }) =>
      sharedWith.map(({ designId, targetName }) => `${designId} ${targetName} ${path}`),
    ),
  );
  const list = (data ?? []).filter(
    ({ fileId, designId, targetName, path }) => !own.has(fileId) && !shared.has(`${designId} ${targetName} ${path}`),
  );
  return (
    <>
      <p className="px-3 pt-1 pb-2 text-soft">Take in a file of another design: a change is then one in both.</p>
      {list.length === 0 && <p className="px-3 pb-2">{data ? "No other design has one." : "Looking…"}</p>}
      {list.map((each) => (
        <button
          key={each.fileId}
          type="button"
          className="block w-full px-3 py-1 text-left hover:bg-raised"
          onClick={() => onShare(each.fileId)}
        >
          <span className="font-mono">{each.path}</span> <span className="text-soft">of</span> {each.designName}
          <span className={`block text-xs ${each.part === design.part ? "text-soft" : "text-warn"}`}>
            {each.targetName}, {each.part}
            {each.part === design.part ? "" : ": another part"}
          </span>
        </button>
      ))}
    </>
  );
}
