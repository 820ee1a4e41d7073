import type { ElaboratorBase } from "./elaborator-base.ts";
import type { CodeUnit } from "./emit-base.ts";
import { Driver, type DriverTree, type OwnBits } from "./signals.ts";
import { UnitEmitter } from "./unit-emitter.ts";

/**
 * Assignments of processes that are put together: left open while code is written, then kept in variables or made by way
 * of the drivers, once it is known what else the code does with these.
 */

export const nameOf = (unit: CodeUnit, driver: Driver): string => `n${unit.cap(driver)}`;

/**
 * Text that makes the assignment that a variable has kept.
 * @param word Of pure logic: the word of `Engine.dirty` that it is in.
 */
export function commitText(owner: ElaboratorBase, unit: CodeUnit, driver: Driver, word: number | null): string {
  const { sig } = driver;
  const { engine, program } = owner;
  const name = nameOf(unit, driver);
  const s = unit.cap(sig);
  const changed = (readers: Int32Array | null) => {
    let text = "";
    if (!readers) return text;
    const dirty = unit.cap(engine.dirty);
    for (let i = 0; i < readers.length; i += 2)
      text += `${readers[i] === word ? "$d" : `${dirty}[${readers[i]}]`}|=${readers[i + 1]};`;
    return word === null ? `${text}E.isDirty=true;` : text;
  };
  if (driver.own) {
    const marks = changed(driver.own.marks === undefined ? sig.marks : driver.own.marks);
    const put = `E.setOwn(${unit.cap(driver)},${name})`;
    return marks ? `if(${put}){${marks}}` : `${put};`;
  }
  const time = engine.tracksTimes ? `${s}.at=E.kernel.now;` : "";
  const marks = changed(sig.marks);
  // while pure logic settles, nobody waits for what it drives
  const shown = `if($o!==null)$o(${s});`;
  const told = word === null ? `if(${s}.listeners!==0)E.tell(${s});else ${shown}` : shown;
  // nobody asks when it changed, or what it was before
  const isPlain = !program.observed.has(sig) && sig.rising.length === 0 && sig.falling.length === 0;
  const put = isPlain ? `${s}.v=${name};` : `${s}.last=${s}.v;${s}.v=${name};${s}.ev=E.d;`;
  const differs =
    sig.kind === "scalar"
      ? `${name}!==${s}.v`
      : `${name}!==${s}.v&&(typeof ${name}!=="object"||!${unit.rt("same")}(${name},${s}.v))`;
  return `if(${differs}){${put}${time}${marks}${told}}`;
}
/** What a driver's signal, or its own part of it, is now. */
export function valueText(unit: CodeUnit, { sig, own }: Driver): string {
  const value = `${unit.cap(sig)}.v`;
  if (!own) return value;
  return own.n === 1 ? `${unit.rt("getL")}(${value},${own.lo})` : `${unit.rt("sliceL")}(${value},${own.lo},${own.n})`;
}
const listName = (unit: CodeUnit, list: readonly Driver[]): string => `n${unit.cap(list)}`;
/** Declares the values of a list of drivers. */
export function listText(unit: CodeUnit, list: readonly Driver[]): string {
  return `const ${listName(unit, list)}=${unit.cap(list)}.map((d)=>d.sig.v);`;
}
export function commitList(unit: CodeUnit, list: readonly Driver[]): string {
  const sigs = unit.cap(list.map(({ sig }) => sig));
  const values = listName(unit, list);
  return `for(let $i=0;$i<${list.length};$i++)if(${values}[$i]!==${sigs}[$i].v)E.set(${sigs}[$i],${values}[$i]);`;
}

/**
 * Open assignments, between characters that VHDL text cannot have: all, a bit or a slice of a driver (A, B, S), or of
 * an element of a list of drivers that only the run knows (a, b, s).
 */
const marker = /\ue000([ABSabs])(\d+)\ue001([^\ue002]*)\ue002/g;
/** Lists above this are not looked through at each commit. */
const longestList = 32;

interface Kept {
  /** Kept in a variable each. */
  readonly drivers: readonly Driver[];
  /** Kept in an array each. */
  readonly lists: readonly (readonly Driver[])[];
  /** Drivers that are kept in any way. */
  readonly count: number;
  /** Those of `drivers` that are not only assigned whole. */
  readonly inParts: ReadonlySet<Driver>;
  /** Text with its open assignments made. */
  settle(text: string): string;
}

/**
 * Which drivers can be kept in variables: those of signals that only this process drives, where it does nothing else
 * with the driver than to assign without delay.
 */
export function takeMarks(unit: CodeUnit, texts: readonly string[]): Kept {
  const used = new Set<Driver>();
  const use = (object: unknown): void => {
    if (object instanceof Driver) {
      used.add(object);
      if (object.part) used.add(object.part.of);
    } else if (Array.isArray(object) && (object[0] instanceof Driver || Array.isArray(object[0]))) object.forEach(use);
  };
  const single = new Set<Driver>();
  const inParts = new Set<Driver>();
  const lists = new Set<readonly Driver[]>();
  for (const text of texts) {
    for (const match of text.matchAll(/\bc(\d+)\b/g)) use(unit.caps[Number(match[1])]);
    for (const match of text.matchAll(marker)) {
      const object = unit.caps[Number(match[2])] as Driver | readonly Driver[];
      if (object instanceof Driver) {
        single.add(object);
        if (match[1] !== "A") inParts.add(object);
      } else lists.add(object);
    }
  }
  const isOwn = (driver: Driver) =>
    !used.has(driver) && ((driver.sig.simple && driver.sig.drivers[0] === driver) || isPartOwn(driver));
  const places = new Map<Driver, string>();
  for (let dropped = true; dropped; ) {
    dropped = false;
    places.clear();
    for (const list of lists) {
      const isKept = list.every((driver) => isOwn(driver) && !driver.own && !places.has(driver));
      list.forEach((driver, i) => {
        if (isKept) places.set(driver, `${listName(unit, list)}[${i}]`);
        else used.add(driver);
      });
      if (isKept) continue;
      lists.delete(list);
      dropped = true;
    }
  }
  const drivers = [...single].filter((driver) => isOwn(driver) && !places.has(driver));
  for (const driver of drivers) places.set(driver, nameOf(unit, driver));
  const settleOne = (kind: string, name: string, n: number, parts: readonly string[]): string => {
    if (kind === "A") return `${name}=${parts[0]};`;
    if (kind === "B") return `${name}=R_setL(${name},${n},${parts[0]},${parts[1]});`;
    return `${name}=R_insertL(${name},${n},${parts[0]},${parts[1]},${parts[2]});`;
  };
  const settleOwn = (kind: string, name: string, own: OwnBits, parts: readonly string[]): string => {
    if (own.n === 1) return kind === "B" ? `${name}=${parts[1]};` : `${name}=${unit.rt("getL")}(${parts[1]},0);`;
    if (kind === "S" && parts[0] === String(own.lo) && parts[2] === String(own.n)) return `${name}=${parts[1]};`;
    return settleOne(kind, name, own.n, [`${parts[0]}-${own.lo}`, ...parts.slice(1)]);
  };
  const settle = (text: string) =>
    text.replace(marker, (_, kind: string, number: string, rest: string) => {
      const object = unit.caps[Number(number)] as Driver | readonly Driver[];
      const parts = rest.split("\ue001");
      const wide = kind.toUpperCase();
      const call = wide === "A" ? "as" : wide === "B" ? "asBit" : "asSlice";
      if (object instanceof Driver) {
        const name = places.get(object);
        if (name && object.own) return settleOwn(kind, name, object.own, parts);
        return name ? settleOne(kind, name, object.sig.n, parts) : `E.${call}(c${number},${parts.join(",")});`;
      }
      const [index, ...others] = parts;
      if (!lists.has(object)) return `E.${call}(c${number}[${index}],${others.join(",")});`;
      if (wide === "A") return settleOne(wide, `${listName(unit, object)}[${index}]`, 0, others);
      return `{const $i=${index};${settleOne(wide, `${listName(unit, object)}[$i]`, object[0].sig.n, others)}}`;
    });
  return { drivers, lists: [...lists], count: places.size, inParts, settle };
}

/** Its bits are driven by no other, and nobody looks at more than events. */
function isPartOwn({ sig, own }: Driver): boolean {
  return own !== null && sig.onActive === null && sig.outside === null;
}

/** Leaves assignments without delay open: made by way of the driver, or kept in a variable. */
export class JoinEmitter extends UnitEmitter {
  private driverOf(text: string): DriverTree {
    const match = /^c(\d+)$/.exec(text);
    const object = match ? this.unit.caps[Number(match[1])] : undefined;
    return object instanceof Driver || Array.isArray(object) ? (object as DriverTree) : undefined;
  }
  private mark(kind: "A" | "B" | "S", driver: Driver, ...parts: string[]): string {
    return this.open(kind, this.cap(driver), parts);
  }
  private open(kind: string, cap: string, parts: readonly string[]): string {
    const wide = kind.toUpperCase();
    if (wide === "B") this.rt("setL");
    if (wide === "S") this.rt("insertL");
    return `\ue000${kind}${cap.slice(1)}\ue001${parts.join("\ue001")}\ue002`;
  }
  /** `c3[index]`: an element of a list of drivers. */
  private elementOf(text: string): { readonly list: string; readonly index: string } | null {
    const match = /^(c(\d+))\[(.*)\]$/s.exec(text);
    if (!match || !isClosed(match[3])) return null;
    const list = this.unit.caps[Number(match[2])];
    if (!Array.isArray(list) || list.length > longestList) return null;
    return list.every((each) => each instanceof Driver && !each.part) ? { list: match[1], index: match[3] } : null;
  }

  override assignWhole(text: string, js: string): string {
    const driver = this.driverOf(text);
    if (!(driver instanceof Driver)) {
      const element = this.elementOf(text);
      return element ? this.open("a", element.list, [element.index, js]) : super.assignWhole(text, js);
    }
    if (!driver.part) return this.mark("A", driver, js);
    const { of, lo, n, bit, two } = driver.part;
    if (bit) return this.mark("B", of, String(lo), two ? `(${js})+2` : js);
    return n === 0 ? "" : this.mark("S", of, String(lo), js, String(n));
  }
  override assignBit(text: string, lo: string, js: string): string {
    const driver = this.driverOf(text);
    if (!(driver instanceof Driver)) {
      const element = this.elementOf(text);
      return element ? this.open("b", element.list, [element.index, lo, js]) : super.assignBit(text, lo, js);
    }
    if (driver.part) return this.mark("B", driver.part.of, `${driver.part.lo}+(${lo})`, js);
    return this.mark("B", driver, lo, js);
  }
  override assignSlice(text: string, lo: string, js: string, bits: string): string {
    const driver = this.driverOf(text);
    if (!(driver instanceof Driver)) {
      const element = this.elementOf(text);
      return element
        ? this.open("s", element.list, [element.index, lo, js, bits])
        : super.assignSlice(text, lo, js, bits);
    }
    if (driver.part) return this.mark("S", driver.part.of, `${driver.part.lo}+(${lo})`, js, bits);
    return this.mark("S", driver, lo, js, bits);
  }
  override assignTree(text: string, js: string): string {
    const tree = this.driverOf(text);
    if (!Array.isArray(tree) || countOf(tree) > 64) return super.assignTree(text, js);
    const name = this.temp();
    const leaf = (at: DriverTree, value: string): string => {
      if (Array.isArray(at)) return at.map((each, i) => leaf(each, `${value}[${i}]`)).join("");
      return at ? this.assignWhole(this.cap(at), value) : "";
    };
    return `${name}=${js};${leaf(tree, name)}`;
  }
}
/** Every bracket in it has its other one in it too. */
function isClosed(text: string): boolean {
  let depth = 0;
  for (const char of text) {
    if (char === "[") depth++;
    else if (char === "]" && --depth < 0) return false;
  }
  return depth === 0;
}
function countOf(tree: DriverTree): number {
  return Array.isArray(tree) ? tree.reduce<number>((sum, each) => sum + countOf(each), 0) : 1;
}
