import { findBoard, findPart, type PinNeed, type PortLink, type SourceFile } from "@gate-clock/core";
import { exposeSealed } from "../engine/sealed-worker.ts";
import { buildPinReport } from "../pins/pin-report.ts";
import { pinStateOf } from "../pins/pin-state.ts";

/** What a report of the pins is about. */
interface PinReportInput {
  readonly design: string;
  readonly target: string;
  readonly part: string;
  readonly board: string | null;
  readonly files: readonly SourceFile[];
  readonly needs: readonly PinNeed[];
  readonly links: readonly PortLink[];
  readonly when: string;
}

const reporter = {
  pins({ design, target, part, board, files, needs, links, when }: PinReportInput): ArrayBuffer {
    const { part: found, findings } = findPart(part);
    if (!found) throw new Error(findings[0].message);
    const onBoard = findBoard(board ?? "").board;
    const state = pinStateOf(files, needs, found, onBoard?.part === part ? onBoard : null, links);
    return buildPinReport(state, design, target, when);
  },
};
export type Reporter = typeof reporter;
exposeSealed(reporter);
