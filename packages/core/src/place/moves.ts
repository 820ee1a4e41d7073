import type { StageContext } from "../common/context.ts";
import { InvariantError } from "../common/finding.ts";
import { type ElementWays, wayPs } from "../layout/ways.ts";
import { invert, type PlacementProblem } from "./problem.ts";

/** Delay of a connection by where its ends lie: where places are known and tiles are near, by those; else by the distance alone. */
export type DistanceDelay = ElementWays;

/** What entities that share a tile must agree in, and what they take from each other there. */
export interface Sharing {
  /** @param at [sites] Entity at each, -1 for none. @param instead What the entity changes places with, -1 for nothing. */
  allows(at: Int32Array, entity: number, site: number, instead: number): boolean;
  /** What a ps of connections weighs from now on. @param weight [C] @param base More of each. */
  weigh(weight: Float32Array, base: number): void;
  /** [E + 1] and their list: entities whose inputs contend anew when each moves. */
  readonly touchedStart: Int32Array;
  readonly touched: Int32Array;
  /** What inputs of an entity cost beyond what each would cost by itself, in weighted ps. @param pos [E] Where each lies. */
  contention(entity: number, pos: Int32Array): number;
}

/** Coordinates of a place, x + 256 * y + 65536 * place in the tile. */
const xOf = (pos: number): number => pos & 255;
const yOf = (pos: number): number => (pos >> 8) & 255;

/** What a move costs that is none. */
const notTried = Number.NEGATIVE_INFINITY;
/** A net with more ends hardly moves by one of them: it counts between rounds only. */
const widestNet = 64;
/** Connections that matter less are left out of moves. */
const leastWeight = 0.02;

/**
 * A placement and what a move of it costs: half perimeters, and the delays of connections that matter (Marquardt, Betz and Rose 2000). Half
 * of the moves go to where a group's nets would have it. Counts are kept from move to move, and held against counting anew.
 */
export class Moves {
  /** [E] Where each lies: x + 256 * y + 65536 * place. */
  private readonly pos: Int32Array;
  /** [sites] Entity there, -1 for none. */
  private readonly at: Int32Array;
  /** [E + 1] Other ends of each entity's nets with two ends. */
  private readonly pairStart: Int32Array;
  private readonly pairOther: Int32Array;
  /** [E + 1] Nets of each entity with three ends and more, without wide ones. */
  private readonly entityNetStart: Int32Array;
  private readonly entityNets: Int32Array;
  private readonly netStart: Int32Array;
  private readonly netEntity: Int32Array;
  /** [nets] Box of those with three ends and more: x0, x1, y0, y1 in a byte each. */
  private readonly box: Int32Array;
  private readonly newBox: Int32Array;
  private readonly stamp: Int32Array;
  private readonly sharedStamp: Int32Array;
  /** [E] Move that an entity of a stack takes part in. */
  private readonly movedStamp: Int32Array;
  private epoch = 0;
  private wire = 0;
  private timing = 0;
  /** [E + 1] Connections that matter, at both of their ends: the other end, what it weighs, and 1 where this end drives. */
  private readonly critStart: Int32Array;
  private critOther = new Int32Array(0);
  private critWeight = new Float32Array(0);
  private critDrives = new Uint8Array(0);
  /** Its kind, -1 where places do not matter. */
  private critKind = new Int32Array(0);
  /** [E] Tile coordinates that each entity's nets would have it at, as of the last round. */
  private readonly wishX: Int16Array;
  private readonly wishY: Int16Array;
  /** [kinds] */
  private readonly columnOf: Int16Array[];
  private readonly width: number;
  private readonly places: number;
  private readonly isSite: Uint8Array[];
  private readonly columns: Int16Array[];
  /** [G] */
  private readonly groupSize: Int32Array;
  /** [E] Place of an entity in `moved`. */
  private readonly movedAt: Int32Array;
  private readonly singles: Int32Array;
  private readonly stacks: Int32Array;
  /** Moves looked at, for benchmarks. */
  count = 0;

  constructor(
    private readonly problem: PlacementProblem,
    siteOf: Int32Array,
    private readonly delay: DistanceDelay,
    /** Share of timing in the cost, 0 to 1. */
    private readonly timingWeight: number,
    private readonly context: StageContext,
    private readonly sharing: Sharing | null,
  ) {
    const { part, entityCount, netStart, netEntity, kinds, groupStart, groupKind, places } = problem;
    const { fabric } = part;
    if (fabric.width > 256 || fabric.height > 256)
      throw new InvariantError(`A die of ${fabric.width} x ${fabric.height} tiles has no places in a byte each.`);
    this.width = fabric.width;
    this.places = places;
    this.pos = new Int32Array(entityCount);
    this.at = new Int32Array(fabric.tileCount * places);
    this.contended = new Float64Array(sharing ? entityCount : 0);
    this.touchedStamp = new Int32Array(this.contended.length);
    this.restore(siteOf);
    this.netStart = netStart;
    this.netEntity = netEntity;
    const nets = netStart.length - 1;
    this.box = new Int32Array(nets);
    this.newBox = new Int32Array(nets);
    this.stamp = new Int32Array(nets);
    this.sharedStamp = new Int32Array(nets);
    this.movedStamp = new Int32Array(entityCount);
    const byEntity = invert(entityCount, netStart, netEntity);
    this.pairStart = new Int32Array(entityCount + 1);
    this.entityNetStart = new Int32Array(entityCount + 1);
    const others: number[] = [];
    const own: number[] = [];
    for (let e = 0; e < entityCount; e++) {
      for (let i = byEntity.start[e]; i < byEntity.start[e + 1]; i++) {
        const net = byEntity.row[i];
        const ends = netStart[net + 1] - netStart[net];
        if (ends === 2) others.push(netEntity[netStart[net]] + netEntity[netStart[net] + 1] - e);
        else if (ends <= widestNet) own.push(net);
      }
      this.pairStart[e + 1] = others.length;
      this.entityNetStart[e + 1] = own.length;
    }
    this.pairOther = Int32Array.from(others);
    this.entityNets = Int32Array.from(own);
    this.critStart = new Int32Array(entityCount + 1);
    this.wishX = new Int16Array(entityCount);
    this.wishY = new Int16Array(entityCount);
    // the column of a kind that is nearest to each x, as an index into its columns
    this.columnOf = kinds.map(({ columns }) => {
      const nearest = new Int16Array(fabric.width);
      for (let x = 0; x < fabric.width; x++) {
        let best = 0;
        columns.forEach((column, i) => {
          if (Math.abs(column - x) < Math.abs(columns[best] - x)) best = i;
        });
        nearest[x] = best;
      }
      return nearest;
    });
    this.isSite = kinds.map(({ sites }) => {
      const is = new Uint8Array(fabric.tileCount * places);
      for (const site of sites) is[site] = 1;
      return is;
    });
    this.columns = kinds.map(({ columns }) => Int16Array.from(columns));
    this.groupSize = Int32Array.from(groupKind, (_, g) => groupStart[g + 1] - groupStart[g]);
    this.movedAt = new Int32Array(entityCount);
    const tallest = this.groupSize.reduce((most, size) => Math.max(most, size), 1);
    this.moved = new Int32Array(2 * tallest);
    this.movedTo = new Int32Array(2 * tallest);
    this.touched = new Int32Array(nets);
    const singles: number[] = [];
    const stacks: number[] = [];
    for (let g = 0; g < groupKind.length; g++) (groupStart[g + 1] - groupStart[g] === 1 ? singles : stacks).push(g);
    this.singles = Int32Array.from(singles);
    this.stacks = Int32Array.from(stacks);
  }

  /** Half perimeters of all nets, as counted last. */
  get wirelength(): number {
    return this.wire;
  }

  /** [E] */
  sites(): Int32Array {
    return this.pos.map((at) => this.siteAt(at));
  }
  private siteAt(pos: number): number {
    return (yOf(pos) * this.width + xOf(pos)) * this.places + (pos >> 16);
  }

  private restore(siteOf: Int32Array): void {
    const { places, width } = this;
    this.at.fill(-1);
    this.isCounted = false;
    for (let e = 0; e < siteOf.length; e++) {
      const tile = Math.floor(siteOf[e] / places);
      this.pos[e] = (tile % width) + 256 * Math.floor(tile / width) + 65536 * (siteOf[e] % places);
      this.at[siteOf[e]] = e;
    }
  }

  /** Counts everything anew: lengths, what matters, and where each entity's nets would have it. */
  refresh(critical: Float32Array, exponent: number): void {
    const { problem, pos, places } = this;
    const { entityCount, connFrom, connTo, connKind } = problem;
    this.recount();
    this.wish();
    const { critStart } = this;
    critStart.fill(0);
    let kept = 0;
    const weight = new Float32Array(connFrom.length);
    if (this.timingWeight > 0)
      for (let c = 0; c < connFrom.length; c++) {
        const own = critical[c] ** exponent;
        if (own < leastWeight) continue;
        weight[c] = own;
        critStart[connFrom[c] + 1]++;
        kept++;
        if (connFrom[c] === connTo[c]) continue;
        critStart[connTo[c] + 1]++;
        kept++;
      }
    for (let e = 0; e < entityCount; e++) critStart[e + 1] += critStart[e];
    const fill = critStart.slice(0, entityCount);
    this.critOther = new Int32Array(kept);
    this.critWeight = new Float32Array(kept);
    this.critDrives = new Uint8Array(kept);
    this.critKind = new Int32Array(kept);
    this.timing = 0;
    for (let c = 0; c < connFrom.length; c++) {
      if (weight[c] === 0) continue;
      const [from, to] = [connFrom[c], connTo[c]];
      const kind = places === 1 ? -1 : connKind[c];
      const a = fill[from]++;
      this.critOther[a] = to;
      this.critWeight[a] = weight[c];
      this.critDrives[a] = 1;
      this.critKind[a] = kind;
      this.timing += weight[c] * this.delayOf(pos[from], pos[to], kind);
      if (from === to) continue;
      const b = fill[to]++;
      this.critOther[b] = from;
      this.critWeight[b] = weight[c];
      this.critKind[b] = kind;
    }
    this.contend(weight);
  }

  /** [E] The median of the edges of an entity's nets, without itself: there its wires are shortest (Goto 1981). */
  wish(): void {
    const { problem, pos, box, netStart, netEntity, wishX, wishY } = this;
    const { pairStart, pairOther, entityNetStart, entityNets } = this;
    const most = 2048;
    const xs = new Uint8Array(most + 2);
    const ys = new Uint8Array(most + 2);
    for (let e = 0; e < problem.entityCount; e++) {
      if (problem.groupOf[e] < 0) continue;
      let count = 0;
      const note = (x0: number, x1: number, y0: number, y1: number) => {
        xs[count] = x0;
        ys[count++] = y0;
        xs[count] = x1;
        ys[count++] = y1;
      };
      for (let i = pairStart[e]; i < pairStart[e + 1] && count < most; i++) {
        const other = pos[pairOther[i]];
        note(xOf(other), xOf(other), yOf(other), yOf(other));
      }
      const [ex, ey] = [xOf(pos[e]), yOf(pos[e])];
      for (let i = entityNetStart[e]; i < entityNetStart[e + 1] && count < most; i++) {
        const net = entityNets[i];
        const own = box[net];
        let [x0, x1, y0, y1] = [own & 255, (own >>> 8) & 255, (own >>> 16) & 255, own >>> 24];
        if (ex === x0 || ex === x1 || ey === y0 || ey === y1) {
          [x0, x1, y0, y1] = [255, 0, 255, 0];
          for (let k = netStart[net]; k < netStart[net + 1]; k++) {
            if (netEntity[k] === e) continue;
            const other = pos[netEntity[k]];
            x0 = Math.min(x0, xOf(other));
            x1 = Math.max(x1, xOf(other));
            y0 = Math.min(y0, yOf(other));
            y1 = Math.max(y1, yOf(other));
          }
        }
        note(x0, x1, y0, y1);
      }
      if (count === 0) {
        wishX[e] = ex;
        wishY[e] = ey;
        continue;
      }
      const sortedX = xs.subarray(0, count).sort();
      const sortedY = ys.subarray(0, count).sort();
      wishX[e] = (sortedX[(count - 1) >> 1] + sortedX[count >> 1]) >> 1;
      wishY[e] = (sortedY[(count - 1) >> 1] + sortedY[count >> 1]) >> 1;
    }
  }

  private delayOf(from: number, to: number, kind: number): number {
    return wayPs(this.delay, this.places, kind, from >> 16, to >> 16, xOf(to) - xOf(from), yOf(to) - yOf(from));
  }

  /** Standard deviation of what moves cost. */
  deviation(range: number, tries: number): number {
    const before = this.sites();
    const deltas: number[] = [];
    this.round(tries, range, Infinity, deltas);
    this.restore(before);
    this.recount();
    const mean = deltas.reduce((sum, delta) => sum + delta, 0) / Math.max(1, deltas.length);
    return Math.sqrt(deltas.reduce((sum, delta) => sum + (delta - mean) ** 2, 0) / Math.max(1, deltas.length));
  }
  /** @throws InvariantError if moves have not kept the boxes right. */
  recount(): void {
    const { box, netStart } = this;
    this.wire = 0;
    for (let net = 0; net < box.length; net++) {
      const own = this.boxOf(net, netStart[net + 1]);
      const ends = netStart[net + 1] - netStart[net];
      if (this.isCounted && ends > 2 && ends <= widestNet && box[net] !== own)
        throw new InvariantError(`Net ${net} has another box after moves than its ends have.`);
      box[net] = own;
      this.wire += halfOf(own);
    }
    this.isCounted = true;
  }
  private isCounted = false;

  private boxOf(net: number, end: number): number {
    const { netStart, netEntity, pos } = this;
    const first = netStart[net];
    let at = pos[netEntity[first]];
    let x0 = at & 255;
    let x1 = x0;
    let y0 = yOf(at);
    let y1 = y0;
    for (let i = first + 1; i < end; i++) {
      at = pos[netEntity[i]];
      const ex = at & 255;
      const ey = yOf(at);
      if (ex < x0) x0 = ex;
      else if (ex > x1) x1 = ex;
      if (ey < y0) y0 = ey;
      else if (ey > y1) y1 = ey;
    }
    return x0 | (x1 << 8) | (y0 << 16) | (y1 << 24);
  }

  /** @returns Share of moves that were taken. */
  round(count: number, range: number, temperature: number, deltas?: number[]): number {
    const { problem, singles, stacks, at, pos, columnOf, wishX, wishY, groupSize } = this;
    const { random } = this.context;
    const { groupEntity, groupStart, groupKind, groupOf } = problem;
    const { width, places } = this;
    const { height } = problem.part.fabric;
    const groups = groupKind.length;
    const reach = Math.max(1, Math.floor(range));
    const near = Math.max(1, Math.min(3, reach >> 1));
    this.heat = temperature;
    this.setScales();
    const logic = this.isSite[0];
    const columns = this.columns[0];
    const nearest = columnOf[0];
    const last = columns.length - 1;
    let tried = 0;
    let taken = 0;
    for (let move = 0; move < count; move++) {
      const pick = random.below(groups);
      let delta: number;
      if (pick >= singles.length) delta = this.tryStack(stacks[pick - singles.length], reach);
      else {
        const g = singles[pick];
        const e = groupEntity[groupStart[g]];
        if (groupKind[g] !== 0) delta = this.tryBlock(e, groupKind[g], reach);
        else {
          const x = xOf(pos[e]);
          const y = yOf(pos[e]);
          const draw = random.uint32();
          let column = nearest[x];
          let row = y;
          let half = reach;
          // half of the moves go to where the nets pull, unless that is right here
          if ((draw & 1) === 1 && (wishX[e] - x > 1 || x - wishX[e] > 1 || wishY[e] - y > 1 || y - wishY[e] > 1)) {
            column = nearest[wishX[e]];
            row = wishY[e];
            half = near;
          }
          column += ((((draw >>> 1) & 0x7fff) * (2 * half + 1)) >>> 15) - half;
          row += (((draw >>> 16) * (2 * half + 1)) >>> 16) - half;
          if (column < 0) column = 0;
          else if (column > last) column = last;
          if (row < 0) row = 0;
          else if (row >= height) row = height - 1;
          const place = places > 1 ? random.below(places) : 0;
          const to = (row * width + columns[column]) * places + place;
          const other = at[to];
          if (logic[to] === 0 || other === e) continue;
          if (other >= 0 && groupSize[groupOf[other]] > 1) continue;
          delta = this.trySwap(e, columns[column] + 256 * row + 65536 * place, other);
        }
      }
      if (delta === notTried) continue;
      tried++;
      if (this.lastTaken) taken++;
      if (deltas) deltas.push(delta);
    }
    this.count += tried;
    return tried ? taken / tried : 0;
  }
  private lastTaken = false;
  private heat = 0;
  private wireScale = 1;
  private timingScale = 0;

  private setScales(): void {
    const share = this.timing > 0 ? this.timingWeight : 0;
    this.wireScale = (1 - share) / Math.max(1, this.wire);
    this.timingScale = share / Math.max(1e-9, this.timing);
  }

  /** The most that the next move may cost to be taken, drawn by the temperature (Metropolis et al. 1953). */
  private mostCost(): number {
    return this.heat > 0 ? -this.heat * Math.log(1 - this.context.random.float()) : 0;
  }

  /** [E] What the inputs of each contend for, as counted last, in weighted ps; what such a ps costs. */
  private readonly contended: Float64Array;
  private readonly touchedStamp: Int32Array;
  private readonly again: number[] = [];
  private readonly anew: number[] = [];
  private contentionScale = 0;

  private contend(weight: Float32Array): void {
    const { sharing, contended, pos } = this;
    if (!sharing) return;
    this.setScales();
    // a detour is wire, whether it matters for timing or not
    const { wirePs } = this.problem.part.family.delays;
    const ofWire = this.wireScale / wirePs[0];
    this.contentionScale = this.timingScale > 0 ? this.timingScale : ofWire;
    sharing.weigh(weight, ofWire / this.contentionScale);
    for (let e = 0; e < contended.length; e++) contended[e] = 0;
    for (const e of sharing.touched) if (contended[e] === 0) contended[e] = sharing.contention(e, pos);
  }
  /**
   * After the first of `moved` were laid anew: what pins cost more than before.
   * @param most More than this need not be counted to the end.
   */
  private contendMoved(count: number, most: number): number {
    const { moved, pos, contended, touchedStamp, epoch, again, anew, contentionScale } = this;
    const sharing = this.sharing!;
    const { touchedStart, touched } = sharing;
    again.length = anew.length = 0;
    let before = 0;
    for (let m = 0; m < count; m++)
      for (let i = touchedStart[moved[m]], end = touchedStart[moved[m] + 1]; i < end; i++) {
        const e = touched[i];
        if (touchedStamp[e] === epoch) continue;
        touchedStamp[e] = epoch;
        before += contended[e];
        again.push(e);
      }
    let after = 0;
    for (const e of again) {
      if ((after - before) * contentionScale > most) return Infinity;
      const own = sharing.contention(e, pos);
      after += own;
      anew.push(own);
    }
    return (after - before) * contentionScale;
  }
  private keepContention(): void {
    for (let i = 0; i < this.again.length; i++) this.contended[this.again[i]] = this.anew[i];
  }
  /** Takes the first of `moved` out of where they were, which is in `movedTo` by then, to where they are. */
  private lay(count: number): void {
    const { at, moved, movedTo, pos } = this;
    for (let m = 0; m < count; m++) at[this.siteAt(movedTo[m])] = -1;
    for (let m = 0; m < count; m++) at[this.siteAt(pos[moved[m]])] = moved[m];
  }

  /** A hard block: its kind has sites in few columns, and in some rows only; any of them will do. */
  private tryBlock(e: number, kind: number, reach: number): number {
    const tiles = this.problem.kinds[kind].sites;
    const { width } = this;
    let to = tiles[this.context.random.below(tiles.length)];
    // one that is near, or near to where the nets pull, if the next few have such a one
    for (let turn = 0; turn < 4; turn++) {
      const x = to % width;
      const y = (to / width) | 0;
      if (Math.abs(x - this.wishX[e]) + Math.abs(y - this.wishY[e]) <= 2 * reach) break;
      to = tiles[this.context.random.below(tiles.length)];
    }
    if (this.at[to] === e) return notTried;
    return this.trySwap(e, (to % width) + 256 * ((to / width) | 0), this.at[to]);
  }

  /** Moves an entity to a place, and what is there, if anything, to where it was. @returns Cost change. */
  private trySwap(a: number, to: number, b: number): number {
    const { pos, moved, movedTo, sharing, at } = this;
    this.lastTaken = false;
    if (sharing) {
      if (!sharing.allows(at, a, this.siteAt(to), b)) return notTried;
      if (b >= 0 && !sharing.allows(at, b, this.siteAt(pos[a]), a)) return notTried;
    }
    moved[0] = a;
    movedTo[0] = to;
    if (b < 0) return this.tryTogether(1);
    moved[1] = b;
    movedTo[1] = pos[a];
    return this.tryTogether(2);
  }

  // what moves together: entities, and where each goes
  private readonly moved: Int32Array;
  private readonly movedTo: Int32Array;
  private readonly touched: Int32Array;

  /** Moves a stack up, down or to another column; what was there goes to the tiles that become free. */
  private tryStack(g: number, reach: number): number {
    const { problem, pos, at, moved, movedTo, groupSize } = this;
    const { groupStart, groupEntity, groupOf, groupKind } = problem;
    const { random } = this.context;
    const { width } = this;
    const { height } = problem.part.fabric;
    const kind = groupKind[g];
    const columns = this.columns[kind];
    const tall = groupSize[g];
    const first = groupStart[g];
    const foot = groupEntity[first];
    this.lastTaken = false;
    const draw = random.uint32();
    const x = xOf(pos[foot]);
    const y = yOf(pos[foot]);
    const isDirected = (draw & 1) === 1;
    const half = isDirected ? Math.max(1, Math.min(3, reach >> 1)) : reach;
    let column =
      this.columnOf[kind][isDirected ? this.wishX[foot] : x] -
      half +
      ((((draw >>> 1) & 0x7fff) * (2 * half + 1)) >>> 15);
    let row = (isDirected ? this.wishY[foot] : y) - half + (((draw >>> 16) * (2 * half + 1)) >>> 16);
    column = column < 0 ? 0 : column >= columns.length ? columns.length - 1 : column;
    row = Math.max(1, Math.min(height - 1 - tall, row));
    const toX = columns[column];
    const up = row - y;
    if (toX === x && up === 0) return notTried;
    const isSite = this.isSite[kind];
    const isApart = toX !== x || up >= tall || -up >= tall;
    for (let i = 0; i < tall; i++) {
      const tile = (row + i) * width + toX;
      if (!isSite[tile]) return notTried;
      const there = at[tile];
      if (there < 0) continue;
      const own = groupOf[there];
      const size = groupSize[own];
      if (own === g || size === 1) continue;
      // another stack changes places with this one if all of it lies there
      if (!isApart || size > tall) return notTried;
      const low = yOf(pos[groupEntity[groupStart[own]]]);
      if (low < row || low + size > row + tall) return notTried;
    }
    let count = 0;
    for (let i = 0; i < tall; i++) {
      moved[count] = groupEntity[first + i];
      movedTo[count++] = toX + 256 * (row + i);
    }
    if (isApart) {
      for (let i = 0; i < tall; i++) {
        const there = at[(row + i) * width + toX];
        if (there < 0) continue;
        moved[count] = there;
        movedTo[count++] = x + 256 * (y + i);
      }
    } else {
      // the tiles that become free, below or above, take what lay in those that are taken
      const shift = up > 0 ? up : -up;
      for (let i = 0; i < shift; i++) {
        const there = at[(up > 0 ? y + tall + i : row + i) * width + x];
        if (there < 0) continue;
        moved[count] = there;
        movedTo[count++] = x + 256 * (up > 0 ? y + i : row + tall + i);
      }
    }
    return this.tryTogether(count);
  }

  /** Moves the first of `moved` to `movedTo`. Tiles that they leave are taken by others of them, or become free. */
  private tryTogether(count: number): number {
    const { pos, moved, movedTo, touched, movedStamp, movedAt, timingScale } = this;
    const { pairStart, pairOther, entityNetStart, entityNets, netStart, box, newBox, stamp, sharedStamp } = this;
    const { critStart, critOther, critWeight, critDrives } = this;
    const { critKind } = this;
    const epoch = ++this.epoch;
    for (let i = 0; i < count; i++) {
      movedStamp[moved[i]] = epoch;
      movedAt[moved[i]] = i;
    }
    let wire = 0;
    let timing = 0;
    let nets = 0;
    for (let m = 0; m < count; m++) {
      const e = moved[m];
      const old = pos[e];
      const next = movedTo[m];
      const ax = old & 255;
      const ay = (old >> 8) & 255;
      const bx = next & 255;
      const by = (next >> 8) & 255;
      for (let i = pairStart[e], end = pairStart[e + 1]; i < end; i++) {
        const other = pairOther[i];
        const there = pos[other];
        let ox = there & 255;
        let oy = (there >> 8) & 255;
        const before = Math.abs(ax - ox) + Math.abs(ay - oy);
        if (movedStamp[other] === epoch) {
          const at = movedAt[other];
          // between two that move, once
          if (at < m) continue;
          ox = movedTo[at] & 255;
          oy = (movedTo[at] >> 8) & 255;
        }
        wire += Math.abs(bx - ox) + Math.abs(by - oy) - before;
      }
      if (timingScale > 0)
        for (let i = critStart[e], end = critStart[e + 1]; i < end; i++) {
          const other = critOther[i];
          const was = pos[other];
          let there = was;
          if (movedStamp[other] === epoch) {
            const at = movedAt[other];
            if (at < m) continue;
            there = movedTo[at];
          }
          const drives = critDrives[i];
          const kind = critKind[i];
          const before = drives ? this.delayOf(old, was, kind) : this.delayOf(was, old, kind);
          const after = drives ? this.delayOf(next, there, kind) : this.delayOf(there, next, kind);
          timing += critWeight[i] * (after - before);
        }
      for (let i = entityNetStart[e], end = entityNetStart[e + 1]; i < end; i++) {
        const net = entityNets[i];
        if (stamp[net] === epoch) sharedStamp[net] = epoch;
        else {
          stamp[net] = epoch;
          newBox[net] = m;
          touched[nets++] = net;
        }
      }
    }
    for (let m = 0; m < count; m++) {
      const own = pos[moved[m]];
      pos[moved[m]] = movedTo[m];
      movedTo[m] = own; // to go back, if it comes to that
    }
    for (let t = 0; t < nets; t++) {
      const net = touched[t];
      const own = box[net];
      let x0 = own & 255;
      let x1 = (own >>> 8) & 255;
      let y0 = (own >>> 16) & 255;
      let y1 = own >>> 24;
      const half = x1 - x0 + y1 - y0;
      const m = newBox[net];
      const from = movedTo[m];
      const to = pos[moved[m]];
      const fromX = from & 255;
      const fromY = (from >> 8) & 255;
      const toX = to & 255;
      const toY = (to >> 8) & 255;
      if (
        sharedStamp[net] === epoch ||
        (fromX === x0 && toX > x0) ||
        (fromX === x1 && toX < x1) ||
        (fromY === y0 && toY > y0) ||
        (fromY === y1 && toY < y1)
      ) {
        newBox[net] = this.boxOf(net, netStart[net + 1]);
        wire += halfOf(newBox[net]) - half;
        continue;
      }
      if (toX < x0) x0 = toX;
      else if (toX > x1) x1 = toX;
      if (toY < y0) y0 = toY;
      else if (toY > y1) y1 = toY;
      newBox[net] = x0 | (x1 << 8) | (y0 << 16) | (y1 << 24);
      wire += x1 - x0 + y1 - y0 - half;
    }
    let delta = wire * this.wireScale + timing * timingScale;
    const most = this.mostCost();
    if (this.sharing) delta += this.contendMoved(count, most - delta);
    if (delta <= most) {
      this.lay(count);
      if (this.sharing) this.keepContention();
      for (let t = 0; t < nets; t++) box[touched[t]] = newBox[touched[t]];
      this.lastTaken = true;
      return delta;
    }
    for (let m = 0; m < count; m++) pos[moved[m]] = movedTo[m];
    return delta;
  }
}

/** Half perimeter of a box of four bytes. */
function halfOf(box: number): number {
  return ((box >>> 8) & 255) - (box & 255) + (box >>> 24) - ((box >>> 16) & 255);
}
