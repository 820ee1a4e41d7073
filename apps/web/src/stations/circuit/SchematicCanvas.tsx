import { useCallback, useEffect, useLayoutEffect, useRef, useState } from "react";
import type { LaidEdge, LaidNode, LaidSchematic } from "../../workers/layout-graph.ts";
import { kindColour, NodeSymbol } from "./symbols.tsx";

interface View {
  readonly x: number;
  readonly y: number;
  readonly scale: number;
}

/** The picture: wheel zooms at the pointer, dragging moves it, arrows and +/- do the same from the keyboard. */
export function SchematicCanvas({
  laid,
  selected,
  focusNets,
  changed,
  onNode,
  onOpen,
  onEdge,
  svgRef,
}: {
  laid: LaidSchematic;
  selected: string | null;
  focusNets: ReadonlySet<number>;
  changed: ReadonlyMap<string, string>;
  onNode: (node: LaidNode) => void;
  onOpen: (node: LaidNode) => void;
  onEdge: (edge: LaidEdge) => void;
  svgRef: React.RefObject<SVGSVGElement | null>;
}) {
  const host = useRef<HTMLDivElement>(null);
  const [view, setView] = useState<View>({ x: 0, y: 0, scale: 1 });
  const drag = useRef<{ x: number; y: number; view: View } | null>(null);

  const fit = useCallback(() => {
    const box = host.current?.getBoundingClientRect();
    if (!box || box.width === 0) return;
    const scale = Math.min(1.25, box.width / laid.width, box.height / laid.height);
    setView({ x: (box.width - laid.width * scale) / 2, y: (box.height - laid.height * scale) / 2, scale });
  }, [laid]);
  const fitRef = useRef(fit);
  fitRef.current = fit;
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new picture is fitted once, a new selection moves nothing
  useLayoutEffect(() => fitRef.current(), [laid]);

  const zoom = useCallback((factor: number, at?: { x: number; y: number }) => {
    const box = host.current?.getBoundingClientRect();
    if (!box) return;
    const px = at ? at.x - box.left : box.width / 2;
    const py = at ? at.y - box.top : box.height / 2;
    setView((old) => {
      const scale = Math.max(0.05, Math.min(4, old.scale * factor));
      const ratio = scale / old.scale;
      return { scale, x: px - (px - old.x) * ratio, y: py - (py - old.y) * ratio };
    });
  }, []);
  useEffect(() => {
    const element = host.current;
    if (!element) return;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      zoom(Math.exp(-event.deltaY * 0.0015), { x: event.clientX, y: event.clientY });
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  }, [zoom]);

  const inFocus = (edge: LaidEdge) =>
    focusNets.has(edge.edge.net) ||
    (selected !== null && (edge.edge.from.node === selected || edge.edge.to.node === selected));
  const containers = laid.nodes.filter((each) => each.node.isExpanded);
  const leaves = laid.nodes.filter((each) => !each.node.isExpanded);
  return (
    <div
      ref={host}
      className="relative h-full min-h-0 cursor-grab overflow-hidden bg-cloth active:cursor-grabbing"
      role="application"
      aria-label={`Schematic of ${laid.title}: ${laid.nodes.length} symbols, ${laid.edges.length} wires`}
      // biome-ignore lint/a11y/noNoninteractiveTabindex: the picture is moved by keys
      tabIndex={0}
      data-testid="schematic"
      onPointerDown={(event) => {
        drag.current = { x: event.clientX, y: event.clientY, view };
      }}
      onPointerMove={(event) => {
        const from = drag.current;
        if (!from || event.buttons === 0) return;
        if (Math.abs(event.clientX - from.x) + Math.abs(event.clientY - from.y) < 3) return;
        setView({ ...from.view, x: from.view.x + event.clientX - from.x, y: from.view.y + event.clientY - from.y });
      }}
      onPointerUp={() => {
        drag.current = null;
      }}
      onKeyDown={(event) => {
        const step = 60;
        const move: Record<string, [number, number]> = {
          ArrowLeft: [step, 0],
          ArrowRight: [-step, 0],
          ArrowUp: [0, step],
          ArrowDown: [0, -step],
        };
        if (move[event.key]) {
          event.preventDefault();
          setView((old) => ({ ...old, x: old.x + move[event.key][0], y: old.y + move[event.key][1] }));
        } else if (event.key === "+" || event.key === "=") zoom(1.25);
        else if (event.key === "-") zoom(0.8);
        else if (event.key === "0") fit();
      }}
    >
      <svg ref={svgRef} className="size-full select-none" role="img" aria-label={laid.title}>
        <g transform={`translate(${view.x} ${view.y}) scale(${view.scale})`}>
          {containers.map((each) => (
            <g key={each.node.id} onDoubleClick={() => onOpen(each)}>
              <NodeSymbol laid={each} colour="var(--soft)" />
            </g>
          ))}
          {laid.edges.map((each) => {
            const focused = inFocus(each);
            const d = path(each.points);
            return (
              <g key={each.edge.id} onClick={() => onEdge(each)} className="cursor-pointer">
                <title>{`${each.edge.name || "unnamed"}${each.edge.width > 1 ? `, ${each.edge.width} bits` : ""}`}</title>
                <path d={d} fill="none" stroke="transparent" strokeWidth={8} />
                <path
                  d={d}
                  fill="none"
                  stroke={focused ? "var(--lamp)" : "var(--ink)"}
                  strokeOpacity={focused ? 1 : 0.55}
                  strokeWidth={(each.edge.width > 1 ? 2.2 : 1.1) + (focused ? 1 : 0)}
                />
                {each.edge.width > 1 && view.scale > 0.55 && <BusMark points={each.points} width={each.edge.width} />}
              </g>
            );
          })}
          {leaves.map((each) => {
            const { node } = each;
            const open = node.inputs.some((pin) => pin.isOpen);
            const unread = node.outputs.length > 0 && node.outputs.every((pin) => pin.isOpen);
            const mark = changed.get(node.id);
            return (
              <g
                key={node.id}
                onClick={() => onNode(each)}
                onDoubleClick={() => onOpen(each)}
                className="cursor-pointer"
                data-testid={`node-${node.label}`}
              >
                <title>{`${node.kind} ${node.label}${node.detail.length ? `\n${node.detail.join("\n")}` : ""}`}</title>
                {selected === node.id && (
                  <rect
                    x={each.x - 5}
                    y={each.y - 5}
                    width={each.width + 10}
                    height={each.height + 10}
                    rx={6}
                    fill="var(--lamp)"
                    fillOpacity={0.28}
                    stroke="var(--lamp)"
                    strokeWidth={2}
                  />
                )}
                <NodeSymbol laid={each} colour={open ? "var(--bad)" : kindColour[node.kind]} />
                {each.inputs
                  .filter(({ pin }) => pin.isOpen)
                  .map(({ pin, x, y }) => (
                    <path
                      key={pin.id}
                      d={`M${x - 12} ${y - 4}l8 8m0 -8l-8 8M${x - 4} ${y}H${x}`}
                      stroke="var(--bad)"
                      strokeWidth={2}
                    />
                  ))}
                {unread && node.kind !== "instance" && (
                  <circle
                    cx={each.x + each.width + 6}
                    cy={each.y + each.height / 2}
                    r={3.5}
                    fill="none"
                    stroke="var(--warn)"
                    strokeWidth={2}
                  />
                )}
                {node.hidden > 0 && (
                  <text
                    x={each.x + each.width / 2}
                    y={each.y + each.height + 11}
                    textAnchor="middle"
                    fontSize={9.5}
                    fill="var(--soft)"
                  >
                    +{node.hidden}
                  </text>
                )}
                {mark && (
                  <text x={each.x - 4} y={each.y - 5} fontSize={14} fontWeight={700} fill="var(--thread-b)">
                    {mark}
                  </text>
                )}
              </g>
            );
          })}
        </g>
      </svg>
      <div className="absolute right-3 bottom-3 flex gap-1">
        {(
          [
            ["−", "Smaller", () => zoom(0.8)],
            ["+", "Larger", () => zoom(1.25)],
            ["fit", "All of it", fit],
          ] as const
        ).map(([text, name, act]) => (
          <button
            key={name}
            type="button"
            aria-label={name}
            title={name}
            onClick={act}
            className="h-7 min-w-7 rounded border border-line bg-panel px-1.5 text-sm hover:bg-raised"
          >
            {text}
          </button>
        ))}
      </div>
    </div>
  );
}

function path(points: readonly number[]): string {
  let d = `M${points[0]} ${points[1]}`;
  for (let i = 2; i < points.length; i += 2) d += `L${points[i]} ${points[i + 1]}`;
  return d;
}

/** A slanted stroke and the number of bits, on the first level stretch that has room. */
function BusMark({ points, width }: { points: readonly number[]; width: number }) {
  for (let i = 0; i + 3 < points.length; i += 2) {
    const [x0, y0, x1, y1] = points.slice(i, i + 4);
    if (y0 !== y1 || Math.abs(x1 - x0) < 22) continue;
    const x = x0 + Math.sign(x1 - x0) * 10;
    return (
      <>
        <path d={`M${x - 3} ${y0 + 4}l6 -8`} stroke="var(--ink)" strokeOpacity={0.7} />
        <text x={x + 4} y={y0 - 4} fontSize={9} fill="var(--soft)">
          {width}
        </text>
      </>
    );
  }
  return null;
}
