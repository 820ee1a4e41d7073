import {
  directionX,
  directionY,
  elementAt,
  type Fabric,
  listBlocks,
  type MappedNetlist,
  nodeKind,
  type PackedDesign,
  type Part,
  type PlacedDesign,
  type RoutedDesign,
} from "@gate-clock/core";

/** What the die map shows, prepared once for a layout. Coordinates are in tiles; (0, 0) is the bottom left corner. */
export interface DieMap {
  readonly part: Part;
  readonly fabric: Fabric;
  /** Used elements: place, cells and nets. */
  readonly elements: readonly { readonly x: number; readonly y: number; readonly lut: number; readonly ff: number }[];
  readonly pads: readonly { readonly x: number; readonly y: number; readonly cell: number; readonly name: string }[];
  /** Line segments x0 y0 x1 y1, and the net of each. */
  readonly segments: Float32Array;
  readonly segmentNet: Int32Array;
  readonly netlist: MappedNetlist;
}

/** The picture's view: tile at the middle of the canvas, and CSS pixels a tile. */
export interface DieView {
  readonly x: number;
  readonly y: number;
  readonly scale: number;
}

const inset = 0.08;
/** Kind of tile -> what it is told by. */
const marks = new Map(listBlocks().flatMap(({ tile }) => ("mark" in tile ? [[tile.kind, tile.mark] as const] : [])));

function elementPlace(fabric: Fabric, tile: number, place: number): { x: number; y: number } {
  // two columns of four, from the bottom up
  const column = place >> 2;
  const row = place & 3;
  return { x: fabric.tileX(tile) + 0.28 + 0.44 * column, y: fabric.tileY(tile) + 0.2 + 0.2 * row };
}

export function buildDieMap(
  part: Part,
  netlist: MappedNetlist,
  packed: PackedDesign,
  placed: PlacedDesign,
  routed: RoutedDesign | null,
): DieMap {
  const { fabric, graph } = part;
  const placeOf = (e: number) => {
    const { tile, place } = elementAt(part, placed, e);
    return elementPlace(fabric, tile, place);
  };
  const elements = Array.from({ length: packed.elementCount }, (_, e) => ({
    ...placeOf(e),
    lut: packed.elementLut[e],
    ff: packed.elementFf[e],
  }));
  const padPlace = (pad: number) => {
    const { tile, index, bank } = fabric.pads[pad];
    const along = 0.3 + 0.4 * index;
    const x = fabric.tileX(tile);
    const y = fabric.tileY(tile);
    return bank % 2 === 0 ? { x: x + along, y: y + 0.5 } : { x: x + 0.5, y: y + along };
  };
  const pads: { x: number; y: number; cell: number; name: string }[] = [];
  for (const port of netlist.ports) {
    port.pads.forEach((cell, bit) => {
      // a port of both directions has two cells at one pad
      const isFirst =
        !port.isInout || port.direction === "input" || !pads.some((pad) => pad.name === port.bitNames[bit]);
      if (cell >= 0 && packed.cellPad[cell] >= 0 && isFirst)
        pads.push({ ...padPlace(packed.cellPad[cell]), cell, name: port.bitNames[bit] });
    });
  }
  const points: number[] = [];
  const nets: number[] = [];
  if (routed) {
    const perDirection = part.family.wires.reduce((sum, wire) => sum + wire.perDirection, 0);
    // where each tree node ends; a wire also where it begins, since it can be tapped on the way
    const tapped = new Map<number, { x: number; y: number; from?: { x: number; y: number } }>();
    const tapFor = (parent: number, at: { x: number; y: number }) => {
      const wire = tapped.get(parent);
      if (!wire?.from) return wire;
      const between = (a: number, b: number, value: number) =>
        Math.max(Math.min(a, b), Math.min(Math.max(a, b), value));
      return { x: between(wire.from.x, wire.x, at.x), y: between(wire.from.y, wire.y, at.y) };
    };
    for (let net = 0; net < netlist.netCount; net++) {
      const first = routed.netStart[net];
      for (let i = first; i < routed.netStart[net + 1]; i++) {
        const node = routed.treeNode[i];
        const tile = graph.nodeTile[node];
        const x = fabric.tileX(tile);
        const y = fabric.tileY(tile);
        const local = node - graph.tileFirst[tile];
        const pattern = fabric.pattern(tile);
        const kind = graph.nodeKind[node];
        const parent = routed.treeParent[i] < 0 ? -1 : first + routed.treeParent[i];
        if (kind === nodeKind.wire) {
          const direction = graph.wireClass[node] & 3;
          const { length } = part.family.wires[graph.wireClass[node] >> 2];
          const lane = (((local - pattern.firstWire) % perDirection) + 0.5) / perDirection;
          const side = inset + (1 - 2 * inset) * (direction < 2 ? lane / 2 : 0.5 + lane / 2);
          const reach = (at: number, limit: number) => Math.max(0, Math.min(limit - 1, at));
          const from = directionX[direction] !== 0 ? { x: x + 0.5, y: y + side } : { x: x + side, y: y + 0.5 };
          const to = {
            x: from.x + reach(x + directionX[direction] * length, fabric.width) - x,
            y: from.y + reach(y + directionY[direction] * length, fabric.height) - y,
          };
          points.push(from.x, from.y, to.x, to.y);
          nets.push(net);
          if (parent >= 0) {
            const before = tapFor(parent, from);
            if (before) {
              points.push(before.x, before.y, from.x, from.y);
              nets.push(net);
            }
          }
          tapped.set(i, { ...to, from });
          continue;
        }
        let at: { x: number; y: number };
        const { name } = pattern.nodes[local];
        const slot = /^[OQLB](\d+)/.exec(name);
        const pad = /^(?:IN|OUT|OE)(\d)/.exec(name);
        if (slot) at = elementPlace(fabric, tile, Number(slot[1]));
        else if (pad)
          at = padPlace(fabric.pads.findIndex((each) => each.tile === tile && each.index === Number(pad[1])));
        else at = { x: x + 0.5, y: y + 0.06 };
        const before = parent >= 0 ? tapFor(parent, at) : undefined;
        const onClockNetwork = kind >= nodeKind.globalClock || /^(CLK|CBI|CS[01])$/.test(name);
        if (before && onClockNetwork) {
          // along the spine, then along the row
          points.push(before.x, before.y, before.x, at.y, before.x, at.y, at.x, at.y);
          nets.push(net, net);
        } else if (before) {
          points.push(before.x, before.y, at.x, at.y);
          nets.push(net);
        }
        tapped.set(i, at);
      }
      tapped.clear();
    }
  }
  return {
    part,
    fabric,
    elements,
    pads,
    segments: Float32Array.from(points),
    segmentNet: Int32Array.from(nets),
    netlist,
  };
}

interface Colours {
  readonly cloth: string;
  readonly panel: string;
  readonly raised: string;
  readonly line: string;
  readonly ink: string;
  readonly soft: string;
  readonly indigo: string;
  readonly lamp: string;
  readonly threadB: string;
  readonly threadC: string;
  readonly threadD: string;
}
export function dieColours(): Colours {
  const style = getComputedStyle(document.documentElement);
  const read = (name: string) => style.getPropertyValue(name).trim();
  return {
    cloth: read("--cloth"),
    panel: read("--panel"),
    raised: read("--raised"),
    line: read("--line"),
    ink: read("--ink"),
    soft: read("--soft"),
    indigo: read("--indigo"),
    lamp: read("--lamp"),
    threadB: read("--thread-b"),
    threadC: read("--thread-c"),
    threadD: read("--thread-d"),
  };
}

/** Draws the map. Width and height in CSS pixels; the context is already scaled to device pixels. */
export function drawDieMap(
  ctx: CanvasRenderingContext2D,
  map: DieMap,
  view: DieView,
  width: number,
  height: number,
  focusNets: ReadonlySet<number>,
  colours: Colours,
): void {
  const { fabric } = map;
  const { scale } = view;
  const sx = (x: number) => width / 2 + (x - view.x) * scale;
  const sy = (y: number) => height / 2 - (y - view.y) * scale;
  ctx.fillStyle = colours.cloth;
  ctx.fillRect(0, 0, width, height);

  // tiles
  const gap = Math.max(0.5, scale * 0.03);
  for (let tile = 0; tile < fabric.tileCount; tile++) {
    const x = fabric.tileX(tile);
    const y = fabric.tileY(tile);
    if (sx(x + 1) < 0 || sx(x) > width || sy(y) < 0 || sy(y + 1) > height) continue;
    const kind = fabric.tileKind(tile);
    ctx.fillStyle = kind === "logic" ? colours.panel : colours.raised;
    ctx.fillRect(sx(x) + gap, sy(y + 1) + gap, scale - 2 * gap, scale - 2 * gap);
    const mark = marks.get(kind);
    if (mark) {
      // blocks are told apart by pattern
      ctx.strokeStyle = colours.line;
      ctx.lineWidth = 1;
      ctx.beginPath();
      for (const [[fromX, fromY], ...rest] of mark) {
        ctx.moveTo(sx(x + fromX), sy(y + fromY));
        for (const [toX, toY] of rest) ctx.lineTo(sx(x + toX), sy(y + toY));
      }
      ctx.stroke();
    }
  }

  // wires: all of them faintly, those in focus on top
  const dim = focusNets.size > 0;
  ctx.lineWidth = Math.max(0.6, Math.min(1.4, scale / 40));
  ctx.strokeStyle = colours.threadC;
  ctx.globalAlpha = dim ? 0.14 : 0.5;
  ctx.beginPath();
  for (let i = 0; i < map.segmentNet.length; i++) {
    if (focusNets.has(map.segmentNet[i])) continue;
    ctx.moveTo(sx(map.segments[4 * i]), sy(map.segments[4 * i + 1]));
    ctx.lineTo(sx(map.segments[4 * i + 2]), sy(map.segments[4 * i + 3]));
  }
  ctx.stroke();
  ctx.globalAlpha = 1;

  // elements: the LUT on the left, the flip-flop (notched) on the right
  const w = 0.17 * scale;
  const h = 0.13 * scale;
  for (const element of map.elements) {
    const x = sx(element.x);
    const y = sy(element.y);
    if (x < -scale || x > width + scale || y < -scale || y > height + scale) continue;
    const inFocus = (cell: number) => cell >= 0 && focusNets.has(map.netlist.outputNet[cell]);
    ctx.globalAlpha = dim && !inFocus(element.lut) && !inFocus(element.ff) ? 0.45 : 1;
    if (element.lut >= 0) {
      ctx.fillStyle = colours.indigo;
      ctx.fillRect(x - w, y - h / 2, w * 0.95, h);
    }
    if (element.ff >= 0) {
      ctx.fillStyle = colours.threadB;
      ctx.fillRect(x + 0.05 * w, y - h / 2, w * 0.8, h);
      if (scale > 24) {
        ctx.fillStyle = colours.panel;
        ctx.beginPath();
        ctx.moveTo(x + 0.05 * w, y - h * 0.22);
        ctx.lineTo(x + 0.3 * w, y);
        ctx.lineTo(x + 0.05 * w, y + h * 0.22);
        ctx.fill();
      }
    }
  }
  ctx.globalAlpha = 1;
  for (const pad of map.pads) {
    const x = sx(pad.x);
    const y = sy(pad.y);
    const r = Math.max(2, 0.13 * scale);
    ctx.fillStyle = colours.threadD;
    ctx.beginPath();
    ctx.arc(x, y, r, 0, 2 * Math.PI);
    ctx.fill();
  }

  if (dim) {
    ctx.strokeStyle = colours.lamp;
    ctx.lineWidth = Math.max(2, Math.min(4, scale / 14));
    ctx.lineJoin = "round";
    ctx.beginPath();
    for (let i = 0; i < map.segmentNet.length; i++) {
      if (!focusNets.has(map.segmentNet[i])) continue;
      ctx.moveTo(sx(map.segments[4 * i]), sy(map.segments[4 * i + 1]));
      ctx.lineTo(sx(map.segments[4 * i + 2]), sy(map.segments[4 * i + 3]));
    }
    ctx.stroke();
  }
  if (scale > 44) {
    ctx.fillStyle = colours.ink;
    ctx.font = `${Math.min(12, scale / 7)}px "Spline Sans Mono Variable", monospace`;
    ctx.textAlign = "center";
    for (const pad of map.pads) ctx.fillText(pad.name, sx(pad.x), sy(pad.y) + 0.13 * scale + 11);
  }
}

/** Cell nearest to a point in tiles, within its reach; -1 if there is none. */
export function cellAt(map: DieMap, x: number, y: number): number {
  for (const pad of map.pads) if ((pad.x - x) ** 2 + (pad.y - y) ** 2 < 0.16 ** 2) return pad.cell;
  for (const element of map.elements) {
    if (Math.abs(element.y - y) > 0.09 || Math.abs(element.x - x) > 0.19) continue;
    return x < element.x ? (element.lut >= 0 ? element.lut : element.ff) : element.ff >= 0 ? element.ff : element.lut;
  }
  return -1;
}
