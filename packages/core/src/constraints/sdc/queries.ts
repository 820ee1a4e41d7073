import { nearestName, type Place } from "../../common/finding.ts";
import { firstNet } from "../../netlist/rtl.ts";
import { Arguments, type OptionSpec } from "./arguments.ts";
import { patternOf } from "./command-words.ts";
import { FilterError, type Properties, parseFilter } from "./filter.ts";
import type { Call, Implementation } from "./interpreter.ts";
import { isGlob, type Pattern } from "./match.ts";
import { lastLevels, NameTable, type PatternOptions } from "./names.ts";
import { type CircuitObjects, idOf, kindOf, type ObjectKind, refOf } from "./objects.ts";
import type { ClockRule } from "./rules.ts";
import { itemsOf, ObjectSet, textOf, type Value } from "./values.ts";

/** A query as it was run, for those who want to see what it matches. */
export interface QueryRecord {
  readonly place: Place;
  readonly kind: ObjectKind;
  /** What it asks for, as `get_cells -hierarchical count*`. */
  readonly text: string;
  readonly count: number;
  /** The first ones. */
  readonly names: readonly string[];
}
const namesShown = 200;
const queryLimit = 20_000;
/** Searches for a near name among all of them, for one reading of the files: each takes as long as it does. */
const nearLimit = 12;

/** What queries look at: the circuit, and the clocks that files have declared so far. */
interface QueryWorld {
  readonly objects: CircuitObjects | null;
  /** Those that lines declare, then those that blocks of the part make of them. */
  clocks(): readonly ClockRule[];
  clockSourceNets(clock: ClockRule): readonly number[];
  /** Clocks that pass a net. */
  clocksAt(net: number): readonly string[];
}

const patternOptions: OptionSpec = {
  "-hierarchical": "flag",
  "-hsc": "text",
  "-regexp": "flag",
  "-nocase": "flag",
  "-filter": "text",
  "-quiet": "flag",
  "-of_objects": "value",
};

/** The `get_` and `all_` commands. */
export class Queries {
  readonly records: QueryRecord[] = [];
  private nearCount = 0;
  private separator: string | null = null;
  private readonly clockIds = new Map<string, number>();
  private readonly clockNames: string[] = [];

  constructor(private readonly world: QueryWorld) {}

  get commands(): Readonly<Record<string, Implementation>> {
    return {
      get_ports: (call) => this.get(call, "port"),
      get_pins: (call) => this.get(call, "pin"),
      get_cells: (call) => this.get(call, "cell"),
      get_nets: (call) => this.get(call, "net"),
      get_clocks: (call) => this.get(call, "clock"),
      all_inputs: (call) => this.allPorts(call, "in"),
      all_outputs: (call) => this.allPorts(call, "out"),
      all_clocks: (call) => {
        new Arguments(call, {}, "", 0, 0);
        return this.record(call, "clock", this.allClocks());
      },
      all_registers: (call) => this.allRegisters(call),
      current_design: (call) => {
        new Arguments(call, {}, "", 0, 1);
        return this.world.objects?.top ?? "";
      },
      set_hierarchy_separator: (call) => {
        const args = new Arguments(call, {}, "SEPARATOR", 1, 1);
        const own = textOf(args.rest[0].value);
        if (!/^[/@^#.|]$/.test(own)) call.fail(`'${own}' is no separator.`, "Use / @ ^ # . or |.", 0);
        this.separator = own;
        return own;
      },
    };
  }

  /** An object's name as people write it. */
  nameOf = (ref: number): string => {
    const id = idOf(ref);
    const objects = this.world.objects!;
    switch (kindOf(ref)) {
      case "port":
        return objects.ports[id].name;
      case "cell":
        return objects.cells[id].name;
      case "pin":
        return objects.pinFullName(id);
      case "net":
        return objects.netNames.names[id];
      case "clock":
        return this.clockNames[id];
    }
  };

  set(refs: readonly number[]): ObjectSet {
    return new ObjectSet(refs, this.nameOf);
  }

  clockRef(name: string): number {
    let id = this.clockIds.get(name);
    if (id === undefined) {
      id = this.clockNames.push(name) - 1;
      this.clockIds.set(name, id);
    }
    return refOf("clock", id);
  }
  private allClocks(): number[] {
    return this.world.clocks().map(({ name }) => this.clockRef(name));
  }

  private table(kind: Exclude<ObjectKind, "pin">): NameTable {
    const { objects } = this.world;
    switch (kind) {
      case "port":
        return objects!.portNames;
      case "cell":
        return objects!.cellNames;
      case "net":
        return objects!.netNames;
      case "clock":
        return new NameTable(this.world.clocks().map(({ name }) => name));
    }
  }

  /** Objects of a kind that a pattern takes. */
  private match(kind: ObjectKind, text: string, options: PatternOptions, work: (names: number) => void): number[] {
    const { objects } = this.world;
    if (kind === "clock") {
      const clocks = this.world.clocks();
      // a clock's name has no levels
      const plain = text.replaceAll("/", ".");
      const table = new NameTable(clocks.map(({ name }) => name.replaceAll(".", "/")));
      return table
        .find(plain.replaceAll(".", "/"), { ...options, hierarchical: false }, work)
        .map((id) => this.clockRef(clocks[id].name));
    }
    if (!objects) return [];
    const pattern = options.regexp ? text : this.levels(text);
    if (kind === "pin") return this.pins(objects, pattern, options, work).map((id) => refOf("pin", id));
    const found = this.table(kind).find(pattern, options, work);
    if (kind !== "net") return found.map((id) => refOf(kind, id));
    // a net is one, whatever its names
    const nets = new Set<number>();
    return found.flatMap((id) => {
      const net = objects.netOfName[id];
      if (nets.has(net)) return [];
      nets.add(net);
      return [refOf("net", id)];
    });
  }

  private levels(text: string): string {
    return this.separator ? text.replaceAll(this.separator, ".") : text.replaceAll("/", ".");
  }

  /** Pins are looked for by cell and then by pin. */
  private pins(
    objects: CircuitObjects,
    pattern: string,
    options: PatternOptions,
    work: (names: number) => void,
  ): number[] {
    const { regexp, nocase } = options;
    if (regexp) {
      work(objects.pinNet.length * 4);
      return [...objects.pinNet.keys()].filter((pin) => {
        const name = objects.pinFullName(pin);
        return regexp.takes(name) || regexp.takes(name.replaceAll(".", "/"));
      });
    }
    const at = pattern.lastIndexOf(".");
    const own = pattern.slice(at + 1);
    const table = new Map<string, boolean>();
    const takes = (name: string): boolean => {
      let is = table.get(name);
      if (is === undefined) {
        is = new NameTable([name]).find(own, { ...options, hierarchical: false, nocase: true }).length > 0;
        table.set(name, is);
      }
      return is;
    };
    if (at < 0 && !options.hierarchical) return [];
    const cells =
      at < 0 ? objects.cells.keys() : objects.cellNames.find(pattern.slice(0, at), { ...options, nocase }, work);
    const found: number[] = [];
    for (const c of cells) {
      const { firstPin, pinCount } = objects.cells[c];
      for (let pin = firstPin; pin < firstPin + pinCount; pin++) if (takes(objects.pinName[pin])) found.push(pin);
    }
    work(found.length);
    return found;
  }

  private get(call: Call, kind: ObjectKind): Value {
    const args = new Arguments(call, patternOptions, "[-hierarchical] [-filter TEXT] PATTERN", 0, 1);
    const { interpreter } = call;
    const work = (names: number) => interpreter.spend(names >> 4);
    let refs: number[];
    const separator = args.text("-hsc");
    const before = this.separator;
    if (separator) this.separator = separator;
    const patterns: string[] = [];
    if (args.has("-of_objects")) {
      if (args.rest.length) call.fail("A pattern and -of_objects exclude each other.", "Use -filter.", args.rest[0].at);
      refs = this.related(call, kind, args.value("-of_objects")!, args.at("-of_objects"));
    } else {
      const given = args.rest[0];
      if (given?.value instanceof ObjectSet && given.value.refs.every((ref) => kindOf(ref) === kind))
        refs = [...given.value.refs];
      else {
        const items = given ? interpreter.items(given.value, call.places(given.at)) : ["*"];
        patterns.push(...items.map(textOf));
        const compiled = (text: string): Pattern | null =>
          args.has("-regexp") ? patternOf(call, text, given?.at ?? 0, args.has("-nocase")) : null;
        const all = patterns.map((text) =>
          this.match(
            kind,
            text,
            { hierarchical: args.has("-hierarchical"), nocase: args.has("-nocase"), regexp: compiled(text) },
            work,
          ),
        );
        refs = all.length === 1 ? all[0] : [...new Set(all.flat())];
        all.forEach((found, i) => {
          if (found.length === 0 && !args.has("-quiet") && this.world.objects)
            this.nothing(call, kind, patterns[i], given?.at, args.has("-hierarchical"));
        });
      }
    }
    this.separator = before;
    const filter = args.text("-filter");
    if (filter !== null) {
      const had = refs.length;
      refs = this.filtered(call, refs, filter, args.at("-filter"));
      if (had && !refs.length && !args.has("-quiet"))
        interpreter.add({
          code: "sdc/no-match",
          severity: "warning",
          place: args.place("-filter"),
          message: `The filter '${filter}' leaves none of ${had} ${kind}${had === 1 ? "" : "s"}.`,
          remedy: "Loosen it.",
        });
    }
    return this.record(call, kind, refs);
  }

  private record(call: Call, kind: ObjectKind, refs: readonly number[]): ObjectSet {
    call.interpreter.spend(refs.length >> 5);
    const set = this.set(refs);
    if (this.records.length < queryLimit && call.span.file >= 0)
      this.records.push({
        place: call.interpreter.placeOf({ text: "", file: call.span.file }, call.span),
        kind,
        text: `${call.name}${call.args.length ? " " : ""}${call.args.map((arg) => cut(textOf(arg))).join(" ")}`,
        count: refs.length,
        names: refs.slice(0, namesShown).map(this.nameOf),
      });
    return set;
  }

  /** A finding with what may have been meant. */
  private nothing(call: Call, kind: ObjectKind, text: string, at: number | undefined, hierarchical: boolean): void {
    call.interpreter.add({
      code: "sdc/no-match",
      severity: "warning",
      place: at === undefined ? call.place : call.places(at),
      message: `No ${kind} matches '${cut(text)}'.`,
      remedy: this.suggestion(kind, text, hierarchical),
    });
  }

  suggestion(kind: ObjectKind, text: string, hierarchical = false): string {
    const quiet = () => undefined;
    const options = { hierarchical, nocase: false, regexp: null };
    const some = (refs: readonly number[]) =>
      `${refs.slice(0, 3).map(this.nameOf).join(", ")}${refs.length > 3 ? ` and ${refs.length - 3} more` : ""}`;
    if (kind !== "clock" && kind !== "port" && !hierarchical) {
      const deeper = this.match(kind, text, { ...options, hierarchical: true }, quiet);
      if (deeper.length) return `Deeper down there is ${some(deeper)}: name the level, or use -hierarchical.`;
    }
    const others: ObjectKind[] = ["port", "cell", "net", "clock", "pin"];
    for (const other of others) {
      if (other === kind || (this.world.objects === null && other !== "clock")) continue;
      const found = this.match(other, text, options, quiet);
      if (found.length)
        return `There ${found.length === 1 ? `is a ${other}` : `are ${other}s`} so named: use get_${other}s.`;
    }
    const loose = this.match(kind, text, { ...options, nocase: true }, quiet);
    if (loose.length) return `Did you mean ${some(loose)}? Upper and lower case count.`;
    if (++this.nearCount > nearLimit) return "Correct the name.";
    const plain = this.levels(text).replace(/[*?]/g, "");
    const names = kind === "pin" ? this.pinsNear(text) : this.table(kind).names;
    const near =
      nearestName(plain, names) ??
      (isGlob(text) && plain.length > 2 ? names.find((name) => name.includes(plain)) : undefined) ??
      nearestName(
        lastLevels(plain, 1),
        names.slice(0, 50_000).map((name) => lastLevels(name, 1)),
      );
    return near
      ? `Did you mean '${near}'?`
      : `Correct the name; there ${names.length === 1 ? "is" : "are"} ${names.length} ${kind}${names.length === 1 ? "" : "s"}.`;
  }

  private pinsNear(text: string): readonly string[] {
    const objects = this.world.objects!;
    const plain = this.levels(text);
    const cellName = plain.slice(0, plain.lastIndexOf("."));
    const cell =
      objects.cellNames.exact(cellName)[0] ?? objects.cellNames.exact(objects.cellNames.near(cellName) ?? "")[0];
    if (cell === undefined) return [];
    const { firstPin, pinCount } = objects.cells[cell];
    return Array.from({ length: pinCount }, (_, i) => objects.pinFullName(firstPin + i));
  }

  private filtered(call: Call, refs: readonly number[], text: string, at: number): number[] {
    try {
      const test = parseFilter(text);
      call.interpreter.spend(refs.length);
      return refs.filter((ref) => test(this.properties(ref)));
    } catch (error) {
      if (!(error instanceof FilterError)) throw error;
      return call.fail(
        `The filter cannot be used: ${error.message}.`,
        "Properties are name, direction, kind, module, is_clock, is_register, period.",
        at,
      );
    }
  }

  /** Properties of an object for filters. */
  properties(ref: number): Properties {
    const id = idOf(ref);
    const objects = this.world.objects!;
    const kind = kindOf(ref);
    return (name) => {
      const own = this.nameOf(ref);
      if (name === "full_name") return own;
      if (name === "name") return kind === "pin" ? objects.pinName[id] : lastLevels(own, 1);
      if (name === "object_class") return kind;
      switch (kind) {
        case "port":
          if (name === "direction") return objects.ports[id].direction;
          if (name === "is_clock") return this.world.clocksAt(objects.ports[id].reads).length > 0;
          break;
        case "cell": {
          const cell = objects.cells[id];
          if (name === "kind") return cell.kind;
          if (name === "module") return cell.module;
          if (name === "is_register") return cell.kind === "register" || cell.kind === "latch";
          if (name === "is_hierarchical") return cell.kind === "instance";
          break;
        }
        case "pin":
          if (name === "direction") return objects.pinIsOut[id] ? "out" : "in";
          if (name === "is_clock") return objects.pinIsClock[id] === 1;
          break;
        case "clock": {
          const clock = this.world.clocks().find((each) => each.name === own);
          if (name === "period") return (clock?.periodPs ?? 0) / 1000;
          if (name === "is_generated") return clock?.generated != null;
          if (name === "is_virtual") return clock?.sources.length === 0;
          break;
        }
        case "net":
          break;
      }
      return null;
    };
  }

  /** Objects of a kind that belong to others. */
  private related(call: Call, kind: ObjectKind, value: Value, at: number): number[] {
    const { objects } = this.world;
    const items =
      value instanceof ObjectSet ? value.refs : this.resolve(call, value, at, ["cell", "pin", "net", "port", "clock"]);
    if (!objects) return [];
    const found = new Set<number>();
    for (const ref of items) for (const each of this.neighbours(objects, kind, ref)) found.add(each);
    call.interpreter.spend(found.size >> 4);
    return [...found];
  }

  private neighbours(objects: CircuitObjects, kind: ObjectKind, ref: number): number[] {
    const id = idOf(ref);
    const own = kindOf(ref);
    if (own === kind) return [ref];
    const netRef = (net: number) => {
      const name = net < firstNet ? -1 : objects.nameOfNet(net);
      return name < 0 ? [] : [refOf("net", name)];
    };
    const pinsOfCell = (c: number) =>
      Array.from({ length: objects.cells[c].pinCount }, (_, i) => objects.cells[c].firstPin + i);
    const nets =
      own === "net"
        ? [objects.netOfName[id]]
        : own === "pin"
          ? [objects.pinNet[id]]
          : own === "port"
            ? [objects.ports[id].reads, objects.ports[id].drives].filter((net) => net >= 0)
            : own === "cell"
              ? pinsOfCell(id).map((pin) => objects.pinNet[pin])
              : this.clockNets(this.nameOf(ref));
    switch (kind) {
      case "net":
        return nets.flatMap(netRef);
      case "pin":
        if (own === "cell") return pinsOfCell(id).map((pin) => refOf("pin", pin));
        return nets.flatMap((net) => objects.pinsOfNet(net).map((pin) => refOf("pin", pin)));
      case "cell":
        if (own === "pin") return [refOf("cell", objects.pinCell[id])];
        return nets.flatMap((net) => objects.pinsOfNet(net).map((pin) => refOf("cell", objects.pinCell[pin])));
      case "port": {
        const wanted = new Set(nets);
        return objects.ports.flatMap(({ reads, drives }, port) =>
          wanted.has(reads) || wanted.has(drives) ? [refOf("port", port)] : [],
        );
      }
      case "clock":
        return nets.flatMap((net) => this.world.clocksAt(net).map((name) => this.clockRef(name)));
    }
  }

  private clockNets(name: string): readonly number[] {
    const clock = this.world.clocks().find((each) => each.name === name);
    return clock ? this.world.clockSourceNets(clock) : [];
  }

  private allPorts(call: Call, side: "in" | "out"): Value {
    const args = new Arguments(call, { "-clock": "value", "-no_clocks": "flag" }, "", 0, 0);
    if (args.has("-clock"))
      call.fail("Ports are not chosen by clock here.", "Name the ports, or use -filter.", args.at("-clock"));
    const { objects } = this.world;
    const refs = (objects?.ports ?? []).flatMap(({ direction, reads }, id) => {
      if (direction !== side && direction !== "inout") return [];
      if (args.has("-no_clocks") && this.world.clocksAt(reads).length) return [];
      return [refOf("port", id)];
    });
    return this.record(call, "port", refs);
  }

  private allRegisters(call: Call): Value {
    const args = new Arguments(
      call,
      {
        "-clock": "value",
        "-cells": "flag",
        "-data_pins": "flag",
        "-clock_pins": "flag",
        "-output_pins": "flag",
        "-edge_triggered": "flag",
        "-level_sensitive": "flag",
      },
      "[-clock CLOCK] [-cells|-data_pins|-clock_pins|-output_pins]",
      0,
      0,
    );
    const { objects } = this.world;
    if (!objects) return this.set([]);
    const what = args.one("-cells", "-data_pins", "-clock_pins", "-output_pins") ?? "-cells";
    const level = args.one("-edge_triggered", "-level_sensitive");
    const clock = args.value("-clock");
    const clocks =
      clock === null ? null : new Set(this.resolve(call, clock, args.at("-clock"), ["clock"]).map(this.nameOf));
    const refs: number[] = [];
    objects.cells.forEach((cell, id) => {
      const { kind, firstPin, pinCount } = cell;
      if (kind === "instance") return;
      if (level && (kind === "latch") !== (level === "-level_sensitive")) return;
      const pins = Array.from({ length: pinCount }, (_, i) => firstPin + i);
      if (!pins.some((pin) => objects.pinIsClock[pin])) return;
      const isClocked = (pin: number) => this.world.clocksAt(objects.pinNet[pin]).some((name) => clocks!.has(name));
      if (clocks && !pins.some((pin) => objects.pinIsClock[pin] && isClocked(pin))) return;
      if (what === "-cells") refs.push(refOf("cell", id));
      else
        for (const pin of pins) {
          const isClock = objects.pinIsClock[pin] === 1;
          const isOut = objects.pinIsOut[pin] === 1;
          if (what === "-clock_pins" ? isClock : what === "-output_pins" ? isOut : !isClock && !isOut)
            refs.push(refOf("pin", pin));
        }
    });
    call.interpreter.spend(objects.cells.length >> 3);
    return this.record(call, what === "-cells" ? "cell" : "pin", refs);
  }

  /**
   * Objects that an argument stands for: those of a query, or names, which are looked up in the order of the kinds that
   * the command takes. Names that nothing has are told.
   */
  resolve(call: Call, value: Value, at: number, kinds: readonly ObjectKind[]): number[] {
    const found: number[] = [];
    const seen = new Set<number>();
    const take = (item: Value): void => {
      if (item instanceof ObjectSet) {
        for (const ref of item.refs) {
          if (!kinds.includes(kindOf(ref)))
            call.fail(
              `'${this.nameOf(ref)}' is a ${kindOf(ref)}; here ${listOf(kinds)} can stand.`,
              `Use ${kinds.map((kind) => `get_${kind}s`).join(" or ")}.`,
              at,
            );
          if (!seen.has(ref)) {
            seen.add(ref);
            found.push(ref);
          }
        }
        return;
      }
      if (typeof item !== "string") {
        for (const each of itemsOf(item)!) take(each);
        return;
      }
      const items = itemsOf(item);
      if (items && items.length !== 1) {
        for (const each of items) take(each);
        return;
      }
      const text = items ? textOf(items[0]) : item;
      const options = { hierarchical: false, nocase: false, regexp: null };
      for (const kind of kinds) {
        const refs = this.match(kind, text, options, (names) => call.interpreter.spend(names >> 4));
        if (refs.length === 0) continue;
        for (const ref of refs)
          if (!seen.has(ref)) {
            seen.add(ref);
            found.push(ref);
          }
        return;
      }
      if (this.world.objects)
        call.interpreter.add({
          code: "sdc/no-match",
          severity: "warning",
          place: call.places(at),
          message: `Nothing is called '${cut(text)}'.`,
          remedy: this.suggestion(kinds[0], text),
        });
    };
    take(value);
    call.interpreter.spend(found.length >> 4);
    return found;
  }
}

const cut = (text: string) => (text.length > 60 ? `${text.slice(0, 60)}…` : text);
function listOf(kinds: readonly ObjectKind[]): string {
  const words = kinds.map((kind) => `${kind}s`);
  return words.length === 1 ? words[0] : `${words.slice(0, -1).join(", ")} or ${words[words.length - 1]}`;
}
