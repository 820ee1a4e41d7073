import type { HierarchyNode, RtlNetlist } from "../../netlist/rtl.ts";
import { CircuitObjects } from "./objects.ts";
import { timingCommands } from "./read.ts";
import { quoteElement } from "./values.ts";

/** A name that may stand at the end of what is typed. */
export interface TimingName {
  readonly name: string;
  /** What takes the place of the typed word: in braces where the name would not be one word by itself. */
  readonly text: string;
  readonly kind: "command" | "query" | "clock" | "port" | "cell" | "pin" | "net";
}

/** Names shown at once: whoever wants another types on. */
const mostNames = 80;

const queries = [
  "get_ports",
  "get_cells",
  "get_pins",
  "get_nets",
  "get_clocks",
  "all_inputs",
  "all_outputs",
  "all_clocks",
  "all_registers",
] as const;

/** The word that is being typed at the end of a line: a name with its levels and indexes. */
export const typedWord = /[\w$][\w$./]*(?:\[\d*\]?[\w$./]*)*$/;

/** Completes lines of timing files from the names of a circuit as written. */
export class TimingCompleter {
  private readonly objects: CircuitObjects;
  private readonly lists = new Map<TimingName["kind"], readonly string[]>();

  constructor(netlist: RtlNetlist, hierarchy: HierarchyNode | null) {
    this.objects = new CircuitObjects(netlist, hierarchy);
  }

  /** @param before The line up to the cursor. @param clocks Names of those that are declared. */
  complete(before: string, clocks: readonly string[]): TimingName[] {
    const typed = typedWord.exec(before)?.[0] ?? "";
    const stem = before.slice(0, before.length - typed.length);
    if (/^\s*$/.test(stem)) return this.of("command", timingCommands, typed, stem);
    if (/\[\s*$/.test(stem)) return this.of("query", queries, typed, stem);
    const query = /\[\s*get_(ports|cells|pins|nets|clocks)\b[^\]]*$/.exec(stem)?.[1];
    switch (query) {
      case "ports":
        return this.of("port", this.objects.portNames.names, typed, stem);
      case "cells":
        return this.of("cell", this.objects.cellNames.names, typed, stem);
      case "nets":
        return this.of("net", this.objects.netNames.names, typed, stem);
      case "pins":
        return this.of("pin", this.pins(), typed, stem);
      case "clocks":
        return this.of("clock", clocks, typed, stem);
    }
    if (/-(?:clock|fall_clock|rise_clock|group|master_clock)\s+\{?[^}]*$/.test(stem))
      return this.of("clock", clocks, typed, stem);
    return [...this.of("clock", clocks, typed, stem), ...this.of("port", this.objects.portNames.names, typed, stem)];
  }

  private pins(): readonly string[] {
    let list = this.lists.get("pin");
    if (!list) {
      list = Array.from(this.objects.pinCell, (_, pin) => this.objects.pinFullName(pin));
      this.lists.set("pin", list);
    }
    return list;
  }

  /** Names that begin with what is typed, then those that hold it. */
  private of(kind: TimingName["kind"], names: readonly string[], typed: string, stem: string): TimingName[] {
    const wanted = typed.toLowerCase();
    const first: string[] = [];
    const others: string[] = [];
    for (const name of names) {
      const at = name.toLowerCase().indexOf(wanted);
      if (at === 0) first.push(name);
      else if (at > 0 && others.length < mostNames) others.push(name);
      if (first.length >= mostNames) break;
    }
    const isBraced = /\{[^}]*$/.test(stem);
    return [...new Set([...first, ...others])].slice(0, mostNames).map((name) => ({
      name,
      text: isBraced ? name : quoteElement(name),
      kind,
    }));
  }
}
