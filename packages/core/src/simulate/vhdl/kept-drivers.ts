import { type Code, joined, js, OpenPlace, openPlaces, rendered } from "../../common/code-pieces.ts";
import { type Assignments, directAssignments } from "../../elaborate/vhdl/code/assignments.ts";
import type { CodeUnit } from "../../elaborate/vhdl/code/emit-base.ts";
import { Driver, type DriverTree, type OwnBits } from "../../elaborate/vhdl/values/signals.ts";
import type { Processes } from "./processes.ts";

/**
 * Assignments of processes that are put together: left open while code is written, then kept in variables or made by way
 * of the drivers, once it is known what else the code does with these.
 */

export const nameOf = (unit: CodeUnit, driver: Driver): string => `n${unit.cap(driver)}`;

/**
 * Text that makes the assignment that a variable has kept.
 * @param word Of pure logic: the word of `Engine.dirty` that it is in.
 */
export function commitText(owner: Processes, unit: CodeUnit, driver: Driver, word: number | null): string {
  const { sig } = driver;
  const {
    engine,
    elaborator: { program },
  } = owner;
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

/** An assignment without delay, to all, a bit or a slice of a driver, or of an element of a list of drivers. */
class OpenAssignment extends OpenPlace {
  constructor(
    readonly kind: "whole" | "bit" | "slice",
    /** The driver, or a list of which only the run knows the element. */
    readonly driver: Driver | readonly Driver[],
    /** Its name in the code. */
    readonly cap: string,
    /** Of a list: code of the element's number. */
    readonly index: string,
    /** Code of where it begins, of the value, and of how many bits, as far as the kind has them. */
    readonly parts: readonly string[],
  ) {
    super();
  }
}
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
  /** Text of code with its open assignments made. */
  settle(code: Code | string): string;
}

/**
 * Which drivers can be kept in variables: those of signals that only this process drives, where it does nothing else
 * with the driver than to assign without delay.
 */
export function keepDrivers(unit: CodeUnit, codes: readonly (Code | string)[]): Kept {
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
  // whatever else the code names is used in other ways too
  const named = (text: string): void => {
    for (const match of text.matchAll(/\bc(\d+)\b/g)) use(unit.caps[Number(match[1])]);
  };
  for (const code of codes) {
    named(rendered(code, () => ";"));
    for (const place of openPlaces(code) as OpenAssignment[]) {
      const { driver, kind, index, parts } = place;
      named(index);
      parts.forEach(named);
      if (driver instanceof Driver) {
        single.add(driver);
        if (kind !== "whole") inParts.add(driver);
      } else lists.add(driver);
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
    if (kind === "whole") return `${name}=${parts[0]};`;
    if (kind === "bit") return `${name}=${unit.rt("setL")}(${name},${n},${parts[0]},${parts[1]});`;
    return `${name}=${unit.rt("insertL")}(${name},${n},${parts[0]},${parts[1]},${parts[2]});`;
  };
  const settleOwn = (kind: string, name: string, own: OwnBits, parts: readonly string[]): string => {
    if (own.n === 1) return kind === "bit" ? `${name}=${parts[1]};` : `${name}=${unit.rt("getL")}(${parts[1]},0);`;
    if (kind === "slice" && parts[0] === String(own.lo) && parts[2] === String(own.n)) return `${name}=${parts[1]};`;
    return settleOne(kind, name, own.n, [`${parts[0]}-${own.lo}`, ...parts.slice(1)]);
  };
  const settle = (code: Code | string) =>
    rendered(code, (place) => {
      const { kind, driver, cap, index, parts } = place as OpenAssignment;
      const call = kind === "whole" ? "as" : kind === "bit" ? "asBit" : "asSlice";
      if (driver instanceof Driver) {
        const name = places.get(driver);
        if (name && driver.own) return settleOwn(kind, name, driver.own, parts);
        return name ? settleOne(kind, name, driver.sig.n, parts) : `E.${call}(${cap},${parts.join(",")});`;
      }
      if (!lists.has(driver)) return `E.${call}(${cap}[${index}],${parts.join(",")});`;
      if (kind === "whole") return settleOne(kind, `${listName(unit, driver)}[${index}]`, 0, parts);
      return `{const $i=${index};${settleOne(kind, `${listName(unit, driver)}[$i]`, driver[0].sig.n, parts)}}`;
    });
  return { drivers, lists: [...lists], count: places.size, inParts, settle };
}

/** Its bits are driven by no other, and nobody looks at more than events. */
function isPartOwn({ sig, own }: Driver): boolean {
  return own !== null && sig.onActive === null && sig.outside === null;
}

/** Code `cap[index]` of a list of drivers. */
interface DriverElement {
  readonly list: readonly Driver[];
  readonly cap: string;
  readonly index: string;
}

/** Leaves assignments without delay open: made by way of the driver, or kept in a variable. */
export class OpenAssignments implements Assignments {
  constructor(
    private readonly unit: CodeUnit,
    /** A variable of the function that is being written. */
    private readonly temp: () => string,
  ) {}

  private driverOf(text: string): DriverTree {
    const match = /^c(\d+)$/.exec(text);
    const object = match ? this.unit.caps[Number(match[1])] : undefined;
    return object instanceof Driver || Array.isArray(object) ? (object as DriverTree) : undefined;
  }
  private open(kind: OpenAssignment["kind"], driver: Driver, ...parts: string[]): Code {
    return js`${new OpenAssignment(kind, driver, this.unit.cap(driver), "", parts)}`;
  }
  private openElement(kind: OpenAssignment["kind"], element: DriverElement, ...parts: string[]): Code {
    return js`${new OpenAssignment(kind, element.list, element.cap, element.index, parts)}`;
  }
  /** `c3[index]`: an element of a list of drivers. */
  private elementOf(text: string): DriverElement | null {
    const match = /^(c(\d+))\[(.*)\]$/s.exec(text);
    if (!match || !isClosed(match[3])) return null;
    const list = this.unit.caps[Number(match[2])];
    if (!Array.isArray(list) || list.length > longestList) return null;
    return list.every((each) => each instanceof Driver && !each.part)
      ? { list: list as readonly Driver[], cap: match[1], index: match[3] }
      : null;
  }

  whole(text: string, value: string): string | Code {
    const driver = this.driverOf(text);
    if (!(driver instanceof Driver)) {
      const element = this.elementOf(text);
      return element ? this.openElement("whole", element, value) : directAssignments.whole(text, value);
    }
    if (!driver.part) return this.open("whole", driver, value);
    const { of, lo, n, bit, two } = driver.part;
    if (bit) return this.open("bit", of, String(lo), two ? `(${value})+2` : value);
    return n === 0 ? "" : this.open("slice", of, String(lo), value, String(n));
  }
  bit(text: string, lo: string, value: string): string | Code {
    const driver = this.driverOf(text);
    if (!(driver instanceof Driver)) {
      const element = this.elementOf(text);
      return element ? this.openElement("bit", element, lo, value) : directAssignments.bit(text, lo, value);
    }
    if (driver.part) return this.open("bit", driver.part.of, `${driver.part.lo}+(${lo})`, value);
    return this.open("bit", driver, lo, value);
  }
  slice(text: string, lo: string, value: string, bits: string): string | Code {
    const driver = this.driverOf(text);
    if (!(driver instanceof Driver)) {
      const element = this.elementOf(text);
      return element
        ? this.openElement("slice", element, lo, value, bits)
        : directAssignments.slice(text, lo, value, bits);
    }
    if (driver.part) return this.open("slice", driver.part.of, `${driver.part.lo}+(${lo})`, value, bits);
    return this.open("slice", driver, lo, value, bits);
  }
  tree(text: string, value: string): string | Code {
    const tree = this.driverOf(text);
    if (!Array.isArray(tree) || countOf(tree) > 64) return directAssignments.tree(text, value);
    const name = this.temp();
    const leaf = (at: DriverTree, part: string): string | Code => {
      if (Array.isArray(at)) return joined(at.map((each, i) => leaf(each, `${part}[${i}]`)));
      return at ? this.whole(this.unit.cap(at), part) : "";
    };
    return js`${name}=${value};${leaf(tree, name)}`;
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
