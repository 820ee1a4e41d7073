import {
  type Claim,
  claimedPins,
  movePins,
  type ParsedPin,
  type Part,
  type PinAssignment,
  type PinMove,
  type PinNeed,
  type PinOptionName,
  type TransferredPin,
  withInside,
  withLinesOf,
  withoutPins,
  withPinOption,
  withPins,
  withPlaces,
  withTransfer,
} from "@gate-clock/core";
import { useMemo } from "react";
import type { PinRow, PinState } from "../../pins/pin-state.ts";
import { afterPaint } from "../../ui/after-paint.ts";
import type { Beside } from "../../workbench/edit-history.ts";
import type { PinTexts } from "./use-pin-texts.ts";

/** Everything that is done to lines of pin files, each as one step that can be taken back. */
interface PinActs {
  /** What a drop does, or why it cannot. */
  place(bits: readonly PinNeed[], move: PinMove): void;
  /** @param text Name of a pin, "inside", or nothing: to be placed by itself. */
  setPin(row: PinRow, text: string, state: PinState): void;
  setOption(needs: readonly PinNeed[], title: string, name: PinOptionName | "standard", value: string): void;
  /** New lines for ports that have none. */
  write(label: string, pins: readonly PinAssignment[]): void;
  claim(list: readonly Claim[]): void;
  release(list: readonly Claim[]): void;
  /** Lines that come in from elsewhere, and ports whose lines go. */
  take(from: string, pins: readonly ParsedPin[], removed: readonly string[]): void;
  /** @param beside Part and board, which go back with the lines. */
  transfer(rows: readonly TransferredPin[], to: Part, beside: Beside): void;
}

const noFile = "No pin file is used here: begin one with New, or tick one.";
const bitsOf = (needs: readonly PinNeed[]) => needs.map(({ bitName }) => bitName);
const portNames = (list: readonly Claim[]) => (list.length === 1 ? list[0].port.name : `${list.length} ports`);

/** @param tell Hears why something could not be done; null takes back what was told. */
export function usePinActs({ act, remove }: PinTexts, tell: (notice: string | null) => void): PinActs {
  return useMemo(() => {
    const done = (isWritten: boolean) => tell(isWritten ? null : noFile);
    const write: PinActs["write"] = (label, pins) => {
      const byPort = new Map(pins.map((pin) => [pin.port, pin]));
      done(
        act(label, [...byPort.keys()], (text, own) =>
          withPins(
            text,
            own.flatMap((bit) => byPort.get(bit) ?? []),
          ),
        ),
      );
    };
    const place: PinActs["place"] = (bits, move) => {
      if (!move.pins) {
        tell(`${bits[0].bitName} cannot be placed there: ${move.hindrance}.`);
        return;
      }
      const byPort = new Map(move.pins.map((pin) => [pin.port, pin]));
      const label =
        byPort.size === 1 ? `place ${move.pins[0].port} at ${move.pins[0].pin}` : `place ${byPort.size} port bits`;
      afterPaint(() =>
        done(
          act(label, [...byPort.keys()], (text, own) =>
            withPlaces(
              text,
              own.flatMap((bit) => byPort.get(bit) ?? []),
            ),
          ),
        ),
      );
    };
    return {
      place,
      setPin(row, text, state) {
        const bits = bitsOf(row.needs);
        if (text === "") done(remove(`release ${row.id}`, bits));
        else if (text.toLowerCase() === "inside") done(act(`keep ${row.id} inside`, bits, withInside));
        else {
          const pin = state.part.pinByName.get(text.toUpperCase());
          if (pin) place(row.needs, movePins(row.needs, pin, state.resolved, state.part));
          else if (row.needs.every(({ serial }) => serial)) {
            // pins of lanes are no contacts that anything else could lie at: the check says if it is the wrong one
            const lane = state.pinOf.get(bits[0]);
            if (lane)
              place(row.needs, { pins: [{ ...lane, pin: text.toUpperCase() }], hindrance: null, swapped: null });
          } else tell(`${state.part.name} has no signal pin '${text}'.`);
        }
      },
      setOption: (needs, title, name, value) =>
        done(act(`${name} of ${title}`, bitsOf(needs), (text, own) => withPinOption(text, new Set(own), name, value))),
      write,
      claim: (list) => write(`claim ${portNames(list)}`, list.flatMap(claimedPins)),
      release: (list) =>
        done(
          remove(
            `release ${portNames(list)}`,
            list.flatMap(({ port }) => port.bits.map(({ name }) => name)),
          ),
        ),
      take(from, pins, removed) {
        const byPort = new Map(pins.map((pin) => [pin.assignment.port, pin]));
        const gone = new Set(removed);
        done(
          act(`take ${pins.length + removed.length} lines of ${from}`, [...byPort.keys(), ...removed], (text, own) =>
            withLinesOf(
              withoutPins(text, gone),
              own.flatMap((port) => byPort.get(port) ?? []),
            ),
          ),
        );
      },
      transfer: (rows, to, beside) => {
        const isWritten = act(
          `move ${rows.length} pins to ${to.name}`,
          rows.map(({ port }) => port),
          (text, own) => {
            const ports = new Set(own);
            return withTransfer(
              text,
              rows.filter(({ port }) => ports.has(port)),
              to,
            );
          },
          beside,
        );
        if (rows.length) done(isWritten);
      },
    };
  }, [act, remove, tell]);
}
