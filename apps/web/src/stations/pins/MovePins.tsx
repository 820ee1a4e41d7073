import {
  boardUnder,
  findPart,
  formatPin,
  listBoards,
  type Part,
  type PinAssignment,
  type TransferredPin,
  transferPins,
} from "@gate-clock/core";
import { useQuery } from "@tanstack/react-query";
import { useId, useMemo } from "react";
import { partsQuery } from "../../app/queries.ts";
import type { PinState } from "../../pins/pin-state.ts";
import { Button } from "../../ui/Button.tsx";
import { PinCell } from "./PinCell.tsx";

/** Part and board that pins are to move to. */
export interface MoveGoal {
  readonly part: string;
  /** Name; null for none. */
  readonly board: string | null;
}

const hows: Readonly<Record<TransferredPin["how"], string>> = {
  signal: "same signal of the board",
  pad: "same pad of the die",
  name: "same name",
  nearest: "nearest",
  inside: "inside",
  lost: "no place",
};
/** What one looks at first: what is lost, then what is only near. */
const order: readonly TransferredPin["how"][] = ["lost", "nearest", "name", "pad", "signal", "inside"];

/** What becomes of every line on another part or board, before anything is changed. */
export function MovePins({
  state,
  from,
  goal,
  isBusy,
  problem,
  onGoal,
  onMove,
  onClose,
}: {
  state: PinState;
  from: MoveGoal;
  goal: MoveGoal;
  isBusy: boolean;
  problem: string | null;
  onGoal: (goal: MoveGoal) => void;
  onMove: (rows: readonly TransferredPin[], part: Part) => void;
  onClose: () => void;
}) {
  const id = useId();
  const { data: parts } = useQuery(partsQuery);
  const part = useMemo(() => findPart(goal.part).part, [goal.part]);
  const rows = useMemo(
    () =>
      part
        ? transferPins(
            state.read,
            state.needs,
            { part: state.part, board: boardUnder(from.board, state.part) },
            { part, board: boardUnder(goal.board, part) },
          )
        : [],
    [state, from.board, goal.board, part],
  );
  const count = (how: TransferredPin["how"]) => rows.filter((row) => row.how === how).length;
  const [lost, near] = [count("lost"), count("nearest")];
  const isSame = goal.part === from.part && goal.board === from.board;
  const sorted = [...rows].sort((a, b) => order.indexOf(a.how) - order.indexOf(b.how));
  const field = "h-7 rounded border border-line bg-cloth px-1 font-mono text-xs";
  return (
    <section className="flex h-full min-h-0 flex-col text-[13px]" data-testid="move-pins">
      <div className="flex shrink-0 flex-wrap items-center gap-2 border-b border-line px-4 py-2">
        <label htmlFor={`${id}part`}>Move to</label>
        <select
          id={`${id}part`}
          className={field}
          value={goal.part}
          onChange={(event) => onGoal({ part: event.target.value, board: null })}
        >
          {(parts ?? [{ name: goal.part }]).map(({ name }) => (
            <option key={name}>{name}</option>
          ))}
        </select>
        <label htmlFor={`${id}board`}>on</label>
        <select
          id={`${id}board`}
          className={field}
          value={goal.board ?? ""}
          onChange={(event) => {
            const board = listBoards().find(({ name }) => name === event.target.value);
            onGoal({ part: board?.part ?? goal.part, board: board?.name ?? null });
          }}
        >
          <option value="">no board</option>
          {listBoards().map(({ name, title }) => (
            <option key={name} value={name}>
              {title}
            </option>
          ))}
        </select>
        <span className="min-w-0 flex-1" />
        <Button look="quiet" className="h-7" onClick={onClose}>
          Cancel
        </Button>
        <Button className="h-7" disabled={isSame || !part || isBusy} onClick={() => part && onMove(rows, part)}>
          Move
        </Button>
      </div>
      {problem && (
        <p className="shrink-0 px-4 py-1 text-bad" role="alert">
          {problem}
        </p>
      )}
      <p className="shrink-0 border-b border-line px-4 py-1.5" data-testid="move-summary">
        {isSame
          ? "Choose a part or a board to see what becomes of every line there."
          : `${rows.length - lost - near} of ${rows.length} lines keep their place. ${near ? `${near} go to the nearest contact that will do. ` : ""}${lost ? `${lost} ${lost === 1 ? "has" : "have"} no place and ${lost === 1 ? "stays as a comment" : "stay as comments"}.` : "None is lost."}`}
      </p>
      <div className="min-h-0 flex-1 overflow-auto">
        <table className="w-full table-fixed">
          <thead className="text-left text-soft">
            <tr>
              <th className="w-30 py-1 pl-4 font-semibold">Port</th>
              <th className="w-40 font-semibold">Now</th>
              <th className="w-40 font-semibold">Then</th>
              <th className="font-semibold">By</th>
            </tr>
          </thead>
          <tbody>
            {sorted.map(({ port, before, after, how, changes }) => (
              <tr key={port} className="border-t border-line/60 align-top">
                <PinCell text={port} look="pl-4" />
                <PinCell text={before.isInside ? "inside" : said(before.assignment)} look="text-soft" />
                <PinCell text={how === "inside" ? "inside" : after ? said(after) : "–"} />
                <td className={how === "lost" ? "font-semibold text-bad" : how === "nearest" ? "text-warn" : ""}>
                  {hows[how]}
                  {changes.length > 0 && <span className="block font-normal text-soft">{changes.join(" ")}</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

/** What stands behind the port. */
const said = (pin: PinAssignment) =>
  formatPin(pin)
    .slice(pin.port.length)
    .trim()
    .replace(/^at\s+/, "")
    .replace(/\s+/g, " ");
