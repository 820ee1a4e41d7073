import type { FamilyDescription, PartDescription } from "./family.ts";

export const felt: FamilyDescription = {
  name: "Felt",
  what: "Small and instant-on: the configuration is kept in flash on the die",
  configuration: "flash",
  lutInputs: 4,
  elementsPerTile: 4,
  elementsPerGroup: 4,
  wires: [
    { length: 1, perDirection: 6, taps: [1], fromOutputs: 4, fromWires: [4, 3] },
    { length: 4, perDirection: 4, taps: [1, 2, 4], fromOutputs: 4, fromWires: [3, 3] },
  ],
  pinFromOutputs: 3,
  pinFromWires: [8, 7],
  clockFromWires: 4,
  globalClocks: 2,
  regionClocks: 2,
  blockRows: 4,
  memory: "none",
  memoryPins: { inputs: 1, outputs: 1, bits: 16 },
  multiplier: "none",
  multiplierPins: { inputs: 1, outputs: 1 },
  padsPerTile: 2,
  delays: {
    lutPs: [610, 590, 540, 470],
    carryPs: 75,
    carryEntryPs: 190,
    carrySumPs: 160,
    clockToOutputPs: 560,
    setupPs: 120,
    holdPs: 85,
    bypassSetupPs: 95,
    memoryClockPs: 0,
    memoryRegisteredPs: 0,
    memorySetupPs: 0,
    multiplierPs: 0,
    multiplierAddPs: 0,
    multiplierClockPs: 0,
    multiplierSetupPs: 0,
    wirePs: [290, 520],
    pinMuxPs: 220,
    globalClockPs: 780,
    regionClockPs: 420,
    tileClockPs: 310,
    tileClockStepPs: 9,
    inputPadPs: 1380,
    outputPadPs: 2750,
  },
  gradeFactor: { "1": 1.2, "2": 1 },
  standards: [
    { name: "LVCMOS33", volts: 3.3, outputPs: 0, inputPs: 0 },
    { name: "LVTTL", volts: 3.3, outputPs: 60, inputPs: 50 },
    { name: "LVCMOS25", volts: 2.5, outputPs: 140, inputPs: 60 },
    { name: "LVCMOS18", volts: 1.8, outputPs: 420, inputPs: 180 },
  ],
};

const grades = ["1", "2"];
const p28 = { name: "P28", pinsPerSide: 7, supplyPlaces: [4], extraCost: 0 };
const p44 = { name: "P44", pinsPerSide: 11, supplyPlaces: [3, 9], extraCost: 0.08 };
const p68 = { name: "P68", pinsPerSide: 17, supplyPlaces: [4, 13], extraCost: 0.15 };

export const feltParts: readonly PartDescription[] = [
  {
    name: "FE-64",
    family: "Felt",
    idcode: 0x1fe040d1,
    columns: "LLLL",
    rows: 4,
    packages: [p44, p28],
    grades,
    banksPerSide: 1,
    cost: 1,
  },
  {
    name: "FE-256",
    family: "Felt",
    idcode: 0x1fe100d1,
    columns: "LLLLLLLL",
    rows: 8,
    packages: [p68, p44],
    grades,
    banksPerSide: 1,
    cost: 1.7,
  },
];
