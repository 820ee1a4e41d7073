import { CircleCheck, CircleX, Clock, Info, TriangleAlert } from "lucide-react";
import type { ReactNode } from "react";

export type Tone = "good" | "warn" | "bad" | "open" | "plain";
const icons = { good: CircleCheck, warn: TriangleAlert, bad: CircleX, open: Clock, plain: Info };
const colours: Readonly<Record<Tone, string>> = {
  good: "text-good",
  warn: "text-warn",
  bad: "text-bad",
  open: "text-soft",
  plain: "text-indigo",
};

/** One sentence and one figure at the top of each station: the answer that the engineer came for. */
export function Verdict({
  tone,
  figure,
  unit,
  change,
  children,
  aside,
}: {
  tone: Tone;
  figure?: string;
  unit?: string;
  /** How the figure differs from what it is compared with. */
  change?: ReactNode;
  children: ReactNode;
  aside?: ReactNode;
}) {
  const Icon = icons[tone];
  return (
    <header
      className="flex min-h-12 shrink-0 items-center gap-3.5 border-b border-line bg-panel px-5 py-1.5"
      data-testid="verdict"
      data-tone={tone}
    >
      <Icon className={`size-6 shrink-0 ${colours[tone]}`} aria-hidden />
      {figure && (
        <div
          className={`tabular text-[26px] leading-none font-semibold tracking-tight whitespace-nowrap ${colours[tone]}`}
          data-testid="verdict-figure"
        >
          {figure}
          {unit && <span className="ml-1 text-sm font-medium text-soft">{unit}</span>}
        </div>
      )}
      {change}
      <p className="min-w-0 flex-1 text-[15px]">{children}</p>
      {aside}
    </header>
  );
}
