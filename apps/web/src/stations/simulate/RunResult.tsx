import type { BenchRecord, Place, WaveTrack } from "@gate-clock/core";
import { useMemo } from "react";
import { Group, Panel, Separator } from "react-resizable-panels";
import { EmptyPanel } from "../../app/StatePages.tsx";
import type { WaveLayout } from "../../sessions/wave-layout.ts";
import { FindingList } from "../../ui/FindingList.tsx";
import { useSessions } from "../../workbench/context.ts";
import { PrintedText } from "./PrintedText.tsx";
import { WavePanel } from "./WavePanel.tsx";

interface Props {
  readonly run: BenchRecord;
  readonly layout: WaveLayout | undefined;
  readonly bench: string;
  readonly onPlace: (place: Place) => void;
}

/** What a run printed, found and did. */
export function RunResult({ run, layout, bench, onPlace }: Props) {
  const { simulation } = useSessions();
  const { result, sources } = run;
  const { waves, findings } = result;
  const placeOf = useMemo(() => {
    return (track: WaveTrack): Place | null => {
      const file = track.place && sources[track.place.file];
      if (!track.place || !file) return null;
      return { file: file.name, line: file.text.slice(0, track.place.start).split("\n").length, column: 1 };
    };
  }, [sources]);
  return (
    <Group orientation="vertical" className="min-h-0 flex-1">
      <Panel defaultSize="28%" minSize="80px">
        <Group orientation="horizontal" className="h-full">
          <Panel minSize="200px">
            <PrintedText
              lines={result.lines}
              lost={result.linesLost}
              precision={waves?.precision ?? -9}
              onTime={(time) => simulation.layout(bench, { cursor: time })}
              onPlace={onPlace}
            />
          </Panel>
          {findings.length > 0 && (
            <>
              <Separator className="w-1 border-l border-line bg-transparent hover:bg-indigo" />
              <Panel defaultSize="42%" minSize="160px" className="overflow-auto bg-panel">
                <FindingList findings={findings} onPlace={onPlace} />
              </Panel>
            </>
          )}
        </Group>
      </Panel>
      <Separator className="h-1 border-t border-line bg-transparent hover:bg-indigo" />
      <Panel minSize="120px">
        {waves && waves.tracks.length > 0 ? (
          <WavePanel
            waves={waves}
            layout={layout}
            onLayout={(change) => simulation.layout(bench, change)}
            placeOf={placeOf}
            onPlace={onPlace}
          />
        ) : (
          <EmptyPanel title="No waves">
            {waves
              ? "No signal was chosen to be recorded: see Record, above."
              : "The run ended before anything could be recorded."}
          </EmptyPanel>
        )}
      </Panel>
    </Group>
  );
}
