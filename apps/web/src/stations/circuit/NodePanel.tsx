import type { SchematicChange, SchematicNode, SourcePosition } from "@gate-clock/core";
import { Button } from "../../ui/Button.tsx";
import type { Shown } from "../../workers/circuit.worker.ts";
import type { LaidNode } from "../../workers/layout-graph.ts";

/** All that is known of the selected symbol, and ways to go on from it. */
export function NodePanel({
  shown,
  selected,
  kind,
  mode,
  openInstances,
  changes,
  against,
  focusName,
  sourceOf,
  onPlace,
  onChoose,
  onCut,
  onStepIn,
  onOpen,
  onOther,
}: {
  shown: Shown | null;
  selected: LaidNode | null;
  kind: "written" | "built";
  mode: "near" | "cone" | "between";
  openInstances: readonly string[];
  changes: readonly SchematicChange[];
  against: number;
  focusName: string | null;
  sourceOf: (node: SchematicNode) => SourcePosition | null;
  onPlace: (place: SourcePosition) => void;
  onChoose: (id: string) => void;
  onCut: (cut: string | null) => void;
  onStepIn: (node: LaidNode) => void;
  onOpen: (instances: readonly string[]) => void;
  onOther: () => void;
}) {
  const nodes = new Map(shown?.laid.nodes.map((each) => [each.node.id, each]) ?? []);
  const edges = shown?.laid.edges ?? [];
  const id = selected?.node.id;
  const drivers = [...new Set(edges.filter((each) => each.edge.to.node === id).map((each) => each.edge.from.node))];
  const loads = [...new Set(edges.filter((each) => each.edge.from.node === id).map((each) => each.edge.to.node))];
  const place = selected ? sourceOf(selected.node) : null;
  const isOpen = selected?.node.path ? openInstances.includes(selected.node.path) : false;
  const list = (title: string, ids: readonly string[]) =>
    ids.length > 0 && (
      <>
        <h3 className="mt-3 mb-1 text-xs font-semibold text-soft">
          {title} ({ids.length})
        </h3>
        <ul>
          {ids.slice(0, 40).map((each) => (
            <li key={each}>
              <button
                type="button"
                className="block w-full truncate rounded px-1 py-0.5 text-left font-mono text-xs hover:bg-raised"
                title={nodes.get(each)?.node.label}
                onClick={() => onChoose(each)}
              >
                <span className="text-soft">{kindName(nodes.get(each)?.node.kind)}</span>{" "}
                {nodes.get(each)?.node.label ?? each}
              </button>
            </li>
          ))}
        </ul>
      </>
    );
  return (
    <aside
      className="min-h-0 overflow-auto border-l border-line bg-panel p-4 text-[13px]"
      aria-label="Selected symbol"
      data-testid="node-panel"
    >
      {selected ? (
        <>
          <p className="text-xs text-soft">
            {kindName(selected.node.kind)}
            {selected.node.kind === "instance" && ` of ${selected.node.symbol}`}
          </p>
          <h2 className="font-mono text-sm font-semibold break-all">{selected.node.label}</h2>
          {selected.node.kind === "lut" && <p className="mt-1 font-mono text-xs break-words">{selected.node.symbol}</p>}
          <ul className="mt-2 space-y-0.5 text-xs">
            {selected.node.detail.map((line) => (
              <li key={line} className="break-all">
                {line}
              </li>
            ))}
          </ul>
          {selected.node.inputs.some((pin) => pin.isOpen) && (
            <p className="mt-2 text-bad">
              Nothing drives{" "}
              {selected.node.inputs
                .filter((pin) => pin.isOpen)
                .map((pin) => pin.label || "its input")
                .join(", ")}
              .
            </p>
          )}
          {selected.node.outputs.length > 0 && selected.node.outputs.every((pin) => pin.isOpen) && (
            <p className="mt-2 text-warn">Nothing reads it.</p>
          )}
          {place && (
            <button
              type="button"
              className="mt-2 font-mono text-xs text-indigo underline"
              onClick={() => onPlace(place)}
              data-testid="to-source"
            >
              {place.file}:{place.line}
            </button>
          )}
          <div className="mt-3 flex flex-wrap gap-1.5">
            {selected.node.kind === "instance" && selected.node.path !== null && (
              <>
                <Button className="h-7 px-2 text-xs" onClick={() => onStepIn(selected)} data-testid="step-in">
                  Step in
                </Button>
                <Button
                  className="h-7 px-2 text-xs"
                  data-testid="open-here"
                  onClick={() =>
                    onOpen(
                      isOpen
                        ? openInstances.filter((each) => each !== selected.node.path)
                        : [...openInstances, selected.node.path!],
                    )
                  }
                >
                  {isOpen ? "Close it" : "Open in place"}
                </Button>
              </>
            )}
            <Button
              className="h-7 px-2 text-xs"
              onClick={() => onCut(mode === "cone" ? null : "cone")}
              data-testid="cone"
            >
              {mode === "cone" ? "All again" : "Only its cone"}
            </Button>
            <Button
              className="h-7 px-2 text-xs"
              onClick={() => onCut(mode === "between" ? null : "between")}
              title="Then click the other end"
            >
              {mode === "between" ? "All again" : "From here to …"}
            </Button>
            {focusName && (
              <Button className="h-7 px-2 text-xs" onClick={onOther} data-testid="other-circuit">
                {kind === "written" ? "As built" : "As written"}
              </Button>
            )}
          </div>
          {list("Driven by", drivers)}
          {list("Read by", loads)}
        </>
      ) : (
        <p className="text-soft">
          Click a symbol to see where it is written and what it is connected to; double-click an instance to step into
          it. Red crosses are inputs that nothing drives, open circles outputs that nothing reads.
        </p>
      )}
      {openInstances.length > 0 && (
        <>
          <h3 className="mt-4 mb-1 text-xs font-semibold text-soft">Open in place</h3>
          <ul>
            {openInstances.map((path) => (
              <li key={path} className="flex items-center gap-2 font-mono text-xs">
                <span className="min-w-0 flex-1 truncate">{path}</span>
                <button
                  type="button"
                  className="text-indigo underline"
                  onClick={() => onOpen(openInstances.filter((each) => each !== path))}
                >
                  close
                </button>
              </li>
            ))}
          </ul>
        </>
      )}
      {against > 0 && (
        <>
          <h3 className="mt-4 mb-1 text-xs font-semibold text-soft">Against trial {against}</h3>
          {changes.length === 0 ? (
            <p className="text-soft">Nothing here was added, removed or rewired.</p>
          ) : (
            <ul data-testid="changes">
              {changes.slice(0, 100).map((change) => (
                <li key={`${change.change} ${change.id}`}>
                  <button
                    type="button"
                    className="block w-full truncate rounded px-1 py-0.5 text-left text-xs hover:bg-raised"
                    disabled={change.change === "removed"}
                    onClick={() => onChoose(change.id)}
                  >
                    <span className="font-semibold">{change.change}</span>{" "}
                    <span className="font-mono">{change.what}</span>
                  </button>
                </li>
              ))}
            </ul>
          )}
        </>
      )}
    </aside>
  );
}

function kindName(kind: string | undefined): string {
  return kind === "lut" ? "LUT" : kind === "mux" ? "multiplexer" : (kind ?? "");
}
