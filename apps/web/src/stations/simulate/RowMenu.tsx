import type { WaveRadix, WaveTrack } from "@gate-clock/core";
import { Menu, MenuButton, MenuItem, MenuItems, MenuSection, MenuSeparator } from "@headlessui/react";
import { Check, EllipsisVertical } from "lucide-react";
import type { ReactNode } from "react";
import type { Drawing } from "../../sessions/wave-layout.ts";
import type { SignalRow } from "../../sessions/wave-rows.ts";

const radixNames: Readonly<Record<WaveRadix, string>> = {
  hex: "Hexadecimal",
  binary: "Binary",
  unsigned: "Unsigned",
  signed: "Signed",
  ascii: "Text",
  real: "Real (IEEE 754)",
  names: "Names",
};
const drawings: Readonly<Record<Drawing, string>> = {
  boxes: "Draw values",
  steps: "Draw as steps",
  line: "Draw as a line",
};

const radixFits = (radix: WaveRadix, track: WaveTrack) =>
  (radix !== "names" || track.names !== null) && (radix !== "real" || track.width === 32 || track.width === 64);

interface Props {
  readonly row: SignalRow;
  readonly onRadix: (radix: WaveRadix) => void;
  readonly onDrawing: (drawing: Drawing) => void;
  readonly onExpand: () => void;
  readonly onSource: (() => void) | null;
  readonly onRemove: () => void;
}

/** What can be done with a row of the waves. */
export function RowMenu({ row, onRadix, onDrawing, onExpand, onSource, onRemove }: Props) {
  const { track, radix, drawing } = row;
  const isVector = track.kind === "bits" && track.width > 1;
  return (
    <Menu>
      <MenuButton
        className="shrink-0 rounded text-soft/60 hover:text-ink data-open:text-ink"
        aria-label={`Options of ${track.name}`}
      >
        <EllipsisVertical className="size-3.5" />
      </MenuButton>
      <MenuItems
        anchor={{ to: "bottom start", gap: 4 }}
        className="z-20 min-w-44 rounded-md border border-line bg-panel py-1 text-xs shadow-lg outline-none"
      >
        {isVector && (
          <MenuSection>
            {(Object.keys(radixNames) as WaveRadix[])
              .filter((each) => radixFits(each, track))
              .map((each) => (
                <Item key={each} isOn={each === radix} onClick={() => onRadix(each)}>
                  {radixNames[each]}
                </Item>
              ))}
          </MenuSection>
        )}
        {(isVector || track.kind === "real") && (
          <MenuSection>
            {isVector && <MenuSeparator className="my-1 h-px bg-line" />}
            {(Object.keys(drawings) as Drawing[]).map((each) => (
              <Item key={each} isOn={each === drawing} onClick={() => onDrawing(each)}>
                {drawings[each]}
              </Item>
            ))}
            <MenuSeparator className="my-1 h-px bg-line" />
          </MenuSection>
        )}
        {isVector && (
          <Item isOn={row.isExpanded} onClick={onExpand}>
            Show its bits
          </Item>
        )}
        {onSource && <Item onClick={onSource}>Go to its declaration</Item>}
        <Item onClick={onRemove}>Remove from the waves</Item>
      </MenuItems>
    </Menu>
  );
}

function Item({ isOn = false, onClick, children }: { isOn?: boolean; onClick: () => void; children: ReactNode }) {
  return (
    <MenuItem>
      <button
        type="button"
        className="flex w-full items-center gap-1.5 px-2 py-1 text-left data-focus:bg-raised"
        onClick={onClick}
      >
        <Check className={`size-3 ${isOn ? "" : "invisible"}`} aria-hidden />
        {children}
      </button>
    </MenuItem>
  );
}
