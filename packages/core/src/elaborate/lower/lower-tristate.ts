import type { Loc } from "../../common/source.ts";
import { type Bits, bit0, bit1, type PinPull } from "../../netlist/rtl.ts";
import type { RtlBuilder } from "../../netlist/rtl-builder.ts";
import type { DesignModel, Expr, Signal, Stmt } from "../model.ts";
import type { Report } from "../report.ts";
import { statementsOf } from "../walk.ts";

/** z as a value that is driven, not as a pattern to compare with. */
export function drivesZ(expr: Expr): boolean {
  switch (expr.op) {
    case "const":
      return (expr.value.b & ~expr.value.a) !== 0n;
    case "cond":
      return drivesZ(expr.yes) || drivesZ(expr.no);
    case "extend":
    case "repeat":
    case "slice":
      return drivesZ(expr.arg);
    case "concat":
      return expr.parts.some(drivesZ);
    default:
      return false;
  }
}

/** True if something in the design lets go of what it drives. */
export function hasTristate(design: DesignModel): boolean {
  if (design.assigns.some(({ value }) => drivesZ(value))) return true;
  let found = false;
  const visit = (stmt: Stmt) => {
    if (stmt.op === "assign" && drivesZ(stmt.value)) found = true;
  };
  for (const item of design.processes) {
    if (!found && item.kind !== "initial" && item.kind !== "final") statementsOf(item.body, visit);
  }
  return found;
}

/** [bits] Nets that are 1 while the value drives a bit. */
export function driveEnables(expr: Expr, rtl: RtlBuilder, test: (expr: Expr) => number): Bits {
  const ones = (count: number) => new Array<number>(count).fill(bit1);
  if (!drivesZ(expr)) return ones(expr.width);
  switch (expr.op) {
    case "const": {
      const z = expr.value.b & ~expr.value.a;
      return Array.from({ length: expr.width }, (_, i) => ((z >> BigInt(i)) & 1n ? bit0 : bit1));
    }
    case "cond": {
      const yes = driveEnables(expr.yes, rtl, test);
      const no = driveEnables(expr.no, rtl, test);
      const choice = test(expr.test);
      const known = new Map<string, number>(); // all bits of a word mostly share one
      return yes.map((bit, i) => {
        if (bit === no[i]) return bit;
        const id = `${bit},${no[i]}`;
        let made = known.get(id);
        if (made === undefined) {
          [made] = rtl.mux(choice, [bit], [no[i]]);
          known.set(id, made);
        }
        return made;
      });
    }
    case "extend": {
      const inner = driveEnables(expr.arg, rtl, test);
      const top = expr.bySign ? (inner[inner.length - 1] ?? bit1) : bit1;
      return Array.from({ length: expr.width }, (_, i) => inner[i] ?? top);
    }
    case "slice": {
      const inner = driveEnables(expr.arg, rtl, test);
      return Array.from({ length: expr.width }, (_, i) => inner[expr.lsb + i] ?? bit1);
    }
    case "repeat": {
      const inner = driveEnables(expr.arg, rtl, test);
      return Array.from({ length: expr.width }, (_, i) => inner[i % inner.length]);
    }
    case "concat":
      return [...expr.parts].reverse().flatMap((part) => driveEnables(part, rtl, test));
    default:
      return ones(expr.width);
  }
}

interface TristateDriver {
  readonly value: number;
  readonly enable: number;
  readonly signal: Signal;
  readonly loc: Loc;
  /** A pull: counts where nobody else drives. */
  readonly isWeak: boolean;
}

/** A bit of a port of both directions. */
interface PadBit {
  readonly signal: Signal;
  readonly bit: number;
  /** Net that carries what is read from the pin. */
  readonly read: number;
}

/** What becomes of shared nets. */
interface SharedNetHost {
  /** Takes back a driver of the net that never lets go, or null. */
  takePlain(net: number): { readonly value: number; readonly loc: Loc } | null;
  /** @param enable Net that is 1 while anything drives. */
  drive(net: number, bit: number, enable: number, driver: TristateDriver): void;
  /** What the part drives at a pin; all nets of the group read the pin. @param driver Null if nothing drives it. */
  drivePad(
    pad: PadBit,
    members: readonly number[],
    value: number,
    enable: number,
    pull: PinPull | null,
    driver: TristateDriver | null,
  ): void;
  /** True if a net leads out of the part as it is, so that letting go means something. */
  isPort(net: number): boolean;
}

/**
 * Nets that several sources take turns on. A pin is let go as the source says. Inside of the part each such net becomes
 * a multiplexer: the first source in the text that drives gives the value; what it is when none does is left open, unless
 * something pulls it.
 */
export class TristateNets {
  private readonly drivers = new Map<number, TristateDriver[]>();
  private readonly parent = new Map<number, number>();
  private readonly pads = new Map<number, PadBit>();

  /** A net that is a pin of both directions. */
  addPad(net: number, pad: PadBit): void {
    this.pads.set(net, pad);
    if (!this.drivers.has(net)) this.drivers.set(net, []);
  }

  /** The pin that a net is joined with, or null. */
  padOf(net: number): PadBit | null {
    return this.pads.get(this.rootOf(net)) ?? null;
  }

  add(net: number, driver: TristateDriver): void {
    const list = this.drivers.get(net);
    if (list) list.push(driver);
    else this.drivers.set(net, [driver]);
  }

  /** Makes two nets one: a port without a direction, or one whose inside lets go. */
  join(a: number, b: number): void {
    const [x, y] = [this.rootOf(a), this.rootOf(b)];
    if (x === y) return;
    this.parent.set(x, y);
    const pad = this.pads.get(x);
    if (pad) this.pads.set(y, pad);
    this.pads.delete(x);
    const moved = this.drivers.get(x);
    if (!moved) return;
    this.drivers.delete(x);
    this.drivers.set(y, [...(this.drivers.get(y) ?? []), ...moved]);
  }

  private rootOf(net: number): number {
    let root = net;
    for (let next = this.parent.get(root); next !== undefined; next = this.parent.get(root)) root = next;
    return root;
  }

  /** One more source of a net that is shared already. */
  addTo(net: number, driver: TristateDriver): void {
    this.drivers.get(this.rootOf(net))!.push(driver);
  }

  isShared(net: number): boolean {
    return this.drivers.has(this.rootOf(net));
  }

  /** Gathers drivers of nets that were joined only after they were added. */
  gather(): void {
    for (const [net, list] of [...this.drivers]) {
      const root = this.rootOf(net);
      if (root === net) continue;
      this.drivers.delete(net);
      this.drivers.set(root, [...(this.drivers.get(root) ?? []), ...list]);
    }
  }

  /** Makes of every shared net one value, and tells the host. */
  settle(rtl: RtlBuilder, report: Report, host: SharedNetHost): void {
    const members = new Map<number, number[]>();
    for (const net of new Set([...this.parent.keys(), ...this.drivers.keys()])) {
      const root = this.rootOf(net);
      if (!this.drivers.has(root)) continue;
      const list = members.get(root);
      if (list) list.push(net);
      else members.set(root, [net]);
    }
    // bits of one word with the same conditions become one multiplexer
    const words = new Map<string, { roots: number[]; sources: TristateDriver[][] }>();
    for (const [root, list] of this.drivers) {
      const pad = this.pads.get(root);
      if (pad)
        for (const net of members.get(root) ?? [root]) {
          const plain = host.takePlain(net);
          if (plain) list.push({ ...plain, enable: bit1, signal: pad.signal, isWeak: false });
        }
      if (pad && list.length === 0) {
        host.drivePad(pad, members.get(root) ?? [root], bit0, bit0, null, null);
        continue;
      }
      const sources = [...list.filter(({ isWeak }) => !isWeak), ...list.filter(({ isWeak }) => isWeak)];
      const key = `${pad?.signal.id} ${sources[0].signal.id} ${sources.map(({ enable, isWeak }) => `${enable}${isWeak}`).join(",")}`;
      const word = words.get(key);
      if (word) {
        word.roots.push(root);
        word.sources.push(sources);
      } else words.set(key, { roots: [root], sources: [sources] });
    }
    for (const { roots, sources } of words.values()) {
      const [first] = sources[0];
      rtl.hint = first.signal.name;
      rtl.loc = first.loc;
      const isPad = this.pads.has(roots[0]);
      const strong = sources[0].filter(({ isWeak }) => !isWeak);
      const always = strong.filter(({ enable }) => enable === bit1);
      if (isPad && always.length > 0 && strong.length > 1) {
        report.error(
          "verilog/several-drivers",
          always[0].loc,
          `'${always[0].signal.plainName}' has several drivers, and one of them is never released to high impedance.`,
          "Let each driver go with z while another one drives.",
        );
        continue;
      }
      // a resistor at a pin does not drive against what is outside
      const counting = isPad ? strong : sources[0];
      const pullOf = (own: readonly TristateDriver[]): PinPull | null => {
        const weak = isPad ? own.slice(strong.length) : [];
        const [first] = weak;
        if (!first) return null;
        if (weak.every(({ value }) => value === first.value) && first.value <= bit1)
          return first.value === bit1 ? "up" : "down";
        report.warn(
          "circuit/pin-pull",
          first.loc,
          `'${first.signal.plainName}' is pulled by something that is no constant, which a pin cannot do.`,
          "Pull it up or down, or drive it.",
        );
        return null;
      };
      const { enable, value } = this.choose(
        rtl,
        counting.map(({ enable }, s) => ({ enable, value: sources.map((own) => own[s].value) })),
      );
      let leavesPart = isPad;
      roots.forEach((root, i) => {
        const nets = members.get(root) ?? [root];
        const pad = this.pads.get(root);
        if (pad) host.drivePad(pad, nets, value[i] ?? bit0, enable, pullOf(sources[i]), sources[i][0]);
        else
          for (const net of nets) {
            leavesPart ||= host.isPort(net);
            host.drive(net, value[i], enable, sources[i][0]);
          }
      });
      if (strong.length > 1)
        report.note(
          "circuit/tristate",
          first.loc,
          `'${first.signal.plainName}' has ${strong.length} drivers that are released to high impedance: it becomes a multiplexer.`,
          "See that no two drive at a time: in the part the first one in the text wins.",
        );
      else if (!leavesPart)
        report.warn(
          "verilog/tristate",
          first.loc,
          `'${first.signal.plainName}' is released to high impedance, but nets inside of the part are always driven.`,
          "Choose between the sources with a multiplexer.",
        );
    }
  }

  /** As a tree, so that many sources are no chain. */
  private choose(
    rtl: RtlBuilder,
    sources: readonly { readonly enable: number; readonly value: Bits }[],
  ): { readonly enable: number; readonly value: Bits } {
    if (sources.length === 0) return { enable: bit0, value: [] };
    let row = [...sources];
    while (row.length > 1) {
      const next: typeof row = [];
      for (let i = 0; i + 1 < row.length; i += 2) {
        const [a, b] = [row[i], row[i + 1]];
        next.push({ enable: rtl.or([a.enable], [b.enable])[0], value: rtl.mux(a.enable, a.value, b.value) });
      }
      if (row.length & 1) next.push(row[row.length - 1]);
      row = next;
    }
    return row[0];
  }
}
