import {
  comparePins,
  type ParsedPin,
  type PinDifference,
  parsePins,
  readPinSheet,
  type SheetFault,
} from "@gate-clock/core";
import Papa from "papaparse";
import { useMemo, useState } from "react";
import { Button } from "../../ui/Button.tsx";
import { PinCell } from "./PinCell.tsx";

/** Pins that come in from elsewhere, not taken yet. */
export interface IncomingPins {
  /** Where they are from, for people. */
  readonly from: string;
  readonly pins: readonly ParsedPin[];
  readonly faults: readonly SheetFault[];
}

/** Most characters of a file that is read: no list of pins is longer. */
const mostCharacters = 2_000_000;

/** Reads a file, or what was copied out of a sheet: lines of a pin file, or rows with commas, semicolons or tabs. */
export function readIncoming(text: string, from: string): IncomingPins {
  if (text.length > mostCharacters)
    return { from, pins: [], faults: [{ row: 1, message: "It is too long for a list of pins." }] };
  const asFile = parsePins([{ name: from, text }]);
  const looksLikeFile = /^\s*[^\s#,;]+\s+(?:at\s+\S+|inside\b)/m.test(text);
  if (looksLikeFile)
    return {
      from,
      pins: asFile.pins,
      faults: asFile.findings.map(({ place, message }) => ({ row: place.line ?? 1, message })),
    };
  const { data } = Papa.parse<string[]>(text.replace(/^\uFEFF/, "").trimEnd());
  return { from, ...readPinSheet(data) };
}

const words: Readonly<Record<PinDifference["kind"], string>> = {
  new: "new",
  changed: "changed",
  missing: "not among them",
};

/** What would change, port by port, before it is taken: each can be left out. */
export function ImportPins({
  incoming,
  now,
  ports,
  onTake,
  onClose,
}: {
  incoming: IncomingPins;
  now: readonly ParsedPin[];
  /** Port bits of the design. */
  ports: ReadonlySet<string>;
  onTake: (pins: readonly ParsedPin[], removed: readonly string[]) => void;
  onClose: () => void;
}) {
  const differences = useMemo(() => comparePins(now, incoming.pins), [now, incoming.pins]);
  // what is missing there may be meant: it stays unless it is chosen
  const [left, setLeft] = useState<ReadonlySet<string>>(
    () => new Set(differences.flatMap(({ port, kind }) => (kind === "missing" || !ports.has(port) ? [port] : []))),
  );
  const chosen = differences.filter(({ port }) => !left.has(port));
  const same = incoming.pins.length - differences.filter(({ kind }) => kind !== "missing").length;
  const toggle = (port: string) => {
    const next = new Set(left);
    if (!next.delete(port)) next.add(port);
    setLeft(next);
  };
  return (
    <section className="flex h-full min-h-0 flex-col text-[13px]" data-testid="import">
      <div className="flex shrink-0 items-center gap-3 border-b border-line px-4 py-2">
        <h2 className="min-w-0 flex-1 truncate">
          <span className="font-semibold">
            {differences.length === 0
              ? "Nothing differs"
              : `${differences.length} ${differences.length === 1 ? "line differs" : "lines differ"}`}
          </span>
          <span className="ml-2 text-soft">
            from {incoming.from}
            {same > 0 ? `; ${same} are the same` : ""}
          </span>
        </h2>
        <Button look="quiet" className="h-7" onClick={onClose}>
          Cancel
        </Button>
        <Button
          className="h-7"
          disabled={chosen.length === 0}
          onClick={() =>
            onTake(
              chosen.flatMap(({ pin }) => pin ?? []),
              chosen.flatMap(({ port, kind }) => (kind === "missing" ? [port] : [])),
            )
          }
        >
          Take {chosen.length}
        </Button>
      </div>
      <div className="min-h-0 flex-1 overflow-auto">
        {incoming.faults.length > 0 && (
          <ul className="border-b border-line bg-warn-wash px-4 py-1" data-testid="import-faults">
            {incoming.faults.slice(0, 8).map(({ row, message }) => (
              <li key={`${row} ${message}`}>
                Row {row}: {message}
              </li>
            ))}
            {incoming.faults.length > 8 && <li>And {incoming.faults.length - 8} more rows that cannot be taken.</li>}
          </ul>
        )}
        <table className="w-full table-fixed">
          <thead className="text-left text-soft">
            <tr>
              <th className="w-10 py-1 pl-4" aria-label="Take it" />
              <th className="w-40 font-semibold">Port</th>
              <th className="w-28 font-semibold">How</th>
              <th className="font-semibold">Now</th>
              <th className="font-semibold">Then</th>
            </tr>
          </thead>
          <tbody>
            {differences.map(({ port, kind, before, after }) => (
              <tr key={port} className="border-t border-line/60">
                <td className="py-0.5 pl-4">
                  <input
                    type="checkbox"
                    checked={!left.has(port)}
                    aria-label={`Take ${port}`}
                    onChange={() => toggle(port)}
                  />
                </td>
                <PinCell text={port} />
                <td className={kind === "missing" ? "text-warn" : ""}>
                  {kind !== "missing" && !ports.has(port) ? "no such port" : words[kind]}
                </td>
                <PinCell text={before ?? "–"} look="text-soft" />
                <PinCell text={after ?? (left.has(port) ? "stays" : "deleted")} />
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}
