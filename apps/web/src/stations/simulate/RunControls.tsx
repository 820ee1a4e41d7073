import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { ChevronDown, FolderOpen, Play, Square } from "lucide-react";
import { useRef, useSyncExternalStore } from "react";
import { Button } from "../../ui/Button.tsx";
import { useSessions } from "../../workbench/context.ts";
import { RecordChooser } from "./RecordChooser.tsx";
import { ServerRuns } from "./ServerRuns.tsx";

interface Props {
  readonly bench: string | null;
  readonly until: string;
  readonly untilWrong: boolean;
  readonly seed: number;
  readonly isSending: boolean;
  readonly onUntil: (text: string) => void;
  readonly onSeed: (seed: number) => void;
  readonly onStart: () => void;
  readonly onStartOnServer: () => void;
  readonly onOpenDump: (file: File | undefined) => void;
  readonly onOpened: (bench: string) => void;
}

/** What the next run is to do, and where. */
export function RunControls(props: Props) {
  const { bench, until, untilWrong, seed, isSending, onUntil, onSeed, onStart, onStartOnServer, onOpenDump, onOpened } =
    props;
  const { simulation } = useSessions();
  const { running, opening, layouts } = useSyncExternalStore(simulation.subscribe, simulation.getSnapshot);
  const upload = useRef<HTMLInputElement>(null);
  const field = "h-7 rounded-md border bg-panel px-2 font-mono text-xs";
  return (
    <>
      {opening !== null && <span className="tabular text-soft">reading {Math.round(opening * 100)} %</span>}
      <Button
        look="quiet"
        className="h-7 px-2"
        onClick={() => upload.current?.click()}
        title="Open a value change dump (.vcd)"
      >
        <FolderOpen className="size-4" /> Open dump
      </Button>
      <input
        ref={upload}
        type="file"
        accept=".vcd"
        className="hidden"
        data-testid="open-dump"
        onChange={(event) => {
          onOpenDump(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
      <ServerRuns onOpened={onOpened} />
      {bench !== null && (
        <RecordChooser
          key={bench}
          bench={bench}
          record={layouts[bench]?.record ?? null}
          onRecord={(record) => simulation.layout(bench, { record })}
        />
      )}
      <label className="flex items-center gap-1.5 whitespace-nowrap">
        <span className="text-soft">Stop at</span>
        <input
          className={`${field} w-16 ${untilWrong ? "border-bad" : "border-line"}`}
          value={until}
          onChange={(event) => onUntil(event.target.value)}
          aria-invalid={untilWrong}
          title={untilWrong ? "Write a time such as 10us" : "Simulated time; empty: until nothing is left to happen"}
        />
      </label>
      <label className="flex items-center gap-1.5">
        <span className="text-soft">Seed</span>
        <input
          type="number"
          className={`${field} w-16 border-line`}
          value={seed}
          onChange={(event) => onSeed(Math.trunc(Number(event.target.value)) || 0)}
        />
      </label>
      <div className="flex shrink-0">
        {running || opening !== null ? (
          <Button look="danger" className="h-7" onClick={() => simulation.stop()} data-testid="stop-run">
            <Square className="size-3.5" /> Stop
          </Button>
        ) : (
          <Button
            look="main"
            className="h-7 rounded-r-none"
            onClick={onStart}
            disabled={!bench || untilWrong}
            title="Ctrl+Enter"
            data-testid="run-bench"
          >
            <Play className="size-3.5" /> Run
          </Button>
        )}
        <Menu>
          <MenuButton
            className={`ml-px flex h-7 items-center rounded-r-md px-1 disabled:opacity-50 ${running ? "border border-line" : "bg-indigo text-indigo-ink"}`}
            aria-label="Where to run"
            disabled={!bench || untilWrong || isSending}
            data-testid="run-menu"
          >
            <ChevronDown className="size-3.5" />
          </MenuButton>
          <MenuItems
            anchor={{ to: "bottom end", gap: 4 }}
            className="z-20 w-72 rounded-md border border-line bg-panel py-1 text-[13px] shadow-lg outline-none"
          >
            <MenuItem>
              <button
                type="button"
                className="block w-full px-3 py-1.5 text-left data-focus:bg-raised"
                onClick={onStartOnServer}
                data-testid="run-on-server"
              >
                Run on the server
                <span className="block text-xs text-soft">goes on when this page is closed; for long runs</span>
              </button>
            </MenuItem>
          </MenuItems>
        </Menu>
      </div>
    </>
  );
}
