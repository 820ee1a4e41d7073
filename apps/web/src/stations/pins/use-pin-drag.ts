import type { DragEndEvent, DragMoveEvent, DragStartEvent } from "@dnd-kit/core";
import { movePins, PinChoices, type PinMove, type PinNeed } from "@gate-clock/core";
import { type RefObject, useCallback, useRef, useState } from "react";
import { type PackagePicture, spotAt } from "../../pins/package-drawing.ts";
import type { PinState } from "../../pins/pin-state.ts";

/** What is being dragged, and what a drop would do. */
interface PinDrag {
  readonly title: string;
  readonly bits: readonly PinNeed[];
  /** Contacts at which its first bit cannot lie. */
  readonly barred: ReadonlySet<string>;
  readonly at: string | null;
  readonly move: PinMove | null;
}

/** Drags port bits over the package. @param onMove Gets what a drop does, if it can be done. */
export function usePinDrag(
  state: PinState | null,
  picture: PackagePicture | null,
  svg: RefObject<SVGSVGElement | null>,
  onMove: (bits: readonly PinNeed[], move: PinMove) => void,
) {
  const [drag, setDrag] = useState<PinDrag | null>(null);
  const latest = useRef({ state, picture, drag, onMove });
  latest.current = { ...latest.current, state, picture, onMove };
  const show = useCallback((next: PinDrag | null) => {
    latest.current.drag = next;
    setDrag(next);
  }, []);

  const onDragStart = useCallback(
    ({ active }: DragStartEvent) => {
      const { state } = latest.current;
      const names = (active.data.current?.bits ?? []) as readonly string[];
      const bits = names.flatMap((name) => state?.needByName.get(name) ?? []);
      if (!state || bits.length === 0) return;
      const { lines, ties } = state.resolved;
      const choices = new PinChoices(lines, state.part, ties, new Set(names));
      const standard = lines.byPort.get(names[0])?.standard ?? null;
      const barred = state.part.pins.filter((pin) => choices.moveHindrance(pin, bits[0], standard) !== null);
      show({
        title: bits.length === 1 ? names[0] : `${names[0]} to ${names[names.length - 1]}`,
        bits,
        barred: new Set(barred.map(({ name }) => name)),
        at: null,
        move: null,
      });
    },
    [show],
  );

  const onDragMove = useCallback(
    ({ activatorEvent, delta }: DragMoveEvent) => {
      const { state, picture, drag } = latest.current;
      const matrix = svg.current?.getScreenCTM()?.inverse();
      if (!state || !picture || !drag || !matrix) return;
      const { clientX, clientY } = activatorEvent as PointerEvent;
      const point = new DOMPoint(clientX + delta.x, clientY + delta.y).matrixTransform(matrix);
      const pin = spotAt(picture, point.x, point.y)?.contact.pin ?? null;
      const at = pin?.name ?? null;
      if (at === drag.at) return;
      show({ ...drag, at, move: pin && movePins(drag.bits, pin, state.resolved, state.part) });
    },
    [show, svg],
  );

  const onDragEnd = useCallback(
    (_event: DragEndEvent) => {
      const { drag, onMove } = latest.current;
      show(null);
      if (drag?.move) onMove(drag.bits, drag.move);
    },
    [show],
  );
  const onDragCancel = useCallback(() => show(null), [show]);
  return { drag, handlers: { onDragStart, onDragMove, onDragEnd, onDragCancel } };
}
