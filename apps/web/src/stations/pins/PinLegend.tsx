const free = "fill-panel stroke-soft";

/** What the shapes and marks of the package mean. */
export function PinLegend({ isGrid }: { isGrid: boolean }) {
  return (
    <ul className="flex min-w-0 flex-1 flex-wrap items-center gap-x-3 gap-y-0.5 px-4 py-1 text-[11px] text-soft">
      <Mark path={isGrid ? round : "M2 13V3H8V13Z"} className={free} text="free" />
      <Mark path={isGrid ? "M5 3L9 11H1Z" : "M2 13V4L5 1L8 4V13Z"} className={free} text="clock" />
      <Mark path={isGrid ? "M5 3L9 7L5 11L1 7Z" : "M2 13V6L4 3H6L8 6V13Z"} className={free} text="flash" />
      <Mark path={isGrid ? "M1.5 3.5H8.5V10.5H1.5Z" : "M2 13V5A3 3 0 0 1 8 5V13Z"} className={free} text="reference" />
      <Mark path={isGrid ? round : "M2 13V3H8V13Z"} className="fill-indigo stroke-indigo" text="by a line" />
      <Mark
        path={isGrid ? round : "M2 13V3H8V13Z"}
        className="fill-indigo-wash stroke-indigo"
        isDashed
        text="by itself"
      />
      {!isGrid && <Mark path="M2 2v2h6v-2" className="fill-none stroke-soft" text="pair" />}
      <Mark path="M3 6h4l-2 4z" className="fill-ink stroke-none" text="in" />
      <Mark path="M3 9h4l-2 -4z" className="fill-ink stroke-none" text="out" />
    </ul>
  );
}
const round = "M5 3.5a3.5 3.5 0 1 1 0 7a3.5 3.5 0 1 1 0 -7";

function Mark({
  path,
  className,
  text,
  isDashed,
}: {
  path: string;
  className: string;
  text: string;
  isDashed?: boolean;
}) {
  return (
    <li className="flex items-center gap-1">
      <svg viewBox="0 0 10 14" className="h-3.5 w-2.5" aria-hidden>
        <path d={path} className={className} strokeDasharray={isDashed ? "2 1.4" : undefined} />
      </svg>
      {text}
    </li>
  );
}
