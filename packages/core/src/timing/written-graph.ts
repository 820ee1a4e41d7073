import type { CircuitObjects } from "../constraints/sdc/objects.ts";
import type { RuleObject } from "../constraints/sdc/rules.ts";
import type { BlockFamily } from "../device/blocks/description.ts";
import { blockClockFalls, blockOf, isClockMaker, isThroughPin } from "../device/blocks/registry.ts";
import { firstNet, type RtlCell, type RtlNetlist } from "../netlist/rtl.ts";
import type { ObjectPlaces } from "./bind-rules.ts";
import { arcKind, checkKind, type GraphPort, type PinGraph, PinGraphBuilder, sense } from "./pin-graph.ts";

/**
 * A circuit as written as a graph: which paths there are, and which clocks come where, without any delays. A pin for each
 * net, and for each pin of what holds state; logic is arcs between nets.
 */
interface WrittenGraph {
  readonly graph: PinGraph;
  readonly places: ObjectPlaces;
  /** [pins] Object pin (of `CircuitObjects`) of each, -1 for nets and others. */
  readonly objectPin: Int32Array;
}

const anyClock = { name: "", periodPs: 1, risePs: 0, fallPs: 0.5 };

/** O(bits of all cells). */
export function buildWrittenGraph(objects: CircuitObjects, family: BlockFamily): WrittenGraph {
  const { netlist } = objects;
  const nets = netlist.netCount;
  const pinCount = objects.pinNet.length;
  const builder = new PinGraphBuilder(nets + pinCount);
  const pinOf = (objectPin: number) => nets + objectPin;
  const isNet = (net: number) => net >= firstNet;
  const gates = new GateIndex(netlist);

  for (const cell of netlist.cells) addLogic(builder, cell, isNet);
  objects.cells.forEach((cell) => {
    if (cell.kind === "instance") return;
    const pins = Array.from({ length: cell.pinCount }, (_, i) => cell.firstPin + i);
    for (const pin of pins) {
      const net = objects.pinNet[pin];
      if (!isNet(net)) continue;
      if (objects.pinIsOut[pin]) builder.arc(pinOf(pin), net, arcKind.net);
      else builder.arc(net, pinOf(pin), arcKind.net);
    }
    const clocks = pins.filter((pin) => objects.pinIsClock[pin]);
    const outs = pins.filter((pin) => objects.pinIsOut[pin]);
    const rtl = netlist.cells[cell.rtl];
    if (cell.kind === "register") addRegister(pins, clocks, outs, rtl);
    else if (cell.kind === "latch") addLatch(pins, clocks[0], outs[0]);
    else if (cell.kind === "memory") addMemory(pins, clocks, outs, rtl);
    else addBlock(pins, clocks, outs, rtl);
  });

  function addRegister(
    pins: readonly number[],
    clocks: readonly number[],
    outs: readonly number[],
    rtl: RtlCell,
  ): void {
    const falls = !rtl.modes!.clockRising;
    const [clock] = clocks;
    builder.arc(pinOf(clock), pinOf(outs[0]), arcKind.launch, falls ? sense.negative : sense.positive);
    for (const pin of pins) {
      if (pin === clock || objects.pinIsOut[pin] || !isNet(objects.pinNet[pin])) continue;
      const isAsync = objects.pinName[pin] === "reset" && rtl.modes!.asyncReset;
      builder.check(pinOf(pin), pinOf(clock), isAsync ? checkKind.recovery : checkKind.register, falls);
    }
  }
  function addLatch(pins: readonly number[], enable: number, out: number): void {
    const data = pins.find((pin) => pin !== enable && !objects.pinIsOut[pin])!;
    builder.arc(pinOf(enable), pinOf(out), arcKind.launch);
    builder.arc(pinOf(data), pinOf(out), arcKind.latch);
    builder.check(pinOf(data), pinOf(enable), checkKind.latch, true);
  }
  function addMemory(pins: readonly number[], clocks: readonly number[], outs: readonly number[], rtl: RtlCell): void {
    const { writes } = rtl.memory!;
    clocks.forEach((clock, w) => {
      const falls = !writes[w];
      for (const out of outs)
        builder.arc(pinOf(clock), pinOf(out), arcKind.launch, falls ? sense.negative : sense.positive);
      for (const pin of pins) {
        const name = objects.pinName[pin];
        if (!name.startsWith("write_") || (clocks.length > 1 && !new RegExp(`^write_[a-z]+${w}(?:\\[|$)`).test(name)))
          continue;
        if (isNet(objects.pinNet[pin])) builder.check(pinOf(pin), pinOf(clock), checkKind.register, falls);
      }
    });
    // words read follow their address
    const hub = builder.pin();
    for (const pin of pins)
      if (objects.pinName[pin].startsWith("read_address") && isNet(objects.pinNet[pin]))
        builder.arc(pinOf(pin), hub, arcKind.cell, sense.both);
    for (const out of outs) builder.arc(hub, pinOf(out), arcKind.cell, sense.both);
  }
  function addBlock(pins: readonly number[], clocks: readonly number[], outs: readonly number[], rtl: RtlCell): void {
    const { modes, outputPins } = rtl.block!;
    const own = blockOf(modes);
    const { inputs, outputs } = own.pins(family);
    const dataPins = pins.filter((pin) => !objects.pinIsClock[pin] && !objects.pinIsOut[pin]);
    outs.forEach((out, i) => {
      const name = outputs[outputPins[i]];
      const isClock = isClockMaker(modes) && own.clockFrom!(modes, anyClock, name) !== null;
      if (isClock) for (const clock of clocks) builder.arc(pinOf(clock), pinOf(out), arcKind.clock);
      else if (own.isClocked(modes) && clocks.length) {
        const at = Math.min(own.clockOfPin(name), clocks.length - 1);
        builder.arc(
          pinOf(clocks[at]),
          pinOf(out),
          arcKind.launch,
          blockClockFalls(modes, at) ? sense.negative : sense.positive,
        );
      }
    });
    let at = 0;
    rtl.inputs.slice(0, rtl.inputs.length - own.clocks).forEach((bits, i) => {
      if (bits.length === 0) return;
      const pin = dataPins[at++];
      if (pin === undefined || !isNet(objects.pinNet[pin])) return;
      const name = inputs[i];
      if (own.isOutside?.(name)) return;
      if (isThroughPin(modes, name))
        for (const out of outs) builder.arc(pinOf(pin), pinOf(out), arcKind.cell, sense.both);
      else if (clocks.length) {
        const clock = Math.min(own.clockOfPin(name), clocks.length - 1);
        builder.check(pinOf(pin), pinOf(clocks[clock]), checkKind.register, blockClockFalls(modes, clock));
      }
    });
  }

  const ports: GraphPort[] = objects.ports.map(({ name, reads, drives }) => {
    const inPin = reads >= firstNet ? builder.pin() : -1;
    const outPin = drives >= 0 ? builder.pin() : -1;
    if (inPin >= 0) builder.arc(inPin, reads, arcKind.cell);
    if (outPin >= 0 && drives >= firstNet) builder.arc(drives, outPin, arcKind.cell);
    return { name, inPin, outPin };
  });
  for (const port of netlist.ports)
    port.enable?.forEach((net, i) => {
      const own = ports[objects.ports.findIndex(({ drives }) => drives === port.bits[i])];
      if (own && own.outPin >= 0 && net >= firstNet) builder.arc(net, own.outPin, arcKind.cell, sense.both);
    });
  for (const { inPin, outPin } of ports) if (inPin >= 0 && outPin >= 0) builder.arc(outPin, inPin, arcKind.net);

  const portOfPin = new Map<number, string>();
  for (const { name, inPin, outPin } of ports) {
    portOfPin.set(inPin, name);
    portOfPin.set(outPin, name);
  }
  const objectPin = new Int32Array(builder.pinCount).fill(-1);
  for (let pin = 0; pin < pinCount; pin++) objectPin[pinOf(pin)] = pin;
  const graph = builder.build(ports, {
    pinName(pin) {
      if (pin < nets) {
        const name = objects.nameOfNet(pin);
        return name < 0 ? `net ${pin}` : objects.netNames.names[name];
      }
      return portOfPin.get(pin) ?? (objectPin[pin] >= 0 ? objects.pinFullName(objectPin[pin]) : "inside");
    },
    heldLevel: (clockPin, gatePin) => gates.heldLevel(clockPin, gatePin),
  });
  return { graph, objectPin, places: writtenPlaces(objects, graph, pinOf) };
}

/** Arcs of a cell of logic, from net to net; wide ones meet in a pin of their own. */
function addLogic(builder: PinGraphBuilder, cell: RtlCell, isNet: (net: number) => boolean): void {
  const { kind, inputs, output } = cell;
  const arc = (from: number, to: number, how: number) => {
    if (isNet(from)) builder.arc(from, to, arcKind.cell, how);
  };
  switch (kind) {
    case "ff":
    case "latch":
    case "mem":
    case "block":
      return;
    case "not":
      output.forEach((net, i) => {
        arc(inputs[0][i], net, sense.negative);
      });
      return;
    case "and":
    case "or":
      output.forEach((net, i) => {
        for (const bits of inputs) arc(bits[i], net, sense.positive);
      });
      return;
    case "xor":
      output.forEach((net, i) => {
        for (const bits of inputs) arc(bits[i], net, sense.both);
      });
      return;
    case "mux":
      output.forEach((net, i) => {
        arc(inputs[0][0], net, sense.both);
        arc(inputs[1][i], net, sense.positive);
        arc(inputs[2][i], net, sense.positive);
      });
      return;
    case "add":
    case "sub": {
      // a carry only climbs
      let below = -1;
      output.forEach((net, i) => {
        const hub = builder.pin();
        for (const bits of inputs) arc(bits[i], hub, sense.both);
        if (below >= 0) builder.arc(below, hub, arcKind.cell, sense.both);
        builder.arc(hub, net, arcKind.cell, sense.both);
        below = hub;
      });
      return;
    }
    case "redand":
    case "redor":
      for (const net of inputs[0]) arc(net, output[0], sense.positive);
      return;
    default: {
      const hub = builder.pin();
      for (const bits of inputs) for (const net of bits) arc(net, hub, sense.both);
      for (const net of output) builder.arc(hub, net, arcKind.cell, sense.both);
    }
  }
}

/** Gates that two nets meet in. */
class GateIndex {
  private held: Map<string, 0 | 1> | null = null;
  constructor(private readonly netlist: RtlNetlist) {}

  heldLevel(clock: number, gate: number): 0 | 1 | null {
    if (!this.held) {
      this.held = new Map();
      for (const { kind, inputs } of this.netlist.cells) {
        if (kind !== "and" && kind !== "or") continue;
        const level = kind === "and" ? 0 : 1;
        inputs[0].forEach((a, i) => {
          this.held!.set(`${a} ${inputs[1][i]}`, level);
          this.held!.set(`${inputs[1][i]} ${a}`, level);
        });
      }
    }
    return this.held.get(`${clock} ${gate}`) ?? null;
  }
}

function writtenPlaces(objects: CircuitObjects, graph: PinGraph, pinOf: (pin: number) => number): ObjectPlaces {
  const ports = new Map(graph.ports.map(({ name }, i) => [name, i]));
  const cellsOf = (name: string, isInstance: boolean): readonly number[] => {
    if (!isInstance)
      return objects.cellNames
        .exact(name)
        .filter((c) => objects.cells[c].name === name && objects.cells[c].kind !== "instance");
    return [...objects.cells.keys()].filter(
      (c) => objects.cells[c].kind !== "instance" && objects.cells[c].name.startsWith(`${name}.`),
    );
  };
  const pinsOf = (c: number) =>
    Array.from({ length: objects.cells[c].pinCount }, (_, i) => objects.cells[c].firstPin + i);
  const checked = new Set<number>(graph.checkData);
  const outs = (c: number) => pinsOf(c).flatMap((pin) => (objects.pinIsOut[pin] ? [pinOf(pin)] : []));
  const datas = (c: number) => pinsOf(c).flatMap((pin) => (checked.has(pinOf(pin)) ? [pinOf(pin)] : []));
  const objectPinOf = (object: Extract<RuleObject, { kind: "pin" }>): number => {
    for (const c of cellsOf(object.cell, false))
      for (const pin of pinsOf(c)) if (objects.pinName[pin] === object.pin) return pin;
    return -1;
  };
  const netPins = (net: number): number[] => {
    if (net < firstNet) return [];
    const found = [net];
    for (const { name, reads } of objects.ports) if (reads === net) found.push(graph.ports[ports.get(name)!].inPin);
    return found;
  };
  const startsOfClock = (clockPin: number): number[] => {
    const found: number[] = [];
    for (let a = graph.outStart[clockPin]; a < graph.outStart[clockPin + 1]; a++)
      if (graph.arcKind[graph.outArc[a]] === arcKind.launch) found.push(graph.arcTo[graph.outArc[a]]);
    return found;
  };
  const port = (name: string) => graph.ports[ports.get(name) ?? -1];
  const places: ObjectPlaces = {
    port: (name) => ports.get(name) ?? -1,
    starts(object) {
      switch (object.kind) {
        case "port":
          return (port(object.name)?.inPin ?? -1) >= 0 ? [port(object.name).inPin] : [];
        case "cell":
          return cellsOf(object.name, object.what === "instance").flatMap(outs);
        case "pin": {
          const pin = objectPinOf(object);
          if (pin < 0) return [];
          if (objects.pinIsOut[pin]) return [pinOf(pin)];
          return objects.pinIsClock[pin] ? startsOfClock(pinOf(pin)) : [];
        }
        default:
          return [];
      }
    },
    ends(object) {
      switch (object.kind) {
        case "port":
          return (port(object.name)?.outPin ?? -1) >= 0 ? [port(object.name).outPin] : [];
        case "cell":
          return cellsOf(object.name, object.what === "instance").flatMap(datas);
        case "pin": {
          const pin = objectPinOf(object);
          if (pin < 0 || objects.pinIsOut[pin]) return [];
          if (checked.has(pinOf(pin))) return [pinOf(pin)];
          if (!objects.pinIsClock[pin]) return [];
          const found: number[] = [];
          graph.checkClock.forEach((clock, check) => {
            if (clock === pinOf(pin)) found.push(graph.checkData[check]);
          });
          return found;
        }
        default:
          return [];
      }
    },
    throughs(object) {
      switch (object.kind) {
        case "port": {
          const own = port(object.name);
          return own ? [own.inPin, own.outPin].filter((pin) => pin >= 0) : [];
        }
        case "net":
          return netPins(object.net);
        case "cell":
          return cellsOf(object.name, object.what === "instance").flatMap(outs);
        case "pin": {
          if (object.what === "instance") return netPins(object.net);
          const pin = objectPinOf(object);
          return pin < 0 ? [] : [pinOf(pin)];
        }
        default:
          return [];
      }
    },
    clockSources(object) {
      if (object.kind === "port") {
        const own = port(object.name);
        return own ? (own.inPin >= 0 ? [own.inPin] : own.outPin >= 0 ? [own.outPin] : []) : [];
      }
      return places.throughs(object);
    },
  };
  return places;
}
