import type { DesignCard } from "@gate-clock/contract";
import type { BoardDescription } from "@gate-clock/core";
import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from "@headlessui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { ArrowRight, FolderOpen, Moon, Plus, Sun, Trash2 } from "lucide-react";
import { type FormEvent, useRef, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api } from "../app/api.ts";
import { boardsQuery, designsQuery, diskUseQuery, partsQuery } from "../app/queries.ts";
import { LoadingPanel, ProblemPanel } from "../app/StatePages.tsx";
import { toggleTheme } from "../app/theme.ts";
import { Button } from "../ui/Button.tsx";
import { formatBytes, formatMhz, formatPercent, formatWhen } from "../ui/format.ts";
import { unpackZip } from "./design-zip.ts";

export function StartPage() {
  const { data: designs, error, refetch } = useQuery(designsQuery);
  const [isNew, setNew] = useState(false);
  const [doomed, setDoomed] = useState<DesignCard | null>(null);
  const [theme, setTheme] = useState(document.documentElement.dataset["theme"]);
  return (
    <div className="flex h-full flex-col">
      <header className="flex items-center gap-3 border-b border-line bg-panel px-8 py-4">
        <img src="/mark.svg" alt="" className="size-9" />
        <div>
          <h1 className="text-xl leading-tight font-semibold tracking-tight">Gate Clock</h1>
          <p className="text-[13px] text-soft">From HDL text to a running board</p>
        </div>
        <span className="flex-1" />
        <Button look="quiet" onClick={() => setTheme(toggleTheme())} aria-label="Switch between light and dark">
          {theme === "dark" ? <Sun className="size-4" /> : <Moon className="size-4" />}
        </Button>
        <OpenZip />
        <Button look="main" onClick={() => setNew(true)}>
          <Plus className="size-4" /> New design
        </Button>
      </header>
      <main className="min-h-0 flex-1 overflow-auto px-8 py-6">
        {!designs ? (
          error ? (
            <ProblemPanel error={error} onRetry={() => void refetch()} />
          ) : (
            <LoadingPanel what="your designs" />
          )
        ) : designs.length === 0 ? (
          <div className="mx-auto mt-20 max-w-md text-center">
            <h2 className="mb-2 text-lg font-semibold">No designs yet</h2>
            <p className="mb-4 text-soft">Start one with a blinking lamp on the Shuttle board, ready to build.</p>
            <Button look="main" onClick={() => setNew(true)}>
              New design
            </Button>
          </div>
        ) : (
          <>
            <h2 className="mb-3 text-[13px] font-semibold text-soft">
              {designs.length === 1 ? "Your design" : `Your ${designs.length} designs`}
            </h2>
            <ul className="grid grid-cols-[repeat(auto-fill,minmax(360px,1fr))] gap-4">
              {designs.map((design) => (
                <CardOf key={design.id} design={design} onRemove={() => setDoomed(design)} />
              ))}
            </ul>
          </>
        )}
      </main>
      {isNew && <NewDesignDialog onClose={() => setNew(false)} />}
      {doomed && <RemoveDialog design={doomed} onClose={() => setDoomed(null)} />}
    </div>
  );
}

/** A design from a zip, as Sources saves it, or any zip of HDL files. */
function OpenZip() {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const upload = useRef<HTMLInputElement>(null);
  const { data: parts } = useQuery(partsQuery);
  const open = useMutation({
    mutationFn: async (file: File) => {
      const { files, settings } = await unpackZip(file);
      if (files.length === 0) throw new Error(`${file.name} holds no text files.`);
      const part = settings.part ?? parts?.[0]?.name ?? "TW-2-P144-2C";
      return api.createDesign({
        ...settings,
        name: settings.name ?? file.name.replace(/\.zip$/i, ""),
        part,
        files: [...files],
      });
    },
    onSuccess: (design) => {
      void queries.invalidateQueries({ queryKey: ["designs"] });
      void navigate(`/designs/${design.id}/sources`);
    },
  });
  return (
    <>
      {open.error && (
        <span className="max-w-96 truncate text-[13px] text-bad" role="alert" title={open.error.message}>
          {open.error.message}
        </span>
      )}
      <Button
        onClick={() => upload.current?.click()}
        disabled={open.isPending}
        title="Open a design that was saved as a zip"
      >
        <FolderOpen className="size-4" /> Open a zip
      </Button>
      <input
        ref={upload}
        type="file"
        accept=".zip"
        className="hidden"
        data-testid="open-zip"
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) open.mutate(file);
          event.target.value = "";
        }}
      />
    </>
  );
}

/** What the design takes on disk; of what, on pointing. */
function DiskUseOf({ designId }: { designId: string }) {
  const { data } = useQuery(diskUseQuery);
  const use = data?.find((each) => each.designId === designId);
  if (!use) return null;
  const { files, history, trials, results, runs } = use;
  const rows = [
    ["files", files],
    ["earlier versions", history],
    ["trials", trials],
    ["results of stages", results],
    ["runs of test benches", runs],
  ] as const;
  const total = rows.reduce((sum, [, bytes]) => sum + bytes, 0);
  return (
    <>
      <span className="mx-2">·</span>
      <span
        className="tabular relative z-10"
        title={rows.map(([what, bytes]) => `${what}: ${formatBytes(bytes)}`).join("\n")}
        data-testid="disk-use"
      >
        {formatBytes(total)} on disk
      </span>
    </>
  );
}

function CardOf({ design, onRemove }: { design: DesignCard; onRemove: () => void }) {
  const trial = design.lastTrial;
  const slack = trial?.figures.setupSlackPs;
  const rows: [string, string][] = trial
    ? [
        ["Fit", trial.figures.lutPercent === null ? "–" : `${formatPercent(trial.figures.lutPercent)} % of LUTs`],
        [
          "Timing",
          slack === null || slack === undefined
            ? trial.figures.fmaxMhz === null
              ? "–"
              : `${formatMhz(trial.figures.fmaxMhz)} MHz`
            : `${slack >= 0 ? "meets" : "misses"}, ${formatMhz(trial.figures.fmaxMhz)} MHz`,
        ],
        ["Last trial", `${trial.status}${trial.staleness && !trial.staleness.isCurrent ? ", out of date" : ""}`],
      ]
    : [["Last trial", "none yet"]];
  return (
    <li className="group relative flex flex-col rounded-lg border border-line bg-panel p-4 hover:border-indigo">
      <Link
        to={`/designs/${design.id}`}
        className="mb-1 flex items-center gap-2 text-lg font-semibold after:absolute after:inset-0"
        data-testid={`design-${design.name}`}
      >
        <span className="truncate" title={design.name}>
          {design.name}
        </span>
        <ArrowRight
          className="size-4 shrink-0 text-indigo opacity-0 transition-opacity group-hover:opacity-100"
          aria-hidden
        />
      </Link>
      <p className="mb-3 line-clamp-2 min-h-10 text-soft">{design.description}</p>
      <dl className="mt-auto grid grid-cols-[5.5rem_1fr] gap-y-0.5 text-[13px]">
        {rows.map(([name, value]) => (
          <div key={name} className="contents">
            <dt className="text-soft">{name}</dt>
            <dd className="tabular">{value}</dd>
          </div>
        ))}
      </dl>
      <div className="mt-3 flex items-center border-t border-line pt-2 text-xs text-soft">
        <span className="font-mono">{design.part}</span>
        <span className="mx-2">·</span>
        <span>changed {formatWhen(design.updatedAt)}</span>
        <DiskUseOf designId={design.id} />
        <button
          type="button"
          className="relative z-10 ml-auto rounded p-1 hover:bg-bad-wash hover:text-bad"
          onClick={onRemove}
          aria-label={`Delete ${design.name}`}
        >
          <Trash2 className="size-4" />
        </button>
      </div>
    </li>
  );
}

type StarterBoard = Pick<BoardDescription, "oscillator" | "switches" | "lamps">;

/** For a bare part: the ports of a small panel, with the pins left to the user. */
const noBoard: StarterBoard = {
  oscillator: { pin: "", frequenciesHz: [], startHz: 4_000_000 },
  switches: new Array<string>(6).fill(""),
  lamps: new Array<string>(10).fill(""),
};

function starterSource({ oscillator, switches, lamps }: StarterBoard): string {
  // about one blink a second: the top bit of a counter that goes round once in that time
  const width = Math.max(2, Math.round(Math.log2(oscillator.startHz)));
  const followers = Math.min(switches.length, lamps.length) - 1;
  const unlit = lamps.length - 1 - followers;
  const rest = unlit > 0 ? `${unlit}'d0, ` : "";
  return `// Blinks lamp 0 about once a second; lamps 1 to ${followers} follow their switches.
module blink (
  input  wire       clk,
  input  wire [${switches.length - 1}:0] switches,
  output wire [${lamps.length - 1}:0] lamps
);
  reg [${width - 1}:0] count = 0;
  always @(posedge clk)
    count <= count + 1'b1;

  assign lamps = {${rest}switches[${followers}:1], count[${width - 1}]};
endmodule
`;
}

function starterPins({ oscillator, switches, lamps }: StarterBoard): string {
  const rows = [
    `clk at ${oscillator.pin} LVCMOS33`,
    ...switches.map((pin, i) => `switches[${i}] at ${pin} LVCMOS33 pull=down`),
    ...lamps.map((pin, i) => `lamps[${i}] at ${pin} LVCMOS33`),
  ];
  return `${rows.join("\n")}\n`;
}

function NewDesignDialog({ onClose }: { onClose: () => void }) {
  const { data: parts } = useQuery(partsQuery);
  const { data: boards } = useQuery(boardsQuery);
  const [name, setName] = useState("");
  const [target, setTarget] = useState("shuttle");
  const navigate = useNavigate();
  const queries = useQueryClient();
  const create = useMutation({
    mutationFn: async () => {
      const board = boards?.find((candidate) => candidate.name === target);
      return api.createDesign({
        name: name.trim(),
        part: board ? board.part : target,
        board: board ? board.name : null,
        top: "blink",
        files: [
          { path: "blink.v", kind: "source", text: starterSource(board ?? noBoard) },
          {
            path: board ? `${board.name}.pins` : "blink.pins",
            kind: "pins",
            text: board ? starterPins(board) : "# PORT at PIN STANDARD\n",
          },
          { path: "blink.sdc", kind: "timing", text: "create_clock -name clk -period 20.000 [get_ports clk]\n" },
        ],
      });
    },
    onSuccess: (design) => {
      void queries.invalidateQueries({ queryKey: ["designs"] });
      void navigate(`/designs/${design.id}/sources`);
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (name.trim()) create.mutate();
  };
  return (
    <Dialog open onClose={onClose} className="relative z-20">
      <DialogBackdrop className="fixed inset-0 bg-ink/30" />
      <div className="fixed inset-0 flex items-start justify-center pt-32">
        <DialogPanel className="w-[440px] rounded-lg border border-line bg-panel p-5 shadow-xl">
          <DialogTitle className="mb-3 text-lg font-semibold">New design</DialogTitle>
          <form onSubmit={submit} className="flex flex-col gap-3">
            <label className="flex flex-col gap-1">
              <span className="text-[13px] text-soft">Name</span>
              <input
                autoFocus
                value={name}
                maxLength={120}
                onChange={(event) => setName(event.target.value)}
                className="h-9 rounded-md border border-line bg-cloth px-2"
              />
            </label>
            <label className="flex flex-col gap-1">
              <span className="text-[13px] text-soft">Board or part</span>
              <select
                value={target}
                onChange={(event) => setTarget(event.target.value)}
                className="h-9 rounded-md border border-line bg-cloth px-2"
              >
                {boards?.map((board) => (
                  <option key={board.name} value={board.name}>
                    {board.title} board ({board.part})
                  </option>
                ))}
                {parts?.map((part) => (
                  <option key={part.name} value={part.name}>
                    {part.name} ({part.luts} LUTs, {part.signalPins} pins)
                  </option>
                ))}
              </select>
            </label>
            <p className="text-[13px] text-soft">It starts as a blinking lamp, with pins and clock in place.</p>
            {create.error && (
              <p className="text-bad" role="alert">
                {create.error.message}
              </p>
            )}
            <div className="mt-1 flex justify-end gap-2">
              <Button onClick={onClose}>Cancel</Button>
              <Button look="main" type="submit" disabled={!name.trim() || !boards || create.isPending}>
                Create
              </Button>
            </div>
          </form>
        </DialogPanel>
      </div>
    </Dialog>
  );
}

function RemoveDialog({ design, onClose }: { design: DesignCard; onClose: () => void }) {
  const queries = useQueryClient();
  const remove = useMutation({
    mutationFn: () => api.removeDesign(design.id),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["designs"] });
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} className="relative z-20">
      <DialogBackdrop className="fixed inset-0 bg-ink/30" />
      <div className="fixed inset-0 flex items-start justify-center pt-40">
        <DialogPanel className="w-[420px] rounded-lg border border-line bg-panel p-5 shadow-xl">
          <DialogTitle className="mb-2 text-lg font-semibold">Delete {design.name}?</DialogTitle>
          <p className="mb-4 text-soft">Its files, their history and its trials go with it. This cannot be undone.</p>
          {remove.error && (
            <p className="mb-2 text-bad" role="alert">
              {remove.error.message}
            </p>
          )}
          <div className="flex justify-end gap-2">
            <Button onClick={onClose}>Keep it</Button>
            <Button look="danger" onClick={() => remove.mutate()} disabled={remove.isPending}>
              Delete
            </Button>
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}
