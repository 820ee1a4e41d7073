import type { SchematicNode } from "@gate-clock/core";
import type { LaidNode } from "../../workers/layout-graph.ts";
import { textOf } from "../../workers/layout-graph.ts";

const font = { fontFamily: "Spline Sans Mono Variable, monospace" };

/** One symbol at its place: boxes with signs as in IEC 60617-12, multiplexers as trapezia, registers with a clock wedge. */
export function NodeSymbol({ laid, colour }: { laid: LaidNode; colour: string }) {
  const { node, x, y, width: w, height: h } = laid;
  const shape = { fill: "var(--panel)", stroke: colour, strokeWidth: 1.4 };
  const label = (text: string, dx: number, dy: number, anchor: "start" | "middle" | "end", size = 11, soft = false) => (
    <text
      x={x + dx}
      y={y + dy}
      textAnchor={anchor}
      fontSize={size}
      fill={soft ? "var(--soft)" : "var(--ink)"}
      style={font}
    >
      {text}
    </text>
  );
  switch (node.kind) {
    case "input port":
    case "outside":
      return (
        <>
          <path
            d={`M${x} ${y}H${x + w - 10}L${x + w} ${y + h / 2}L${x + w - 10} ${y + h}H${x}Z`}
            {...shape}
            strokeDasharray={node.kind === "outside" ? "3 2" : undefined}
          />
          {label(node.label, 7, 15, "start")}
        </>
      );
    case "output port":
      return (
        <>
          <path d={`M${x} ${y + h / 2}L${x + 10} ${y}H${x + w}V${y + h}H${x + 10}Z`} {...shape} />
          {label(node.label, 16, 15, "start")}
        </>
      );
    case "mux":
      return (
        <>
          <path d={`M${x} ${y}L${x + w} ${y + 10}V${y + h - 10}L${x} ${y + h}Z`} {...shape} />
          {laid.inputs.map(({ pin, y: py }) => (
            <text key={pin.id} x={x + 4} y={py + 3.5} fontSize={9} fill="var(--soft)" style={font}>
              {textOf(pin)}
            </text>
          ))}
        </>
      );
    case "operator":
      return (
        <>
          <rect x={x} y={y} width={w} height={h} rx={3} {...shape} />
          {label(node.symbol, w / 2, h / 2 + 5, "middle", node.symbol.length > 2 ? 11 : 15)}
          {node.label.includes(":inverse") && <circle cx={x + w + 4} cy={y + h / 2} r={4} {...shape} />}
          <Constants laid={laid} />
        </>
      );
    case "lut":
      return (
        <>
          <rect x={x} y={y} width={w} height={h} rx={8} {...shape} />
          <Pins laid={laid} />
          {label(
            node.symbol.length > 34 ? `${node.symbol.slice(0, 32)}…` : node.symbol,
            w / 2 + 6,
            h / 2 + 4,
            "middle",
            9.5,
          )}
        </>
      );
    case "register":
    case "latch": {
      const clock = laid.inputs.find(({ pin }) => pin.label === "clk");
      return (
        <>
          <rect x={x} y={y} width={w} height={h} {...shape} strokeWidth={2} />
          {clock && (
            <path
              d={`M${x} ${clock.y - 5}L${x + 8} ${clock.y}L${x} ${clock.y + 5}`}
              fill={node.symbol === "falling" ? colour : "none"}
              stroke={colour}
            />
          )}
          <Pins laid={laid} hideLabel="clk" />
          {label(short(node.label, Math.floor(w / 5.8)), w / 2, 12, "middle", 10)}
        </>
      );
    }
    default:
      return (
        <>
          <rect
            x={x}
            y={y}
            width={w}
            height={h}
            rx={node.isExpanded ? 6 : 0}
            {...shape}
            fill={node.isExpanded ? "none" : "var(--panel)"}
            strokeDasharray={node.isExpanded ? "6 4" : undefined}
          />
          {node.kind === "memory" && <path d={`M${x + 4} ${y}V${y + h}M${x + w - 4} ${y}V${y + h}`} stroke={colour} />}
          {label(
            short(node.label, Math.floor(w / 6.2)),
            node.isExpanded ? 10 : w / 2,
            13,
            node.isExpanded ? "start" : "middle",
          )}
          {label(
            short(node.symbol, Math.floor(w / 5.6)),
            node.isExpanded ? 10 : w / 2,
            26,
            node.isExpanded ? "start" : "middle",
            9.5,
            true,
          )}
          {!node.isExpanded && <Pins laid={laid} />}
        </>
      );
  }
}

function short(text: string, most: number): string {
  return text.length > most ? `…${text.slice(text.length - most + 1)}` : text;
}

function Pins({ laid, hideLabel }: { laid: LaidNode; hideLabel?: string }) {
  return (
    <>
      {laid.inputs.map(({ pin, x, y }) => (
        <text
          key={`i${pin.id}`}
          x={x + (pin.label === "clk" ? 11 : 5)}
          y={y + 3.5}
          fontSize={9.5}
          fill={pin.isOpen ? "var(--bad)" : "var(--soft)"}
          style={font}
        >
          {hideLabel === pin.label ? "clk" : textOf(pin)}
        </text>
      ))}
      {laid.outputs.map(({ pin, x, y }) => (
        <text key={`o${pin.id}`} x={x - 5} y={y + 3.5} textAnchor="end" fontSize={9.5} fill="var(--soft)" style={font}>
          {pin.label}
        </text>
      ))}
    </>
  );
}

/** Known values beside an operator's pins. */
function Constants({ laid }: { laid: LaidNode }) {
  return laid.inputs
    .filter(({ pin }) => pin.constant)
    .map(({ pin, x, y }) => (
      <text key={pin.id} x={x - 4} y={y + 3.5} textAnchor="end" fontSize={9.5} fill="var(--thread-d)" style={font}>
        {pin.constant}
      </text>
    ));
}

export const kindColour: Readonly<Record<SchematicNode["kind"], string>> = {
  "input port": "var(--thread-d)",
  "output port": "var(--thread-d)",
  outside: "var(--thread-d)",
  operator: "var(--thread-c)",
  mux: "var(--thread-c)",
  lut: "var(--thread-c)",
  carry: "var(--thread-c)",
  register: "var(--thread-a)",
  latch: "var(--bad)",
  memory: "var(--thread-b)",
  multiplier: "var(--thread-b)",
  "part block": "var(--thread-b)",
  instance: "var(--soft)",
};
