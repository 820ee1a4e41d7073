import type { StateMachine } from "@gate-clock/core";
import ELK, { type ElkNode } from "elkjs/lib/elk.bundled.js";
import { useEffect, useState } from "react";

interface Laid {
  readonly width: number;
  readonly height: number;
  readonly states: readonly { readonly code: number; readonly x: number; readonly y: number; readonly w: number }[];
  readonly ways: readonly { readonly id: string; readonly d: string }[];
}
const high = 34;

/** A state machine as boxes and arrows; an arrow from a dot leads to the start. @param labels Names of codes, where they have any. */
export function StateDiagram({
  name,
  machine,
  labels,
}: {
  name: string;
  machine: StateMachine;
  labels: Readonly<Record<string, string>>;
}) {
  const [laid, setLaid] = useState<Laid | null>(null);
  useEffect(() => {
    let isOver = false;
    void layout(machine, labels).then((made) => {
      if (!isOver) setLaid(made);
    });
    return () => {
      isOver = true;
    };
  }, [machine, labels]);
  if (!laid) return null;
  const text = (code: number) => textOf(code, machine, labels);
  return (
    <svg
      viewBox={`0 0 ${laid.width} ${laid.height}`}
      className="mx-auto max-h-full max-w-full"
      style={{ width: laid.width * 1.15 }}
      role="img"
      aria-label={`State diagram of ${name}: ${machine.states.length} states, start ${text(machine.start)}; ${machine.transitions.map(([a, b]) => `${text(a)} to ${text(b)}`).join(", ")}`}
      data-testid="state-diagram"
    >
      <defs>
        <marker id="state-arrow" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" orient="auto">
          <path d="M0 0L8 4L0 8Z" fill="var(--ink)" />
        </marker>
      </defs>
      {laid.ways.map((way) => (
        <path
          key={way.id}
          d={way.d}
          fill="none"
          stroke="var(--ink)"
          strokeOpacity={0.7}
          markerEnd="url(#state-arrow)"
        />
      ))}
      {laid.states.map(({ code, x, y, w }) => (
        <g key={code}>
          <rect
            x={x}
            y={y}
            width={w}
            height={high}
            rx={6}
            fill="var(--panel)"
            stroke="var(--thread-a)"
            strokeWidth={1.5}
          />
          {code === machine.start && (
            <>
              <circle cx={x - 26} cy={y + high / 2} r={4.5} fill="var(--ink)" />
              <path
                d={`M${x - 22} ${y + high / 2}H${x - 1}`}
                stroke="var(--ink)"
                strokeOpacity={0.7}
                markerEnd="url(#state-arrow)"
              />
            </>
          )}
          <text
            x={x + w / 2}
            y={y + high / 2 + 4}
            textAnchor="middle"
            fontSize={12}
            fill="var(--ink)"
            style={{ fontFamily: "Spline Sans Mono Variable, monospace" }}
          >
            {text(code)}
          </text>
          {machine.codes && (
            <title>{`${text(code)} is ${machine.codes[machine.states.indexOf(code)]} in the built register`}</title>
          )}
        </g>
      ))}
    </svg>
  );
}

const textOf = (code: number, machine: StateMachine, labels: Readonly<Record<string, string>>) =>
  labels[code] ?? `${machine.bits}'d${code}`;

async function layout(machine: StateMachine, labels: Readonly<Record<string, string>>): Promise<Laid> {
  const root: ElkNode = {
    id: "root",
    layoutOptions: {
      "elk.algorithm": "layered",
      "elk.direction": "RIGHT",
      "elk.edgeRouting": "SPLINES",
      // states come in the order in which they are reached: ways back are those to an earlier one
      "elk.layered.cycleBreaking.strategy": "MODEL_ORDER",
      "elk.layered.spacing.nodeNodeBetweenLayers": "60",
      "elk.spacing.nodeNode": "28",
      "elk.padding": "[top=12,left=36,bottom=12,right=12]",
    },
    children: machine.states.map((code) => ({
      id: String(code),
      width: Math.max(64, 20 + 7.4 * textOf(code, machine, labels).length),
      height: high,
      ...(code === machine.start ? { layoutOptions: { "elk.layered.layering.layerConstraint": "FIRST" } } : {}),
    })),
    edges: machine.transitions.map(([from, to], i) => ({
      id: `w${i}`,
      sources: [String(from)],
      targets: [String(to)],
    })),
  };
  const made = await new ELK().layout(root);
  return {
    width: made.width ?? 100,
    height: made.height ?? 100,
    states: (made.children ?? []).map((child) => ({
      code: Number(child.id),
      x: child.x ?? 0,
      y: child.y ?? 0,
      w: child.width ?? 64,
    })),
    ways: (made.edges ?? []).map((edge) => {
      const [section] = edge.sections ?? [];
      if (!section) return { id: edge.id, d: "" };
      const points = [...(section.bendPoints ?? []), section.endPoint];
      let d = `M${section.startPoint.x} ${section.startPoint.y}`;
      // splines come as groups of three control points
      let i = 0;
      for (; i + 2 < points.length; i += 3)
        d += `C${points[i].x} ${points[i].y} ${points[i + 1].x} ${points[i + 1].y} ${points[i + 2].x} ${points[i + 2].y}`;
      for (; i < points.length; i++) d += `L${points[i].x} ${points[i].y}`;
      return { id: edge.id, d };
    }),
  };
}
