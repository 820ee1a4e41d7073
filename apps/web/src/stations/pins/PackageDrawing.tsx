import { useDraggable, useDroppable } from "@dnd-kit/core";
import { pairOf } from "@gate-clock/core";
import { memo, type RefObject, useMemo } from "react";
import { labelRoom, type PackagePicture, pitch, type Spot, shortName } from "../../pins/package-drawing.ts";
import { type ContactUse, contactText, type PinState, shownLabel } from "../../pins/pin-state.ts";

/** What a drag would do, and what has the focus: drawn over the package, so that the package is not drawn anew for it. */
interface Overlay {
  readonly focus: ReadonlySet<string>;
  /** Contacts that a drop would take. */
  readonly taken: ReadonlySet<string>;
  /** Contact below the pointer that cannot be taken. */
  readonly refused: string | null;
  /** Contacts that what is dragged cannot lie at; null while nothing is. */
  readonly barred: ReadonlySet<string> | null;
}

const turnOf = (side: number | null) => (side === null ? 0 : side * 90);

/** The package from above: what each contact can do, what lies there, and the supply of each bank. */
export function PackageDrawing({
  state,
  picture,
  overlay,
  zoom,
  svg,
  onPick,
}: {
  state: PinState;
  picture: PackagePicture;
  overlay: Overlay;
  zoom: number;
  svg: RefObject<SVGSVGElement | null>;
  onPick: (spot: Spot) => void;
}) {
  const { setNodeRef } = useDroppable({ id: "package" });
  const { width, height, body, spots, isGrid } = picture;
  const spotOf = useMemo(() => new Map(spots.map((spot) => [spot.contact.name, spot])), [spots]);
  const ring = (name: string, className: string, key: string) => {
    const spot = spotOf.get(name);
    return spot && <Ring key={key} spot={spot} isGrid={isGrid} className={className} />;
  };
  return (
    <div ref={setNodeRef} className="h-full overflow-auto" data-testid="package">
      <svg
        ref={svg}
        viewBox={`0 0 ${width} ${height}`}
        className="mx-auto block touch-none select-none"
        style={{ width: `${100 * zoom}%`, height: `${100 * zoom}%` }}
        role="img"
        aria-label={`${state.part.package.name} from above: ${state.contacts.length} contacts`}
      >
        <rect {...body} rx={isGrid ? 4 : 6} className="fill-cloth stroke-line" strokeWidth={1} />
        <Banks state={state} picture={picture} />
        {picture.marks.map(({ x, y, text }) => (
          <text
            key={`${x} ${y}`}
            x={x}
            y={y}
            textAnchor="middle"
            dominantBaseline="central"
            fontSize={5}
            className="fill-soft"
          >
            {text}
          </text>
        ))}
        <circle cx={body.x + 9} cy={body.y + 9} r={3} className="fill-none stroke-soft" strokeWidth={0.8} />
        {!isGrid && (
          <text x={width / 2} y={height / 2} textAnchor="middle" className="fill-soft" fontSize={9}>
            {state.part.name}
          </text>
        )}
        <Contacts state={state} picture={picture} zoom={zoom} onPick={onPick} />
        <g className="pointer-events-none">
          {overlay.barred && <path d={coverOf(overlay.barred, spotOf, isGrid)} className="fill-panel/75" />}
          {[...overlay.focus].map((name) => ring(name, "fill-none stroke-lamp", `f${name}`))}
          {[...overlay.taken].map((name) => ring(name, "fill-good/30 stroke-good", `t${name}`))}
          {overlay.refused !== null && ring(overlay.refused, "fill-bad/30 stroke-bad", "refused")}
        </g>
      </svg>
    </div>
  );
}

/** One shape over many contacts: hundreds of them are no more work than one. */
function coverOf(names: ReadonlySet<string>, spotOf: ReadonlyMap<string, Spot>, isGrid: boolean): string {
  let path = "";
  for (const name of names) {
    const spot = spotOf.get(name);
    if (!spot) continue;
    const isLong = !isGrid && spot.side !== null;
    const [across, along] = [pitch * 0.47, isLong ? pitch * 0.8 : pitch * 0.47];
    const [w, h] = spot.side !== null && spot.side % 2 === 1 ? [along, across] : [across, along];
    path += `M${spot.x - w} ${spot.y - h}h${2 * w}v${2 * h}h${-2 * w}z`;
  }
  return path;
}

function Ring({ spot, isGrid, className }: { spot: Spot; isGrid: boolean; className: string }) {
  const { x, y, side } = spot;
  if (isGrid || side === null)
    return (
      <circle cx={x} cy={y} r={pitch * 0.52} className={className} strokeWidth={1.6} data-spot={spot.contact.name} />
    );
  return (
    <rect
      x={x - pitch * 0.47}
      y={y - pitch * 0.85}
      width={pitch * 0.94}
      height={pitch * 1.6}
      rx={2}
      transform={`rotate(${turnOf(side)} ${x} ${y})`}
      className={className}
      strokeWidth={1.6}
      data-spot={spot.contact.name}
    />
  );
}

const Banks = memo(({ state, picture }: { state: PinState; picture: PackagePicture }) => (
  <g>
    {picture.banks.map(({ bank, boxes, label }) => {
      const volts = state.resolved.lines.banks.get(bank)?.volts;
      return (
        <g key={bank}>
          {boxes.map((box) => (
            <rect
              key={`${box.x} ${box.y}`}
              {...box}
              fill={bank % 2 ? "var(--thread-c)" : "var(--thread-d)"}
              opacity={picture.isGrid ? 0.2 : 0.75}
            />
          ))}
          <text
            x={label.x}
            y={label.y}
            transform={`rotate(${label.turn} ${label.x} ${label.y})`}
            textAnchor="middle"
            dominantBaseline="middle"
            fontSize={9}
            className="fill-soft"
          >
            {`Bank ${bank + 1} · ${volts === undefined ? "any supply" : `${volts} V`}`}
          </text>
        </g>
      );
    })}
  </g>
));

const Contacts = memo(
  ({
    state,
    picture,
    zoom,
    onPick,
  }: {
    state: PinState;
    picture: PackagePicture;
    zoom: number;
    onPick: (spot: Spot) => void;
  }) => {
    const labels = new Map(picture.spots.map((spot) => [spot, shownLabel(spot.contact, state)]));
    const room = labelRoom(picture, (spot) => labels.get(spot) !== "");
    return (
      <g>
        {picture.spots.map((spot) => (
          <ContactMark
            key={spot.contact.name}
            spot={spot}
            use={state.useOf.get(spot.contact.name)!}
            text={contactText(spot.contact, state)}
            label={shortName(labels.get(spot)!, picture.isGrid ? gridLetters : room(spot))}
            isBoardName={isBoardName(spot, state)}
            reach={reachOf(spot, state, picture)}
            isGrid={picture.isGrid}
            showsLabel={!picture.isGrid || zoom >= 3}
            onPick={onPick}
          />
        ))}
      </g>
    );
  },
);
/** Letters that find room below a ball. */
const gridLetters = 9;
/** From the first pin of a pair to its second; 0 for others. */
function reachOf({ x, y, contact: { pin } }: Spot, { part }: PinState, { spots }: PackagePicture): number {
  const pair = pin && pairOf(part, pin);
  const second = pair?.isFirst && spots.find(({ contact }) => contact.pin === pair.pin);
  return second ? Math.abs(second.x - x) + Math.abs(second.y - y) : 0;
}

const isBoardName = ({ contact: { name } }: Spot, state: PinState) => state.useOf.get(name)!.kind === "free";

const usePaint: Readonly<Record<ContactUse["kind"], string>> = {
  free: "fill-panel stroke-soft",
  line: "fill-indigo stroke-indigo",
  automatic: "fill-indigo-wash stroke-indigo",
  second: "fill-indigo-wash stroke-indigo",
  reference: "fill-raised stroke-ink",
  supply: "fill-raised stroke-line",
  test: "fill-raised stroke-line",
};

interface MarkProps {
  readonly spot: Spot;
  readonly use: ContactUse;
  readonly text: string;
  readonly label: string;
  readonly isBoardName: boolean;
  readonly reach: number;
  readonly isGrid: boolean;
  readonly showsLabel: boolean;
  readonly onPick: (spot: Spot) => void;
}

/** Drawn anew only if something about it has changed: a package has hundreds. */
const ContactMark = memo(
  (props: MarkProps) => (props.use.kind === "line" ? <MovableMark {...props} /> : <Mark {...props} />),
  (a, b) =>
    a.spot === b.spot &&
    a.text === b.text &&
    a.label === b.label &&
    a.use.kind === b.use.kind &&
    ("isWrong" in a.use && a.use.isWrong) === ("isWrong" in b.use && b.use.isWrong) &&
    a.showsLabel === b.showsLabel &&
    a.onPick === b.onPick,
);

/** A port that lies at a contact can be dragged to another one. */
function MovableMark(props: MarkProps) {
  const bit = props.use.kind === "line" ? props.use.need.bitName : "";
  const { setNodeRef, listeners } = useDraggable({ id: `contact ${bit}`, data: { bits: [bit] } });
  return <Mark {...props} grip={{ ref: setNodeRef as unknown as (node: SVGGElement | null) => void, ...listeners }} />;
}

function Mark({
  spot,
  use,
  text,
  label,
  isBoardName: isSoft,
  reach,
  isGrid,
  showsLabel,
  onPick,
  grip,
}: MarkProps & { grip?: Record<string, unknown> }) {
  const { x, y, side, contact } = spot;
  const isWrong = "isWrong" in use && use.isWrong;
  const paint = isWrong ? "fill-bad stroke-bad" : usePaint[use.kind];
  const isPlain = !contact.pin;
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the table has the same by keyboard
    <g
      {...grip}
      className={use.kind === "line" ? "cursor-grab" : isPlain ? "" : "cursor-pointer"}
      onClick={isPlain ? undefined : () => onPick(spot)}
      data-contact={contact.name}
      data-use={use.kind}
    >
      <title>{text}</title>
      <g transform={`rotate(${turnOf(side)} ${x} ${y})`} strokeWidth={0.9}>
        <Outline spot={spot} reach={reach} isGrid={isGrid} className={paint} isDashed={use.kind === "automatic"} />
        {(use.kind === "line" || use.kind === "automatic") && (
          <Arrow
            x={x}
            y={y}
            direction={use.need.direction}
            className={use.kind === "line" ? "fill-indigo-ink" : "fill-indigo"}
          />
        )}
        {(contact.kind === "power" || contact.kind === "ground") && (
          <path
            d={contact.kind === "power" ? `M${x - 2} ${y}h4M${x} ${y - 2}v4` : `M${x - 2} ${y}h4`}
            className="stroke-soft"
          />
        )}
      </g>
      {isWrong && (
        <text
          x={x}
          y={y}
          textAnchor="middle"
          dominantBaseline="central"
          fontSize={8}
          className="fill-indigo-ink font-bold"
        >
          !
        </text>
      )}
      {showsLabel && label && <Label spot={spot} text={label} isGrid={isGrid} isSoft={isSoft} />}
      {!isGrid && side !== null && <PlaceNumber spot={spot} side={side} />}
    </g>
  );
}

/** By shape: a clock pin is pointed, a wire to the flash is cut off at its corners, a reference pin is round. */
function Outline({
  spot: { x, y, side, contact },
  reach,
  isGrid,
  className,
  isDashed,
}: {
  spot: Spot;
  reach: number;
  isGrid: boolean;
  className: string;
  isDashed: boolean;
}) {
  const dashes = isDashed ? "2 1.4" : undefined;
  const { pin } = contact;
  if (isGrid || side === null) {
    const r = pin ? 3.7 : 2.8;
    if (pin?.isClock)
      return (
        <path d={`M${x} ${y - 4.4}L${x + 4.2} ${y + 3.2}H${x - 4.2}Z`} className={className} strokeDasharray={dashes} />
      );
    if (pin?.special)
      return (
        <path
          d={`M${x} ${y - 4.4}L${x + 4.4} ${y}L${x} ${y + 4.4}L${x - 4.4} ${y}Z`}
          className={className}
          strokeDasharray={dashes}
        />
      );
    if (pin?.isReference)
      return <rect x={x - r} y={y - r} width={2 * r} height={2 * r} className={className} strokeDasharray={dashes} />;
    return <circle cx={x} cy={y} r={r} className={className} strokeDasharray={dashes} />;
  }
  const [w, top, bottom] = [3.1, y - 7, y + 6];
  const d = pin?.isClock
    ? `M${x - w} ${bottom}V${top + 2}L${x} ${top - 2.5}L${x + w} ${top + 2}V${bottom}Z`
    : pin?.special
      ? `M${x - w} ${bottom}V${top + 4}L${x - 1} ${top}H${x + 1}L${x + w} ${top + 4}V${bottom}Z`
      : pin?.isReference
        ? `M${x - w} ${bottom}V${top + 3}A${w} ${w} 0 0 1 ${x + w} ${top + 3}V${bottom}Z`
        : `M${x - w} ${bottom}V${top}H${x + w}V${bottom}Z`;
  return (
    <>
      {reach > 0 && (
        <path d={`M${x} ${bottom + 1}v1.6h${reach}v-1.6`} className="fill-none stroke-soft" strokeWidth={0.6} />
      )}
      <path d={d} className={className} strokeDasharray={dashes} />
    </>
  );
}

/** Into the part, out of it, or both. The body is below: the mark is drawn for the upper side, and turned. */
function Arrow({ x, y, direction, className }: { x: number; y: number; direction: string; className: string }) {
  const down = `M${x - 2} ${y - 1}h4l-2 3.2z`;
  const up = `M${x - 2} ${y + 1}h4l-2 -3.2z`;
  if (direction === "input") return <path d={down} className={className} />;
  if (direction === "output") return <path d={up} className={className} />;
  return <path d={`M${x - 2} ${y + 0.6}h4l-2 3zM${x - 2} ${y - 0.6}h4l-2 -3z`} className={className} />;
}

function Label({ spot, text, isGrid, isSoft }: { spot: Spot; text: string; isGrid: boolean; isSoft: boolean }) {
  const { x, y, side } = spot;
  const className = isSoft ? "fill-soft" : "fill-ink";
  if (isGrid || side === null)
    return (
      <text x={x} y={y + (isGrid ? 5 : 2)} textAnchor="middle" fontSize={isGrid ? 1.8 : 5} className={className}>
        {text}
      </text>
    );
  const away = pitch * 1.3;
  const [dx, dy] = [
    [0, away],
    [-away, 0],
    [0, -away],
    [away, 0],
  ][side];
  const turn = side % 2 === 0 ? 90 : 0;
  const anchor = side === 0 || side === 3 ? "start" : "end";
  return (
    <text
      x={x + dx}
      y={y + dy}
      transform={turn ? `rotate(${turn} ${x + dx} ${y + dy})` : undefined}
      textAnchor={anchor}
      dominantBaseline="central"
      fontSize={7.4}
      className={`font-mono ${className}`}
    >
      {text}
    </text>
  );
}

/** Numbers of some places along the edge, to count from. */
function PlaceNumber({ spot: { x, y, contact }, side }: { spot: Spot; side: number }) {
  const place = Number(/\d+$/.exec(contact.name)?.[0]);
  if (place !== 1 && place % 4 !== 0) return null;
  const away = pitch * 1.25;
  const [dx, dy] = [
    [0, -away],
    [away, 0],
    [0, away],
    [-away, 0],
  ][side];
  return (
    <text
      x={x + dx}
      y={y + dy}
      textAnchor="middle"
      dominantBaseline="central"
      fontSize={5.6}
      className="fill-soft"
      transform={side % 2 ? `rotate(${side === 1 ? 90 : -90} ${x + dx} ${y + dy})` : undefined}
    >
      {contact.name}
    </text>
  );
}
