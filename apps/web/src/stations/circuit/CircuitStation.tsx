import type { HierarchyNode, SchematicChange, SchematicNode, SourcePosition, StageArtifacts } from "@gate-clock/core";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { ArrowUp, Download, Search } from "lucide-react";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useSearchParams } from "react-router";
import { artifactQuery, trialsQuery } from "../../app/queries.ts";
import { LoadingPanel, ProblemPanel } from "../../app/StatePages.tsx";
import { formatFocus, parseFocus } from "../../focus/focus.ts";
import { Button } from "../../ui/Button.tsx";
import { formatCount } from "../../ui/format.ts";
import { saveBlob } from "../../ui/save-blob.ts";
import { Verdict } from "../../ui/Verdict.tsx";
import { useActs, useDesign } from "../../workbench/context.ts";
import { FigureChange } from "../../workbench/Differences.tsx";
import { NotBuilt } from "../../workbench/NotBuilt.tsx";
import type { Found, Shown } from "../../workers/circuit.worker.ts";
import { identityOf } from "../../workers/engine.ts";
import type { LaidNode } from "../../workers/layout-graph.ts";
import { NodePanel } from "./NodePanel.tsx";
import { SchematicCanvas } from "./SchematicCanvas.tsx";
import { type AskedCircuits, useCircuits } from "./use-circuits.ts";

/** Symbols that are laid out at once; of larger views a neighbourhood is shown first. */
const limits = [80, 200, 500] as const;
type Kind = "written" | "built";
/** The focus is one net: of `count[7:2]` the lowest, `count[2]`, which other stations know by this name. */
const lowestBit = (name: string) => name.replace(/\[(-?\d+):(-?\d+)\]$/, "[$2]");

const noChanges: readonly SchematicChange[] = [];

/** The circuit as written and as built, as pictures to walk through. Everything that is seen is in the address. */
export function CircuitStation() {
  const { trial, design } = useDesign();
  const { showPlace } = useActs();
  const [params, setParams] = useSearchParams();
  const elaborated = useQuery(artifactQuery(trial, "elaborate"));
  const netlist = useQuery(artifactQuery(trial, "synth"));
  const circuits = useCircuits(elaborated.data ?? null, netlist.data ?? null);
  const svg = useRef<SVGSVGElement>(null);

  const kind: Kind = params.get("as") === "built" ? "built" : "written";
  const root = params.get("in") ?? "";
  const open = useMemo(() => params.getAll("open"), [params]);
  const around = useMemo(() => params.getAll("at"), [params]);
  const mode = params.get("cut") === "cone" ? "cone" : params.get("cut") === "between" ? "between" : "near";
  const limit = Number(params.get("most")) || 80;
  const against = Number(params.get("against")) || 0;
  const focus = parseFocus(params.get("focus"));
  const focusName = focus && focus.kind !== "line" ? focus.name : null;

  const set = useCallback(
    (change: Record<string, string | readonly string[] | null>, replace = false) =>
      setParams(
        (old) => {
          const next = new URLSearchParams(old);
          for (const [key, value] of Object.entries(change)) {
            next.delete(key);
            if (typeof value === "string") next.set(key, value);
            else for (const each of value ?? []) next.append(key, each);
          }
          return next;
        },
        { replace },
      ),
    [setParams],
  );

  // a focus that comes from another station is looked up once, and the view goes there
  const { data: located } = useQuery({
    ...circuits.query(["locate", kind, focusName ?? ""], (remote) => remote.locate(kind, focusName!)),
    enabled: circuits.isThere && focusName !== null && around.length === 0,
  });
  useEffect(() => {
    if (located && around.length === 0)
      set({ at: [located.node], ...(located.path === null ? {} : { in: located.path || null }) }, true);
  }, [located, around.length, set]);

  const view = useQuery({
    ...circuits.query(["view", kind, root, open, around, mode, limit], (remote): Promise<Shown | null> => {
      const part = { around, mode, limit } as const;
      return kind === "built" ? remote.built(part) : remote.written({ root, expanded: open }, part);
    }),
    // the picture stays until the next one is laid out
    placeholderData: keepPreviousData,
  });
  const shown = view.data ?? null;
  const problem = view.error?.message ?? null;

  const trials = useQuery(trialsQuery(design.id));
  const other = trials.data?.find((each) => each.number === against) ?? null;
  const before = useQuery(artifactQuery(other, "elaborate"));
  const isCompared = before.data !== undefined && against > 0 && kind === "written";
  const comparison = useQuery({
    ...circuits.query(["compare", before.data ? identityOf(before.data) : 0, root, open], (remote) =>
      remote.compare(before.data!.netlist, before.data!.hierarchy, { root, expanded: open }),
    ),
    enabled: circuits.isThere && isCompared,
  });
  const changes = isCompared ? (comparison.data ?? noChanges) : noChanges;

  const noBuilt = kind === "built" && !netlist.data && !netlist.isLoading;
  const selectedId = around[around.length - 1] ?? null;
  const selected = shown?.laid.nodes.find((each) => each.node.id === selectedId) ?? null;
  const focusNets = useMemo(() => {
    const nets = new Set<number>();
    for (const edge of shown?.laid.edges ?? [])
      if (focusName && lowestBit(edge.edge.name) === focusName) nets.add(edge.edge.net);
    return nets;
  }, [shown, focusName]);
  const changed = useMemo(
    () => new Map(changes.map(({ id, change }) => [id, change === "added" ? "+" : change === "removed" ? "−" : "~"])),
    [changes],
  );

  if (elaborated.error) return <ProblemPanel error={elaborated.error} onRetry={() => void elaborated.refetch()} />;
  if (!elaborated.data)
    return elaborated.isLoading ? <LoadingPanel what="the circuit" /> : <NotBuilt what="The circuit" trial={trial} />;

  const nameOf = (each: LaidNode): string => {
    // a port that only takes is known by what it takes
    const net = (each.node.outputs[0] ?? each.node.inputs[0])?.net ?? -1;
    const edge = shown?.laid.edges.find((candidate) => candidate.edge.net === net && net >= 0);
    return edge?.edge.name ? lowestBit(edge.edge.name) : each.node.label;
  };
  const choose = (each: LaidNode) => {
    const list = mode === "between" ? around : [each.node.id];
    // keep the picture, move only the selection, where the whole view is on it
    const name = nameOf(each);
    set({
      at: mode === "between" && around.length === 1 ? [...list, each.node.id] : [each.node.id],
      cut: mode === "cone" ? null : (params.get("cut") ?? null),
      focus: name ? formatFocus({ kind: "net", name }) : null,
    });
  };
  const stepIn = (each: LaidNode) => {
    if (each.node.kind !== "instance" || each.node.path === null) return;
    set({ in: each.node.path, at: null, open: null, cut: null, focus: null });
  };
  const goTo = (found: Found) =>
    set({
      at: [found.node],
      cut: null,
      ...(found.path === null ? {} : { in: found.path || null }),
      focus: formatFocus({ kind: "net", name: found.name }),
    });
  const save = () => {
    const element = svg.current;
    if (!element || !shown) return;
    const copy = element.cloneNode(true) as SVGSVGElement;
    const style = getComputedStyle(document.documentElement);
    copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
    copy.setAttribute("viewBox", `0 0 ${shown.laid.width} ${shown.laid.height}`);
    copy.setAttribute("width", String(shown.laid.width));
    copy.setAttribute("height", String(shown.laid.height));
    copy.querySelector("g")?.removeAttribute("transform");
    const text = new XMLSerializer()
      .serializeToString(copy)
      .replace(/var\((--[\w-]+)\)/g, (_, name: string) => style.getPropertyValue(name).trim());
    const name = `${design.name}-${kind}-${root || "top"}.svg`.replace(/[^\w.-]+/g, "-");
    saveBlob(new Blob([text], { type: "image/svg+xml" }), name);
  };
  const undriven = shown?.laid.nodes.filter((each) => each.node.inputs.some((pin) => pin.isOpen)).length ?? 0;
  // of the whole circuit as built, as the row of stations counts them
  const { figures } = trial ?? {};
  const cells =
    kind === "built" && !root && figures?.luts != null && figures.registers != null
      ? figures.luts + figures.registers
      : null;
  const path = root ? root.split(".") : [];
  const crumbs = [{ name: elaborated.data.netlist.top, to: "" }];
  for (let i = 0; i < path.length; i++) crumbs.push({ name: path[i], to: path.slice(0, i + 1).join(".") });

  return (
    <div className="flex h-full flex-col">
      <Verdict
        tone={undriven ? "warn" : "good"}
        figure={cells !== null ? formatCount(cells) : shown ? formatCount(shown.laid.total) : "…"}
        unit={cells !== null ? "cells" : "symbols"}
        change={cells !== null && <FigureChange figure="cells" />}
      >
        {shown
          ? undriven
            ? `${undriven} of the symbols here ${undriven === 1 ? "has" : "have"} an input that nothing drives.`
            : shown.laid.nodes.length < shown.laid.total
              ? `Showing the ${shown.laid.nodes.length} around ${selected ? selected.node.label : "the outputs"}; +n under a symbol counts neighbours that are not drawn.`
              : `All of ${root || elaborated.data.netlist.top} ${kind === "built" ? "as built" : "as written"}.`
          : "Laying out …"}
      </Verdict>
      <div className="flex shrink-0 flex-wrap items-center gap-2 border-b border-line bg-cloth px-4 py-1.5 text-[13px]">
        <fieldset className="flex overflow-hidden rounded-md border border-line">
          <legend className="sr-only">Which circuit</legend>
          {(["written", "built"] as const).map((each) => (
            <button
              key={each}
              type="button"
              aria-pressed={kind === each}
              data-testid={`as-${each}`}
              disabled={each === "built" && !netlist.data}
              className={`px-3 py-1 ${kind === each ? "bg-indigo text-indigo-ink" : "bg-panel hover:bg-raised"} disabled:opacity-50`}
              onClick={() => set({ as: each === "built" ? "built" : null, at: null, cut: null })}
            >
              As {each}
            </button>
          ))}
        </fieldset>
        {kind === "written" && (
          <nav aria-label="Instances" className="flex min-w-0 items-center gap-1 font-mono text-xs">
            <Button
              look="quiet"
              className="h-7 px-1.5"
              disabled={!root}
              aria-label="Up to the module around this one"
              title="Up"
              onClick={() => set({ in: path.slice(0, -1).join(".") || null, at: null, open: null, cut: null })}
            >
              <ArrowUp className="size-4" />
            </Button>
            {crumbs.map((crumb, i) => (
              <span key={crumb.to} className="flex items-center gap-1">
                {i > 0 && <span className="text-soft">/</span>}
                <button
                  type="button"
                  className={`max-w-48 truncate rounded px-1 hover:bg-raised ${i === crumbs.length - 1 ? "font-semibold" : "text-soft"}`}
                  onClick={() => set({ in: crumb.to || null, at: null, open: null, cut: null })}
                >
                  {crumb.name}
                </button>
              </span>
            ))}
          </nav>
        )}
        <span className="flex-1" />
        <Finder circuits={circuits} kind={kind} onFound={goTo} />
        {kind === "written" && (trials.data?.length ?? 0) > 1 && (
          <select
            aria-label="Compare with an earlier trial"
            className="h-7 rounded-md border border-line bg-panel px-1"
            value={against}
            onChange={(event) => set({ against: event.target.value === "0" ? null : event.target.value })}
          >
            <option value={0}>compare with …</option>
            {trials.data
              ?.filter((each) => each.id !== trial?.id)
              .map((each) => (
                <option key={each.id} value={each.number}>
                  trial {each.number}
                </option>
              ))}
          </select>
        )}
        <select
          aria-label="Most symbols at once"
          className="h-7 rounded-md border border-line bg-panel px-1"
          value={limit}
          onChange={(event) => set({ most: event.target.value })}
        >
          {limits.map((each) => (
            <option key={each} value={each}>
              up to {each}
            </option>
          ))}
        </select>
        <Button className="h-7 px-2 text-xs" onClick={save} disabled={!shown}>
          <Download className="size-3.5" /> SVG
        </Button>
      </div>
      <div className="grid min-h-0 flex-1 grid-cols-[1fr_minmax(260px,300px)]">
        <div className="relative min-h-0">
          {noBuilt && (
            <p className="p-5 text-bad">
              {netlist.error?.message ?? "This trial has no mapped circuit. Build the design to see it."}
            </p>
          )}
          {problem && <p className="p-5 text-bad">{problem}</p>}
          {shown && !problem && !noBuilt && (
            <SchematicCanvas
              laid={shown.laid}
              selected={selectedId}
              focusNets={focusNets}
              changed={changed}
              svgRef={svg}
              onNode={choose}
              onOpen={stepIn}
              onEdge={({ edge }) =>
                edge.name && set({ focus: formatFocus({ kind: "net", name: lowestBit(edge.name) }) })
              }
            />
          )}
          {!shown && !problem && !noBuilt && <LoadingPanel what="the picture" />}
        </div>
        <NodePanel
          shown={shown}
          selected={selected}
          kind={kind}
          mode={mode}
          openInstances={open}
          changes={changes}
          against={against}
          focusName={focusName}
          sourceOf={(node) => sourceOf(elaborated.data, root, node)}
          onPlace={showPlace}
          onChoose={(id) => set({ at: [id] })}
          onCut={(cut) => set({ cut })}
          onStepIn={stepIn}
          onOpen={(next) => set({ open: next })}
          onOther={() => set({ as: kind === "built" ? null : "built", at: null, cut: null })}
        />
      </div>
    </div>
  );
}

/** Where a symbol is written: its operator, its instance, or the declaration of its port. */
function sourceOf(design: StageArtifacts["elaborate"], root: string, node: SchematicNode): SourcePosition | null {
  const { positions, netlist, hierarchy } = design;
  if (node.origin >= 0) return positions.cells[node.origin] ?? null;
  if (node.path) {
    let at: HierarchyNode | undefined = hierarchy;
    let rest = node.path;
    while (at && rest) {
      const next: HierarchyNode | undefined = at.children.find(
        (child) => rest === child.instance || rest.startsWith(`${child.instance}.`),
      );
      rest = next ? rest.slice(next.instance.length + 1) : "";
      at = next;
    }
    return at?.place ?? null;
  }
  const port = netlist.ports.findIndex((each) => root === "" && each.name === node.label);
  if (port >= 0) return positions.ports[port] ?? null;
  const name = root ? `${root}.${node.label}` : node.label;
  const signal = netlist.signals.findIndex((each) => each.name === name);
  return signal >= 0 ? (positions.signals[signal] ?? null) : null;
}

function Finder({ circuits, kind, onFound }: { circuits: AskedCircuits; kind: Kind; onFound: (found: Found) => void }) {
  const [text, setText] = useState("");
  const { data } = useQuery({
    ...circuits.query(["find", kind, text], (remote) => remote.find(kind, text)),
    enabled: circuits.isThere && text.length >= 2,
    placeholderData: keepPreviousData,
  });
  const found = text.length >= 2 ? (data ?? []) : [];
  return (
    <div className="relative">
      <label className="flex h-7 items-center gap-1.5 rounded-md border border-line bg-panel px-2">
        <Search className="size-3.5 text-soft" aria-hidden />
        <input
          aria-label="Find a name in the circuit"
          placeholder="Find a name"
          className="w-36 bg-transparent text-[13px]"
          value={text}
          onChange={(event) => setText(event.target.value)}
          onKeyDown={(event) => {
            if (event.key === "Enter" && found[0]) {
              onFound(found[0]);
              setText("");
            } else if (event.key === "Escape") setText("");
          }}
          data-testid="find-name"
        />
      </label>
      {found.length > 0 && (
        <ul className="absolute right-0 z-20 mt-1 max-h-80 w-80 overflow-auto rounded-md border border-line bg-panel py-1 shadow-xl">
          {found.map((each) => (
            <li key={`${each.node} ${each.name}`}>
              <button
                type="button"
                className="block w-full truncate px-3 py-1 text-left font-mono text-xs hover:bg-raised"
                onClick={() => {
                  onFound(each);
                  setText("");
                }}
              >
                {each.name}
              </button>
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
