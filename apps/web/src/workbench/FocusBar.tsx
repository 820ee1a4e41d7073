import { Crosshair, X } from "lucide-react";
import { useMemo } from "react";
import { useLocation, useNavigate } from "react-router";
import { formatFocus, useFocus } from "../focus/focus.ts";
import { type Fact, lineFacts, objectFacts } from "../focus/focus-facts.ts";
import { stationAddress } from "./address.ts";
import { useActs, useDesign } from "./context.ts";
import { useObjectIndex } from "./use-object-index.ts";

/** Stations that show an object. */
const shownIn = [
  ["circuit", "Circuit"],
  ["layout", "Layout"],
] as const;

/** What is known of what has the focus: the same in all stations. */
export function FocusBar() {
  const { design, trial } = useDesign();
  const { showPlace } = useActs();
  const [focus, setFocus] = useFocus();
  const navigate = useNavigate();
  const { pathname } = useLocation();
  const index = useObjectIndex(focus && (focus.kind === "line" ? "line" : "object"));
  const facts = useMemo((): Fact[] | null => {
    if (!index || !focus) return null;
    if (focus.kind === "line") return lineFacts(index.line(focus.file, focus.line));
    const found = index.find(focus.name);
    const isTimed = trial?.stages.some(({ stage, state }) => stage === "timing" && state !== "failed") ?? false;
    return found ? objectFacts(found, isTimed) : [{ name: "Became", text: "no name of this trial's circuit" }];
  }, [index, focus, trial]);
  if (!focus) return null;
  const name = focus.kind === "line" ? `${focus.file}:${focus.line}` : focus.name;
  const follow = (leads: NonNullable<Fact["leads"]>) => {
    if (leads.to === "place") showPlace(leads.place);
    else if (leads.to === "net") setFocus({ kind: "net", name: leads.net });
    else
      void navigate(
        stationAddress(design.id, "timing", { paths: "setup", path: String(leads.index), focus: formatFocus(focus) }),
      );
  };
  return (
    <section
      className="flex h-9 shrink-0 items-center gap-4 border-t border-line bg-panel px-3 text-[13px]"
      aria-label="What has the focus"
      data-testid="focus-panel"
    >
      <h2 className="flex max-w-64 min-w-0 shrink-0 items-center gap-1.5 font-mono font-semibold" title={name}>
        <Crosshair className="size-3.5 shrink-0 text-indigo" aria-hidden />
        <span className="truncate">{name}</span>
      </h2>
      <dl className="flex min-w-0 flex-1 items-center gap-4 overflow-hidden whitespace-nowrap">
        {(facts ?? [{ name: "", text: trial ? "waits for the circuit" : "nothing is built yet" }]).map((fact) => (
          <div
            key={`${fact.name} ${fact.text}`}
            className={`flex gap-1.5 ${fact.leads?.to === "path" ? "min-w-0" : "shrink-0"}`}
            title={fact.text}
          >
            {fact.name && <dt className="shrink-0 text-soft">{fact.name}</dt>}
            <dd className="min-w-0 truncate">
              {fact.leads ? (
                <button
                  type="button"
                  className="block max-w-full truncate font-mono text-xs leading-5 text-indigo underline"
                  onClick={() => follow(fact.leads!)}
                >
                  {fact.text}
                </button>
              ) : (
                fact.text
              )}
            </dd>
          </div>
        ))}
      </dl>
      {focus.kind !== "line" &&
        shownIn
          .filter(([path]) => !pathname.endsWith(`/${path}`))
          .map(([path, title]) => (
            <button
              key={path}
              type="button"
              className="shrink-0 text-xs text-indigo underline"
              onClick={() => void navigate(stationAddress(design.id, path, { focus: formatFocus(focus) }))}
              data-testid={`focus-in-${path}`}
            >
              {title}
            </button>
          ))}
      <button
        type="button"
        onClick={() => setFocus(null)}
        aria-label="Clear the focus"
        className="shrink-0 rounded p-0.5 text-soft hover:bg-raised"
      >
        <X className="size-4" />
      </button>
    </section>
  );
}
