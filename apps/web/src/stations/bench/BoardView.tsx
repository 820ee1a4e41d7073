import type { BoardDescription, BoardState } from "@gate-clock/core";
import { useState } from "react";

interface Props {
  readonly board: BoardDescription;
  readonly state: BoardState;
  /** Port bit of the design at a package pin, if any. */
  readonly portAt: (pin: string) => string | undefined;
  readonly onSwitch: (index: number, on: boolean) => void;
  readonly onButton: (index: number, held: boolean) => void;
}

/** The board as it lies on the bench. */
export function BoardView({ board, state, portAt, onSwitch, onButton }: Props) {
  return (
    <div
      className="mx-auto w-fit min-w-[720px] rounded-2xl border-2 border-[#1c4a44] bg-[#1f5a52] p-5 text-[#e8f1ea] shadow-lg"
      data-testid="board"
    >
      <div className="mb-4 flex items-center justify-between">
        <span className="text-lg font-semibold tracking-wide">{board.title}</span>
        <span className="flex items-center gap-2 text-xs">
          <span className="rounded border border-[#0e1b1a] bg-[#20242c] px-3 py-1.5 font-mono text-[11px]">
            {board.part}
          </span>
          <span
            className={`inline-block size-2.5 rounded-full ${state.powered ? "bg-[#ffcf5a] shadow-[0_0_8px_#ffcf5a]" : "bg-[#3d2f14]"}`}
          />{" "}
          {state.powered ? "power on" : "power off"}
        </span>
      </div>
      <div className="mb-5 grid grid-cols-[1fr_auto] items-center gap-6">
        <Row label="Lamps">
          {board.lamps
            .map((pin, i) => <Lamp key={pin} index={i} brightness={state.lamps[i]} port={portAt(pin)} />)
            .reverse()}
        </Row>
        {board.digits && (
          <div
            className="flex gap-1 rounded-lg bg-[#140f0d] px-4 py-3"
            data-testid="digits"
            data-shown={state.digits.map(readDigit).reverse().join("")}
          >
            {state.digits
              .map((segments, i) => <SevenSegments key={board.digits!.select[i]} brightness={segments} />)
              .reverse()}
          </div>
        )}
      </div>
      <Row label="Switches">
        {board.switches
          .map((pin, i) => (
            <button
              key={pin}
              type="button"
              role="switch"
              aria-checked={state.switches[i]}
              aria-label={`Switch ${i}`}
              data-testid={`switch-${i}`}
              onClick={() => onSwitch(i, !state.switches[i])}
              className="flex w-[72px] flex-col items-center gap-1"
              title={portAt(pin) ?? "no port of the design"}
            >
              <span
                className={`relative h-11 w-6 rounded border border-[#12312d] ${state.switches[i] ? "bg-[#d9b45c]" : "bg-[#16332f]"}`}
              >
                <span
                  className={`absolute left-0.5 size-[18px] rounded-sm bg-[#f1ede2] shadow ${state.switches[i] ? "top-0.5" : "bottom-0.5"}`}
                />
              </span>
              <Label index={i} port={portAt(pin)} />
            </button>
          ))
          .reverse()}
      </Row>
      <div className="mt-4">
        <Row label="Buttons">
          {board.buttons
            .map((pin, i) => (
              <PushButton
                key={pin}
                index={i}
                held={state.buttons[i]}
                port={portAt(pin)}
                onHold={(held) => onButton(i, held)}
              />
            ))
            .reverse()}
        </Row>
      </div>
    </div>
  );
}

function Row({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <div>
      <div className="mb-1 text-xs font-semibold opacity-80">{label}</div>
      <div className="flex">{children}</div>
    </div>
  );
}

function Label({ index, port }: { index: number; port: string | undefined }) {
  return (
    <span className="w-full truncate text-center font-mono text-[10px] leading-tight opacity-90">{port ?? index}</span>
  );
}

function Lamp({ index, brightness, port }: { index: number; brightness: number; port: string | undefined }) {
  // the eye sees less than a linear scale in brightness (Stevens 1957)
  const seen = brightness > 0 ? brightness ** 0.5 : 0;
  return (
    <span
      className="flex w-14 flex-col items-center gap-1"
      title={port ?? "no port of the design"}
      data-testid={`lamp-${index}`}
      data-brightness={brightness.toFixed(2)}
    >
      <svg
        viewBox="0 0 24 24"
        className="size-6"
        role="img"
        aria-label={`Lamp ${index} ${brightness === 0 ? "off" : brightness > 0.98 ? "on" : `at ${Math.round(100 * brightness)} percent`}`}
      >
        <circle cx="12" cy="12" r="7" fill="#3a1713" stroke="#0d2a26" />
        <circle cx="12" cy="12" r="12" fill="#ff6a4d" opacity={0.35 * seen} />
        <circle cx="12" cy="12" r="7" fill="#ff6a4d" opacity={seen} />
        <circle cx="12" cy="12" r="3.2" fill="#ffe2d6" opacity={0.9 * seen} />
      </svg>
      <Label index={index} port={port} />
    </span>
  );
}

function PushButton({
  index,
  held,
  port,
  onHold,
}: {
  index: number;
  held: boolean;
  port: string | undefined;
  onHold: (held: boolean) => void;
}) {
  const [isLatched, setLatched] = useState(false);
  return (
    <button
      type="button"
      aria-pressed={held}
      aria-label={`Button ${index}`}
      data-testid={`button-${index}`}
      title={`${port ?? "no port of the design"}; hold it, or Shift-click to keep it held`}
      className="flex w-[72px] touch-none flex-col items-center gap-1"
      onPointerDown={(event) => {
        if (event.shiftKey) {
          setLatched(!isLatched);
          onHold(!isLatched);
        } else {
          event.currentTarget.setPointerCapture(event.pointerId);
          onHold(true);
        }
      }}
      onPointerUp={(event) => {
        if (!event.shiftKey && !isLatched) onHold(false);
      }}
      onPointerCancel={() => {
        if (!isLatched) onHold(false);
      }}
      onKeyDown={(event) => {
        if ((event.key === " " || event.key === "Enter") && !event.repeat) onHold(true);
      }}
      onKeyUp={(event) => {
        if (event.key === " " || event.key === "Enter") onHold(false);
      }}
    >
      <span
        className={`size-10 rounded-full border-4 border-[#16332f] ${held ? "bg-[#8f3527] shadow-inner" : "bg-[#c4523d] shadow-[0_3px_0_#7c2d20]"}`}
      />
      <Label index={index} port={port} />
    </button>
  );
}

const shapes = [
  "M5 3H19L16.5 6H7.5Z",
  "M20 4V17L17 15V7Z",
  "M20 19V32L17 29V21Z",
  "M5 33H19L16.5 30H7.5Z",
  "M4 19V32L7 29V21Z",
  "M4 4V17L7 15V7Z",
  "M6 18L8 16.5H16L18 18L16 19.5H8Z",
];

function SevenSegments({ brightness }: { brightness: readonly number[] }) {
  return (
    <svg viewBox="0 0 28 36" className="h-16 w-12" aria-hidden>
      {shapes.map((path, i) => (
        <g key={path}>
          <path d={path} fill="#2c1813" />
          <path d={path} fill="#ff5b3a" opacity={brightness[i] ** 0.5} />
        </g>
      ))}
      <circle cx="24.5" cy="32" r="1.8" fill="#2c1813" />
      <circle cx="24.5" cy="32" r="1.8" fill="#ff5b3a" opacity={brightness[7] ** 0.5} />
    </svg>
  );
}

const digitShapes = [
  "1111110",
  "0110000",
  "1101101",
  "1111001",
  "0110011",
  "1011011",
  "1011111",
  "1110000",
  "1111111",
  "1111011",
];

/** The decimal digit that lit segments show, for those who cannot see them; a space when dark, ? for another shape. */
function readDigit(segments: readonly number[]): string {
  const lit = segments
    .slice(0, 7)
    .map((value) => (value > 0.3 ? "1" : "0"))
    .join("");
  if (lit === "0000000") return " ";
  const digit = digitShapes.indexOf(lit);
  return digit < 0 ? "?" : String(digit);
}
