import { NavLink } from "react-router";
import { differenceText } from "./compare.ts";
import { type HeadView, type Station, type StationHead, stationGroups } from "./station.ts";

const toneMark = { good: "✓", warn: "!", bad: "✕", open: "·", plain: "·" } as const;
const toneColour = {
  good: "text-good",
  warn: "text-warn",
  bad: "text-bad",
  open: "text-soft",
  plain: "text-soft",
} as const;

/** The way of the work, from what is written down to what runs: each station with its headline figure. */
export function StationRail({
  stations,
  view,
  addressOf,
}: {
  stations: readonly Station[];
  view: HeadView;
  addressOf: (path: string) => string;
}) {
  return (
    <nav
      aria-label="Stations"
      className="flex w-[8.25rem] shrink-0 flex-col overflow-y-auto border-r border-line bg-cloth pb-2"
    >
      {stationGroups.map((group) => (
        <section key={group} aria-label={group}>
          <h2 className="px-3 pt-1.5 pb-0 text-[11px] leading-4 font-semibold text-soft">{group}</h2>
          {stations
            .filter((station) => station.group === group)
            .map((station) => (
              <StationLink
                key={station.path}
                station={station}
                head={station.head(view)}
                to={addressOf(station.path)}
              />
            ))}
        </section>
      ))}
    </nav>
  );
}

function StationLink({ station, head, to }: { station: Station; head: StationHead; to: string }) {
  const isEarlier = head.isOld && head.tone !== "open";
  return (
    <NavLink
      to={to}
      className={({ isActive }) =>
        `flex min-w-0 flex-col px-3 py-[2px] ${isActive ? "bg-panel shadow-[inset_3px_0_0_var(--indigo)]" : "hover:bg-raised"}`
      }
      data-testid={`station-${station.path}`}
      title={isEarlier ? `${head.figure}, of an earlier state` : head.figure}
    >
      <span className="flex items-baseline gap-1.5 leading-[1.05rem]">
        <span className="text-[13px] font-semibold">{station.name}</span>
        {isEarlier && <span className="ml-auto truncate text-[11px] text-soft italic">earlier</span>}
      </span>
      <span
        className={`tabular truncate text-[11px] leading-[0.9rem] ${toneColour[head.tone]} ${head.isOld ? "italic opacity-70" : ""}`}
      >
        <span aria-hidden className="mr-1 inline-block w-2 text-center font-semibold">
          {toneMark[head.tone]}
        </span>
        {head.figure}
        {head.change && (
          <span
            className={`ml-1.5 not-italic ${head.change.isBetter ? "text-good" : "text-bad"}`}
            title={differenceText(head.change)}
          >
            {head.change.isBetter ? "▴" : "▾"}
            <span className="sr-only">{differenceText(head.change)}</span>
          </span>
        )}
      </span>
    </NavLink>
  );
}
