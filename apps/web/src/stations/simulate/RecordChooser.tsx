import type { RecordScope, ScopeEntry } from "@gate-clock/core";
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ChevronDown } from "lucide-react";
import { useEffect, useMemo, useState } from "react";
import { Button } from "../../ui/Button.tsx";
import { useSessions, useTexts } from "../../workbench/context.ts";
import { chosenSignals, isBelowChosen, toggleScope } from "./record-choice.ts";

interface Props {
  readonly bench: string;
  readonly record: readonly RecordScope[] | null;
  readonly onRecord: (record: readonly RecordScope[] | null) => void;
}

/** Which scopes the next run records: all of them, or those chosen in the bench's hierarchy. */
export function RecordChooser({ bench, record, onRecord }: Props) {
  const label = record === null ? "all signals" : record.length === 0 ? "nothing" : chosenText(bench, record);
  return (
    <Popover className="relative">
      <PopoverButton
        className="inline-flex h-7 max-w-44 items-center gap-1 rounded-md px-2 hover:bg-raised"
        title="Which signals the next run records"
        data-testid="record"
      >
        <span className="text-soft">Record</span>
        <span className="truncate">{label}</span>
        <ChevronDown className="size-3.5 shrink-0 text-soft" aria-hidden />
      </PopoverButton>
      <PopoverPanel
        anchor={{ to: "bottom end", gap: 6 }}
        className="z-30 w-[26rem] rounded-lg border border-line bg-panel shadow-xl"
      >
        <Chooser bench={bench} record={record} onRecord={onRecord} />
      </PopoverPanel>
    </Popover>
  );
}

const chosenText = (bench: string, [first, ...more]: readonly RecordScope[]) =>
  `${first.path || bench}${more.length ? ` and ${more.length} more` : ""}`;

function Chooser({ bench, record, onRecord }: Props) {
  const { simulation } = useSessions();
  const { sources } = useTexts();
  const [scopes, setScopes] = useState<readonly ScopeEntry[] | null>(null);
  const [filter, setFilter] = useState("");
  const [host, setHost] = useState<HTMLDivElement | null>(null);
  useEffect(() => {
    let isShown = true;
    simulation
      .scopes(sources, bench)
      .then((found) => isShown && setScopes(found))
      .catch(() => isShown && setScopes([]));
    return () => {
      isShown = false;
    };
  }, [simulation, sources, bench]);
  const shown = useMemo(
    () => (scopes ?? []).filter((scope) => scope.path.toLowerCase().includes(filter.toLowerCase())),
    [scopes, filter],
  );
  const rows = useVirtualizer({
    count: shown.length,
    getScrollElement: () => host,
    estimateSize: () => 26,
    overscan: 10,
  });
  const chosen = record ?? [{ path: "", below: true }];
  return (
    <div className="flex flex-col text-[13px]">
      <div className="flex items-center gap-2 border-b border-line p-2">
        <input
          type="search"
          className="h-7 min-w-0 flex-1 rounded-md border border-line bg-cloth px-2 text-xs"
          placeholder="Scope"
          aria-label="Search scopes"
          value={filter}
          onChange={(event) => setFilter(event.target.value)}
        />
        <Button className="h-7 px-2 text-xs" onClick={() => onRecord(null)} disabled={record === null}>
          All
        </Button>
        <Button className="h-7 px-2 text-xs" onClick={() => onRecord([])} disabled={record?.length === 0}>
          None
        </Button>
      </div>
      <div className="flex px-3 pt-1.5 text-[11px] text-soft">
        <span className="flex-1">Scope</span>
        <span className="w-16 text-right">signals</span>
        <span className="w-14 text-center">own</span>
        <span className="w-14 text-center">and below</span>
      </div>
      <div ref={setHost} className="max-h-72 min-h-24 overflow-auto py-1" data-testid="record-scopes">
        {scopes === null && <p className="px-3 py-2 text-soft">Elaborating {bench}…</p>}
        {scopes?.length === 0 && (
          <p className="px-3 py-2 text-soft">
            The sources have errors: once they are repaired, the scopes of {bench} are listed here.
          </p>
        )}
        <div className="relative" style={{ height: rows.getTotalSize() }}>
          {rows.getVirtualItems().map((item) => {
            const scope = shown[item.index];
            const depth = scope.path ? scope.path.split(".").length : 0;
            const name = scope.path ? scope.path.slice(scope.path.lastIndexOf(".") + 1) : bench;
            const full = scope.path || bench;
            const covered = isBelowChosen(chosen, scope.path);
            const own = chosen.find((each) => each.path === scope.path);
            return (
              <div
                key={item.key}
                className="absolute inset-x-0 flex items-center px-3 hover:bg-raised"
                style={{ height: item.size, transform: `translateY(${item.start}px)` }}
              >
                <span
                  className="min-w-0 flex-1 truncate font-mono text-xs"
                  style={{ paddingLeft: filter ? 0 : Math.min(depth, 12) * 12 }}
                  title={full}
                >
                  {filter ? full : name}
                  {scope.module && scope.module !== name && (
                    <span className="ml-2 font-sans text-[11px] text-soft">{scope.module}</span>
                  )}
                </span>
                <span className="tabular w-16 text-right text-xs text-soft">{scope.signals.toLocaleString("en")}</span>
                {[false, true].map((below) => (
                  <span key={String(below)} className="flex w-14 justify-center">
                    <input
                      type="checkbox"
                      className="accent-indigo"
                      checked={covered || (own !== undefined && (own.below || !below))}
                      disabled={covered || (!below && own?.below)}
                      onChange={() => onRecord(toggleScope(chosen, scope.path, below))}
                      aria-label={`Record ${full}${below ? " and what is below it" : ""}`}
                    />
                  </span>
                ))}
              </div>
            );
          })}
        </div>
      </div>
      {scopes && scopes.length > 0 && (
        <p className="border-t border-line px-3 py-1.5 text-xs text-soft">
          {chosenSignals(chosen, scopes).toLocaleString("en")} of{" "}
          {scopes.reduce((sum, scope) => sum + scope.signals, 0).toLocaleString("en")} signals. Fewer make a long run
          faster.
        </p>
      )}
    </div>
  );
}
