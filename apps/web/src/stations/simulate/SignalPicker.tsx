import type { Waves, WaveTrack } from "@gate-clock/core";
import { Search } from "lucide-react";
import { useMemo, useState } from "react";
import { trackKey } from "../../sessions/wave-rows.ts";

const maxListed = 500;

/** The signals of some waves by scope, to show and to hide. */
export function SignalPicker({
  waves,
  shown,
  onAdd,
  onRemove,
}: {
  waves: Waves;
  shown: readonly string[];
  onAdd: (keys: readonly string[]) => void;
  onRemove: (keys: readonly string[]) => void;
}) {
  const [search, setSearch] = useState("");
  const set = useMemo(() => new Set(shown), [shown]);
  const found = useMemo(() => {
    const words = search.toLowerCase().split(/\s+/).filter(Boolean);
    return waves.tracks.filter((track) => {
      const key = trackKey(track).toLowerCase();
      return words.every((word) => key.includes(word));
    });
  }, [waves, search]);
  const scopes = new Map<string, WaveTrack[]>();
  for (const track of found.slice(0, maxListed)) {
    const scope = track.path.join(".");
    const list = scopes.get(scope);
    if (list) list.push(track);
    else scopes.set(scope, [track]);
  }
  return (
    <div className="flex w-60 shrink-0 flex-col border-r border-line bg-cloth">
      <label className="flex items-center gap-1.5 border-b border-line px-2 py-1.5">
        <Search className="size-3.5 text-soft" aria-hidden />
        <input
          aria-label="Search signals"
          placeholder="Search signals"
          className="min-w-0 flex-1 bg-transparent text-xs outline-none"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
        />
      </label>
      <div className="min-h-0 flex-1 overflow-auto py-1 text-xs">
        {[...scopes].map(([scope, tracks]) => (
          <section key={scope}>
            <button
              type="button"
              className="w-full truncate px-2 py-1 text-left font-mono font-semibold text-soft hover:bg-raised"
              title={`Add all of ${scope}`}
              onClick={() => onAdd(tracks.map(trackKey))}
            >
              {scope}
            </button>
            {tracks.map((track) => {
              const key = trackKey(track);
              return (
                <label key={key} className="flex items-center gap-1.5 px-3 py-0.5 hover:bg-raised">
                  <input
                    type="checkbox"
                    checked={set.has(key)}
                    onChange={() => (set.has(key) ? onRemove([key]) : onAdd([key]))}
                  />
                  <span className="truncate font-mono">{track.name}</span>
                  {track.range && <span className="ml-auto text-[11px] text-soft">{track.width} bits</span>}
                </label>
              );
            })}
          </section>
        ))}
        {found.length > maxListed && (
          <p className="px-2 py-1 text-soft">{found.length - maxListed} more: narrow the search.</p>
        )}
        {found.length === 0 && <p className="px-2 py-1 text-soft">No signal has this name.</p>}
      </div>
    </div>
  );
}
