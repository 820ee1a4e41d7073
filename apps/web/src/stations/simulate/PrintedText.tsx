import { type Place, type PrintedLine, showTime } from "@gate-clock/core";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef } from "react";

interface Props {
  readonly lines: readonly PrintedLine[];
  readonly lost: number;
  readonly precision: number;
  readonly onTime: (time: number) => void;
  readonly onPlace: (place: Place) => void;
}

/** What the design printed, each line with its time and the source line that printed it. */
export function PrintedText({ lines, lost, precision, onTime, onPlace }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: lines.length,
    getScrollElement: () => host.current,
    estimateSize: () => 22,
    overscan: 20,
  });
  if (lines.length === 0) return <p className="p-4 text-[13px] text-soft">The run printed nothing.</p>;
  return (
    <div ref={host} className="h-full overflow-auto bg-panel font-mono text-xs" data-testid="printed">
      <div className="relative" style={{ height: rows.getTotalSize() }}>
        {rows.getVirtualItems().map((item) => {
          const line = lines[item.index];
          return (
            <div
              key={item.key}
              className="absolute inset-x-0 flex items-center gap-3 px-3 hover:bg-raised"
              style={{ height: item.size, transform: `translateY(${item.start}px)` }}
            >
              <button
                type="button"
                className="tabular w-24 shrink-0 truncate text-right text-soft hover:text-indigo"
                onClick={() => onTime(line.time)}
                title="Set the cursor here"
              >
                {showTime(line.time, precision)}
              </button>
              <span className="min-w-0 flex-1 truncate whitespace-pre" title={line.text}>
                {line.text}
              </span>
              {line.place.file && (
                <button
                  type="button"
                  className="shrink-0 text-[11px] text-soft hover:text-indigo hover:underline"
                  onClick={() => onPlace(line.place)}
                >
                  {line.place.file}:{line.place.line}
                </button>
              )}
            </div>
          );
        })}
      </div>
      {lost > 0 && (
        <p className="px-3 py-2 text-soft">{lost.toLocaleString("en")} more lines were printed and are not kept.</p>
      )}
    </div>
  );
}
