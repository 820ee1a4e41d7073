import type { RuleObject } from "../constraints/sdc/rules.ts";
import { cellKind, ffPin } from "../netlist/mapped.ts";
import type { ObjectPlaces } from "./bind-rules.ts";
import type { BuiltGraph } from "./built-graph.ts";
import { arcKind } from "./pin-graph.ts";

/** Where the objects that rules name are in the circuit as built: by name, by the net's other names, by origin. */
export function builtPlaces(built: BuiltGraph): ObjectPlaces {
  const { netlist, graph, outputPin } = built;
  const { cellCount, cellName, kind, inputStart, inputNet, netName, netDriver, origin, blocks } = netlist;
  const ports = new Map(graph.ports.map(({ name }, i) => [name, i]));
  const byName = new Map<string, number[]>();
  const byOrigin = new Map<number, number[]>();
  const put = <K>(map: Map<K, number[]>, key: K, cell: number) => {
    const list = map.get(key);
    if (list) list.push(cell);
    else map.set(key, [cell]);
  };
  const holdsState = (cell: number) =>
    kind[cell] === cellKind.flipFlop || kind[cell] === cellKind.block || built.isLatch[cell] === 1;
  for (let cell = 0; cell < cellCount; cell++) {
    if (!holdsState(cell)) continue;
    // copies of a register, made to share its loads, go by its name
    put(byName, cellName[cell].replace(/:copy\d+_*$/, ""), cell);
    if (origin[cell] >= 0) put(byOrigin, origin[cell], cell);
  }
  const names = [...byName.keys()];
  const nets = new Map(netName.map((name, net) => [name, net]));
  for (const { name, became, net } of netlist.fates)
    if (became === "another name of" && !nets.has(name)) nets.set(name, nets.get(net!)!);
  const blockAt = new Map(blocks.map((block) => [block.cell, block]));
  const outputsOfBlock = new Map<number, number[]>();
  for (let cell = 0; cell < cellCount; cell++)
    if (kind[cell] === cellKind.blockOutput) put(outputsOfBlock, netDriver[inputNet[inputStart[cell]]], cell);

  const cellsOf = (name: string, what: string, rtl: number): readonly number[] => {
    if (what === "instance")
      return names.filter((each) => each.startsWith(`${name}.`)).flatMap((each) => byName.get(each)!);
    return byName.get(name) ?? (what === "memory" ? (byOrigin.get(rtl) ?? []) : []);
  };
  /** Output pins of a cell where data begins. */
  const outputs = (cell: number): number[] =>
    (kind[cell] === cellKind.block ? (outputsOfBlock.get(cell) ?? []) : [cell]).map(outputPin);
  const checksOf = new Map<number, number[]>();
  graph.checkData.forEach((pin, check) => {
    put(checksOf, built.pinCell[pin], check);
  });
  const dataPins = (cell: number): number[] => (checksOf.get(cell) ?? []).map((check) => graph.checkData[check]);
  const namedPin = (cell: number, pin: string): number => {
    const wanted = pin.toLowerCase();
    for (let slot = inputStart[cell]; slot < inputStart[cell + 1]; slot++)
      if (
        graph
          .pinName(slot)
          .slice(cellName[cell].length + 1)
          .toLowerCase() === wanted
      )
        return slot;
    return -1;
  };
  const clockSlot = (cell: number, pin: string): number => {
    if (kind[cell] === cellKind.flipFlop) return pin === "clk" ? inputStart[cell] + ffPin.clock : -1;
    const block = blockAt.get(cell);
    if (!block) return namedPin(cell, pin);
    const clocks = inputStart[cell + 1] - inputStart[cell] - block.inputNames.length;
    const which = clocks > 1 ? Number(/\d+$/.exec(pin)?.[0] ?? 0) : 0;
    return inputStart[cell] + block.inputNames.length + which;
  };
  const netPins = (aliases: readonly string[]): number[] => {
    const found = new Set<number>();
    for (const name of aliases) {
      const net = nets.get(name);
      if (net !== undefined) found.add(outputPin(netDriver[net]));
      const port = ports.get(name);
      if (port !== undefined && graph.ports[port].inPin >= 0) found.add(graph.ports[port].inPin);
    }
    return [...found];
  };
  const isClockPin = (object: Extract<RuleObject, { kind: "pin" }>) =>
    !object.isOut &&
    (/^cl(?:oc)?k/.test(object.pin) ||
      object.pin.includes("clock") ||
      (object.what === "latch" && object.pin === "en"));

  return {
    port: (name) => ports.get(name) ?? -1,
    starts(object) {
      switch (object.kind) {
        case "port": {
          const port = ports.get(object.name);
          return port === undefined || graph.ports[port].inPin < 0 ? [] : [graph.ports[port].inPin];
        }
        case "cell":
          return cellsOf(object.name, object.what, object.rtl).flatMap(outputs);
        case "pin": {
          if (object.what === "instance") return netPins(object.aliases).filter((pin) => isStart(pin));
          if (!object.isOut && !isClockPin(object)) return [];
          const own = cellsOf(object.cell, object.what, object.rtl).flatMap(outputs);
          if (!object.isOut || object.what === "register" || object.what === "latch") return own;
          const wanted = new Set(netPins(object.aliases));
          return own.filter((pin) => wanted.has(pin));
        }
        default:
          return [];
      }
    },
    ends(object) {
      switch (object.kind) {
        case "port": {
          const port = ports.get(object.name);
          return port === undefined || graph.ports[port].outPin < 0 ? [] : [graph.ports[port].outPin];
        }
        case "cell":
          return cellsOf(object.name, object.what, object.rtl).flatMap(dataPins);
        case "pin": {
          if (object.isOut || object.what === "instance") return [];
          const cells = cellsOf(object.cell, object.what, object.rtl);
          if (isClockPin(object))
            return cells.flatMap((cell) => {
              const clock = clockSlot(cell, object.pin);
              return (checksOf.get(cell) ?? []).flatMap((check) =>
                graph.checkClock[check] === clock ? [graph.checkData[check]] : [],
              );
            });
          return cells.flatMap((cell) => {
            const slot = namedPin(cell, object.pin);
            return slot >= 0 && dataPins(cell).includes(slot) ? [slot] : [];
          });
        }
        default:
          return [];
      }
    },
    throughs(object) {
      switch (object.kind) {
        case "port": {
          const port = ports.get(object.name);
          if (port === undefined) return [];
          const { inPin, outPin } = graph.ports[port];
          return [inPin, outPin].filter((pin) => pin >= 0);
        }
        case "net":
          return netPins(object.aliases);
        case "cell":
          return cellsOf(object.name, object.what, object.rtl).flatMap((cell) => outputs(cell));
        case "pin": {
          if (object.what === "instance") return netPins(object.aliases);
          const cells = cellsOf(object.cell, object.what, object.rtl);
          if (object.isOut) {
            const wanted = new Set(netPins(object.aliases));
            const own = cells.flatMap(outputs);
            return object.what === "register" || object.what === "latch" ? own : own.filter((pin) => wanted.has(pin));
          }
          return cells.flatMap((cell) => {
            const slot = isClockPin(object) ? clockSlot(cell, object.pin) : namedPin(cell, object.pin);
            return slot >= 0 ? [slot] : [];
          });
        }
        default:
          return [];
      }
    },
    clockSources(object) {
      if (object.kind === "port") {
        const port = ports.get(object.name);
        if (port === undefined) return [];
        const { inPin, outPin } = graph.ports[port];
        return inPin >= 0 ? [inPin] : outPin >= 0 ? [outPin] : [];
      }
      return this.throughs(object);
    },
  };

  function isStart(pin: number): boolean {
    for (let a = graph.inStart[pin]; a < graph.inStart[pin + 1]; a++)
      if (graph.arcKind[graph.inArc[a]] === arcKind.launch) return true;
    return false;
  }
}
