import type { SourceFile, Spot } from "@gate-clock/core";
import { X } from "lucide-react";
import { useState } from "react";
import { Button } from "../../ui/Button.tsx";
import type { PlaceList } from "./use-names.ts";

interface Props {
  readonly list: PlaceList;
  readonly sources: readonly SourceFile[];
  readonly onSpot: (spot: Spot) => void;
  readonly onRename: (name: string) => void;
  readonly onClose: () => void;
}

/** Places with their lines; while renaming, a field for the new name. */
export function PlaceListPanel({ list, sources, onSpot, onRename, onClose }: Props) {
  const [name, setName] = useState(list.renaming?.name ?? "");
  const good = /^[A-Za-z_][\w$]*$/.test(name) && name !== list.renaming?.name;
  const lineOf = (spot: Spot) => sources.find((file) => file.name === spot.file)?.text.split("\n")[spot.line - 1] ?? "";
  return (
    <section className="flex h-full flex-col bg-panel" data-testid="place-list">
      <header className="flex h-9 shrink-0 items-center gap-3 border-b border-line px-4 text-[13px]">
        <h2 className="shrink-0 font-semibold">{list.title}</h2>
        {list.renaming && (
          <form
            className="flex items-center gap-2"
            onSubmit={(event) => {
              event.preventDefault();
              if (good) onRename(name);
            }}
          >
            <input
              // biome-ignore lint/a11y/noAutofocus: the field was opened to type in
              autoFocus
              aria-label="New name"
              className="h-7 w-48 rounded-md border border-line bg-panel px-2 font-mono text-xs"
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
            <Button type="submit" className="h-7" disabled={!good}>
              Rename
            </Button>
          </form>
        )}
        <span className="flex-1" />
        <button
          type="button"
          className="rounded p-1 text-soft hover:bg-raised"
          onClick={onClose}
          aria-label="Close the list"
        >
          <X className="size-4" />
        </button>
      </header>
      {list.renaming?.mayHaveMore && (
        <p className="shrink-0 border-b border-line px-4 py-1 text-xs text-warn" role="note">
          Not all uses could be told, such as keys of patterns ('&#123;{list.renaming.name}: ...&#125;). Check those
          after renaming.
        </p>
      )}
      <ul className="min-h-0 flex-1 overflow-auto py-1">
        {list.spots.slice(0, 2000).map((spot) => (
          <li key={`${spot.file}:${spot.start}`}>
            <button
              type="button"
              className="flex w-full items-baseline gap-3 px-4 py-0.5 text-left text-xs hover:bg-raised"
              onClick={() => onSpot(spot)}
            >
              <span className="w-44 shrink-0 truncate font-mono text-indigo">
                {spot.file}:{spot.line}
              </span>
              <span className="truncate font-mono whitespace-pre">{lineOf(spot).trim()}</span>
            </button>
          </li>
        ))}
        {list.spots.length === 0 && <li className="px-4 py-2 text-[13px] text-soft">Nothing found.</li>}
        {list.spots.length > 2000 && (
          <li className="px-4 py-1 text-xs text-soft">{list.spots.length - 2000} more: narrow the search.</li>
        )}
      </ul>
    </section>
  );
}
