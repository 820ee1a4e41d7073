import { useEffect, useRef } from "react";
import { type Command, KeySequence, pressed } from "./commands.ts";

/** True where a letter is text. */
const isTyping = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  (target.isContentEditable || /^(?:INPUT|TEXTAREA|SELECT)$/.test(target.tagName)) &&
  !(target instanceof HTMLInputElement && /^(?:checkbox|radio|button)$/.test(target.type));

/** What the station that is open adds; its keys go before those of the page. */
let ofStation: readonly Command[] = [];

export const stationCommands = (): readonly Command[] => ofStation;

/** Adds commands while a station is open. */
export function useStationCommands(commands: readonly Command[]): void {
  useEffect(() => {
    ofStation = commands;
  });
  useEffect(
    () => () => {
      ofStation = [];
    },
    [],
  );
}

/** Runs commands by their keys, anywhere on the page. Letters alone do nothing while somebody types. */
export function useCommandKeys(commands: readonly Command[]): void {
  const latest = useRef(commands);
  latest.current = commands;
  useEffect(() => {
    const sequence = new KeySequence();
    const onKey = (event: KeyboardEvent) => {
      const keys = pressed(event);
      if (keys === null || event.defaultPrevented) return;
      // an editor takes back what was typed in it itself
      if ((!keys.startsWith("Ctrl+") || /^Ctrl\+[ZY]$/.test(keys)) && isTyping(event.target)) return;
      const { command, isTaken } = sequence.press(keys, event.timeStamp, [...ofStation, ...latest.current]);
      if (isTaken) event.preventDefault();
      if (command && command.isReady !== false) command.run();
    };
    addEventListener("keydown", onKey);
    return () => removeEventListener("keydown", onKey);
  }, []);
}
