import { blockPinsOf } from "../device/blocks/registry.ts";
import { portOfPad } from "../netlist/made-names.ts";
import { cellKind, isLogic } from "../netlist/mapped.ts";
import { isAssumed } from "./assumed-clocks.ts";
import { type BuiltGraph, latchPin } from "./built-graph.ts";
import type { FoundPath } from "./paths.ts";
import { arcKind } from "./pin-graph.ts";
import type { CheckKind, PathStep, RuleRef, TimingPath } from "./report.ts";
import type { TimedCircuit } from "./timed-circuit.ts";
import type { TimingState } from "./timing-state.ts";

/** Makes of a path that was found one that people read: its steps, with names, places and times. */
export class PathWriter {
  private fanout: Int32Array | null = null;

  constructor(
    private readonly built: BuiltGraph,
    private readonly circuit: TimedCircuit,
    /** Clocks that were assumed are numbered from here on: paths of them have no goal. */
    private readonly declaredClocks: number,
  ) {}

  write(state: TimingState, corner: string, path: FoundPath, kind: TimingPath["kind"]): TimingPath {
    const { analysis } = state;
    const { search, entries, ends, rules, network, active } = analysis;
    const isSetup = path.kind !== "hold";
    const { entry } = path;
    const end = ends[entries.end[entry]];
    const info = entries.info[entries.infoOf[entry]];
    const node = entries.node[entry];
    const launch = search.launches[search.launch[path.vertices[0]]];
    const { most, least } = state.delays;
    const delayOf = (arc: number) => (isSetup ? most[arc] : least[arc]);
    const steps: PathStep[] = [];
    let at = 0;
    let cellPs = 0;
    let carries = 0;
    const { netlist } = this.built;
    const add = (what: PathStep["what"], name: string, net: number, cell: number, delayPs: number, isCell = false) => {
      at += delayPs;
      if (isCell) cellPs += delayPs;
      steps.push({
        what,
        name,
        net,
        cell,
        delayPs,
        arrivalPs: at,
        ...this.position(cell),
        origin: cell >= 0 ? netlist.origin[cell] : -1,
        fanout: net >= 0 ? this.fanoutOf(net) : 0,
      });
    };

    const startPin = search.pin[path.vertices[0]];
    const startCell = this.built.pinCell[startPin];
    const { launchClockPs, inputDelayPs } = this.begin(state, path, startCell, isSetup, add);
    let levels = 0;
    const { arcs } = path;
    const { arcTo } = active.graph;
    for (let i = 0; i < arcs.length; i++) {
      const arc = arcs[i];
      const to = arcTo[arc];
      const cell = this.built.pinCell[to];
      if (active.graph.arcKind[arc] === arcKind.net) {
        const net = to < netlist.inputNet.length ? netlist.inputNet[to] : -1;
        if (net >= 0 && this.circuit.hasWire(to)) add("net", netlist.netName[net], net, cell, delayOf(arc));
        continue;
      }
      const ownKind = netlist.kind[cell];
      if (ownKind === cellKind.inputPad) add("input pad", netlist.cellName[cell], -1, cell, delayOf(arc), true);
      else if (ownKind === cellKind.outputPad)
        add("output pad", portOfPad(netlist.cellName[cell]), -1, cell, delayOf(arc), true);
      else if (ownKind === cellKind.lut) {
        add("LUT", netlist.cellName[cell], -1, cell, delayOf(arc), true);
        levels++;
      } else if (isLogic(ownKind)) {
        // the climb through a chain is one step, however many elements it takes
        let last = cell;
        let climbPs = delayOf(arc);
        let links = 0;
        while (netlist.kind[last] === cellKind.carryMux && i + 2 < arcs.length) {
          const next = this.built.pinCell[arcTo[arcs[i + 2]]];
          if (!isLogic(netlist.kind[next]) || netlist.kind[next] === cellKind.lut) break;
          climbPs += delayOf(arcs[i + 1]) + delayOf(arcs[i + 2]);
          last = next;
          i += 2;
          links++;
        }
        add("carry", netlist.cellName[last], -1, last, climbPs, true);
        carries += links;
      } else if (ownKind === cellKind.block) add("block", netlist.cellName[cell], -1, cell, delayOf(arc), true);
    }
    const arrivalPs = at;
    const endCell = this.built.pinCell[end.pin];
    const required = state.requiredAt(entry);
    const outputDelayPs = end.io >= 0 ? rules.ioDelays[end.io].ps : 0;
    if (end.check >= 0 || end.kind === "gate") {
      const need = end.check < 0 ? 0 : isSetup ? state.delays.setup[end.check] : state.delays.hold[end.check];
      if (kind === "setup" || kind === "hold" || kind === "recovery" || kind === "removal")
        add(kind, netlist.cellName[endCell], -1, endCell, need);
    } else if (end.io >= 0)
      add("output delay", portOfPad(netlist.cellName[endCell]), -1, endCell, isSetup ? outputDelayPs : -outputDelayPs);
    const isMeasured = kind !== "input" && kind !== "output" && kind !== "through";
    const hasGoal = isMeasured && !(isSetup && isAssumed(analysis, entry, this.declaredClocks));
    const tagged = state.credit(entry);
    const requirement = isSetup ? info.setup + info.setupUncertainty : info.hold - info.holdUncertainty;
    const captureClockPs = node < 0 ? 0 : isSetup ? state.clockEarly[node] : state.clockLate[node];
    return {
      kind,
      corner,
      slackPs: hasGoal ? path.slackPs : null,
      from: this.startName(startPin, startCell),
      to: this.endName(end.pin, endCell, end.kind),
      launchClock: launch.clock < 0 ? "" : rules.clocks[launch.clock].name,
      captureClock: node < 0 ? "" : rules.clocks[network.clock[node]].name,
      requirementPs: hasGoal && Number.isFinite(requirement) ? requirement : null,
      uncertaintyPs: isSetup ? info.setupUncertainty : info.holdUncertainty,
      launchClockPs,
      captureClockPs,
      creditPs: path.creditPs,
      inputDelayPs,
      outputDelayPs,
      requiredPs: hasGoal
        ? isSetup
          ? required.late + path.creditPs - tagged
          : required.early - path.creditPs + tagged
        : null,
      arrivalPs,
      dataPs: arrivalPs - launchClockPs - inputDelayPs,
      cellPs,
      levels,
      carries,
      steps,
      rules: this.rulesOf(state, path, isSetup),
      group: info.rules.others.map((e) => rules.exceptions[e].group).find((name) => name !== "") ?? "",
    };
  }

  /** The first steps: a register's clock and output, an input from outside, a clock that is used as data. */
  private begin(
    state: TimingState,
    path: FoundPath,
    cell: number,
    isSetup: boolean,
    add: (what: PathStep["what"], name: string, net: number, cell: number, delayPs: number, isCell?: boolean) => void,
  ): { launchClockPs: number; inputDelayPs: number } {
    const { search, rules, network } = state.analysis;
    const { netlist } = this.built;
    if (path.seed < 0) {
      // time that an open latch passed on, since it opened
      const [first] = path.vertices;
      const late = Math.max(...state.latchTimes(first).map(({ ps }) => ps));
      add("latch", netlist.cellName[cell], -1, cell, late, true);
      return { launchClockPs: 0, inputDelayPs: 0 };
    }
    const node = search.seedNode[path.seed];
    const arc = search.seedArc[path.seed];
    const io = search.seedIo[path.seed];
    const clockPs = node < 0 ? 0 : isSetup ? state.clockLate[node] : state.clockEarly[node];
    const clock = node < 0 ? "" : rules.clocks[network.clock[node]].name;
    if (node >= 0) add("clock", clock, -1, cell, clockPs);
    if (arc >= 0) {
      const own = isSetup ? state.delays.most[arc] : state.delays.least[arc];
      add("clock to output", netlist.cellName[cell], -1, cell, own, true);
    }
    if (io >= 0) {
      const ps = isSetup ? search.seedMost[path.seed] : search.seedLeast[path.seed];
      add("input delay", netlist.cellName[cell], -1, cell, ps);
      return { launchClockPs: clockPs, inputDelayPs: ps };
    }
    return { launchClockPs: clockPs, inputDelayPs: 0 };
  }

  private startName(pin: number, cell: number): string {
    const { netlist, graph } = this.built;
    return netlist.kind[cell] === cellKind.inputPad ? graph.pinName(pin).replace(/\/o$/, "") : netlist.cellName[cell];
  }

  private endName(pin: number, cell: number, kind: string): string {
    const { netlist } = this.built;
    const name = netlist.cellName[cell];
    // a register may have the port's name
    if (netlist.kind[cell] === cellKind.outputPad) return portOfPad(name) + (kind === "output" ? " (output)" : "");
    if (kind === "gate") return `${name} (gate)`;
    const at = pin - netlist.inputStart[cell];
    let own = "";
    if (this.built.isLatch[cell]) own = at === latchPin.data ? "" : "enable";
    else if (netlist.kind[cell] === cellKind.flipFlop) own = ["", "clock", "enable", "reset"][at] ?? "";
    else if (netlist.kind[cell] === cellKind.block) {
      const { modes } = netlist.blocks[this.circuit.packed.cellBlock[cell]];
      own = pin >= netlist.inputNet.length ? "inside" : blockPinsOf(this.circuit.part.family, modes).inputs[at];
    }
    return own ? `${name} (${own})` : name;
  }

  /** Rules that a path's goal comes from, the deciding one first. */
  private rulesOf(state: TimingState, path: FoundPath, isSetup: boolean): RuleRef[] {
    const { search, entries, ends, rules, network } = state.analysis;
    const info = entries.info[entries.infoOf[path.entry]];
    const end = ends[entries.end[path.entry]];
    const node = entries.node[path.entry];
    const launch = search.launches[search.launch[path.vertices[0]]];
    const found: RuleRef[] = [];
    const deciding = isSetup ? info.rules.setup : info.rules.hold;
    for (const e of new Set([deciding, info.rules.setupCycles]))
      if (e >= 0) found.push({ list: "exceptions", number: rules.exceptions[e].rule });
    const clocks = new Set([launch.clock, node < 0 ? -1 : network.clock[node]]);
    for (const clock of clocks)
      if (clock >= 0 && clock < this.declaredClocks) found.push({ list: "clocks", number: clock });
    for (const io of [path.seed >= 0 ? search.seedIo[path.seed] : -1, end.io])
      if (io >= 0) found.push({ list: "ioDelays", number: rules.ioDelays[io].rule });
    return found;
  }

  private position(cell: number): { tileX: number; tileY: number } {
    const { fabric } = this.circuit.part;
    const tile = this.circuit.tileOf(cell);
    if (tile < 0) return { tileX: -1, tileY: -1 };
    return { tileX: fabric.tileX(tile), tileY: fabric.tileY(tile) };
  }

  private fanoutOf(net: number): number {
    if (!this.fanout) {
      this.fanout = new Int32Array(this.built.netlist.netCount);
      for (const each of this.built.netlist.inputNet) if (each >= 0) this.fanout[each]++;
    }
    return this.fanout[net];
  }
}

/** Which check a path's end is of. */
export function checkKindOf(kind: string, isSetup: boolean): CheckKind {
  if (kind === "recovery") return isSetup ? "recovery" : "removal";
  return isSetup ? "setup" : "hold";
}
