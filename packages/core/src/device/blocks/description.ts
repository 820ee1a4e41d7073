import type { DelayTable, FamilyDescription, PartDescription } from "../family.ts";

/** Modes of a hard block: what its configuration bits say. Each description gives its own. */
export interface BlockModes {
  readonly type: string;
}

/** What stages that place nothing need to know of a family's hard blocks. */
export type BlockFamily = Pick<
  FamilyDescription,
  "name" | "lutInputs" | "memory" | "memoryPins" | "multiplier" | "blockRows"
>;

/** Pins by name. Behind the input pins come the clocks, which have none. */
export interface BlockPins {
  readonly inputs: readonly string[];
  readonly outputs: readonly string[];
  readonly clocks: number;
}

/** The grid that blocks have their places on. */
export interface BlockGrid {
  readonly family: FamilyDescription;
  readonly part: PartDescription;
  readonly width: number;
  readonly height: number;
  /** Bottom left, bottom right, top left, top right. */
  readonly cornerTiles: readonly number[];
  tileKind(tile: number): string;
}

/** Where a block lies: in tiles of a kind of its own, in columns of their own; or in the corners, beside the clock muxes. */
type BlockTile =
  | {
      readonly kind: string;
      /** Letter of its columns in a part's description. */
      readonly column: string;
      /** Of the order in which the muxes of its tiles are dealt. */
      readonly seed: number;
      /** What it is told by on the die map: lines through points of a tile from (0, 0), its foot's corner, to (1, 1). */
      readonly mark: readonly (readonly (readonly [x: number, y: number])[])[];
      /** Pins of each tile, as its routing nodes are named. */
      outputs(family: FamilyDescription): readonly string[];
      inputs(family: FamilyDescription): readonly string[];
    }
  | {
      readonly kind: "corner";
      /** How many there are, and in which corner each. */
      count(family: FamilyDescription): number;
      corner(index: number): number;
      /** Outputs that are clocks, which lead to the clock network; other outputs; inputs; inputs that are clocks. */
      readonly clockOutputs: readonly string[];
      readonly outputs: readonly string[];
      readonly inputs: readonly string[];
      readonly clockInputs: readonly string[];
    };

/** Configuration fields of one block: row 0 is its foot tile, others lie above. */
export interface BlockConfig {
  readonly family: FamilyDescription;
  get(name: string, row?: number): number;
  set(name: string, value: number | boolean, row?: number): void;
  /** A long field as hex, its bit 0 last. */
  getHex(name: string, row: number): string;
  setHex(name: string, row: number, hex: string): void;
}

/** A clock on its way. Times in ps. */
export interface BlockClock {
  readonly name: string;
  readonly periodPs: number;
  readonly risePs: number;
  readonly fallPs: number;
}

/** A module by which a design asks for the block, since no operator of the language stands for it. */
interface BlockModule<M extends BlockModes> {
  readonly name: string;
  /** What it does in simulation (IEEE 1364-2005). It begins with a comment that says what it is. */
  readonly text: string;
  /** Pins of the block, which are alike in all families. */
  readonly pins: BlockPins;
  /** Ports in the order of the block's pins, the clocks last; and of its outputs. */
  readonly inputs: readonly string[];
  readonly outputs: readonly string[];
  /** @param wrong Tells a finding about a parameter: code, message, remedy. */
  modes(instance: ModuleInstance, wrong: (code: string, message: string, remedy: string) => void): M;
}
interface ModuleInstance {
  readonly name: string;
  readonly parameters: ReadonlyMap<string, number>;
}

/** Pieces of structural Verilog around one block. */
export interface BlockText {
  readonly instance: string;
  /** A pin's net, or a text where nothing leads to it. */
  one(name: string, open: string): string;
  /** Pins NAME0, NAME1 ..., most significant first; 0 where nothing leads to one. */
  vector(name: string, count: number): string;
  clock(index: number): string;
  /** Net at an output, or nothing. */
  output(name: string): string;
  /** Declares a wire for outputs NAME0, NAME1 ... and ties it to what reads them. @returns Its name. */
  outVector(name: string, count: number): string;
  /** Input pins NAME0, NAME1 ... */
  count(name: string): number;
}

/**
 * A hard block of the part, all that stages need of it. Assembler, decoder, timing, SDF, structural Verilog, symbols, data sheets and
 * rules go by it; what it does while the part runs is told in `silicon/blocks`. Delays are of the largest, at slow-hot, grade
 * factor 1, in ps.
 */
export interface BlockDescription<M extends BlockModes = BlockModes> {
  readonly type: M["type"];
  /** What people call one and several. */
  readonly one: string;
  readonly several: string;
  /** Counts of it are shown even where a part has none. */
  readonly isAlwaysCounted?: boolean;

  /** Clocks that it has; as many as `pins` says. */
  readonly clocks: number;
  pins(family: BlockFamily): BlockPins;
  readonly tile: BlockTile;
  /** Foot tiles of its places. */
  sites(grid: BlockGrid): readonly number[];
  /** Tile of a pin (0 at its foot, counted upwards), and what the pin is called there. Clocks are inputs behind the others. */
  pinAt(family: FamilyDescription, direction: "inputs" | "outputs", pin: number): { row: number; name: string };
  /** True for pins that lead out of the part, not into its routing. */
  isOutside?(pin: string): boolean;
  /** Placement leaves it where it is put first. */
  readonly stays: boolean;
  /** It does something outside of the part even if nothing inside reads it. */
  readonly runsAlone?: boolean;

  /** Field that switches it on, and the others of its foot tile with their bits. */
  readonly onField: string;
  fields(family: FamilyDescription): Readonly<Record<string, number>>;
  write(config: BlockConfig, modes: M): void;
  read(config: BlockConfig): M;
  /** The modes without what it holds, which is of no account to layout. */
  withoutContents?(modes: M): M;

  /** True if it is the falling edge of a clock that counts. */
  clockFalls(modes: M, clock: number): boolean;
  /** Clock that an input or output pin goes by. */
  clockOfPin(pin: string): number;
  /** Some output follows a clock. */
  isClocked(modes: M): boolean;
  /** A change at an input pin passes to the outputs without waiting for a clock. None does where it is left out. */
  isThrough?(modes: M, pin: string): boolean;
  /** Of a maker of clocks: what comes out for a clock that goes in; null for outputs that are none. */
  clockFrom?(modes: M, clock: BlockClock, output: string): BlockClock | null;
  /** The clock that comes out is kept in step with the one that goes in. */
  readonly isAligned?: boolean;
  /** How far a clock that comes out moves by itself from one period to the next, in ps; left out where it moves as what goes in. */
  jitterPs?(modes: M, periodPs: number, output: string, family: FamilyDescription): number;
  /** Findings about a clock at its input, in MHz. */
  checkClock?(modes: M, mhz: number, family: FamilyDescription): ClockFault | null;

  /** Clock to output, for one that is clocked. */
  clockPs(delays: DelayTable, modes: M, output: string): number;
  /** Setup of an input pin before its clock. */
  setupPs(delays: DelayTable, modes: M, input: string): number;
  /** From register to register inside, clock to output and setup included; null if none follows another. */
  insidePs?(delays: DelayTable, modes: M): number | null;
  /** Least period of its clock, for one that needs more than its paths say. */
  periodPs?(delays: DelayTable, modes: M): number;
  /** Pin to output where no register lies between. */
  throughPs?(delays: DelayTable, input: string): number;

  /** Null for blocks that synthesis makes of operators. */
  readonly module: BlockModule<M> | null;
  readonly verilog: {
    /** The model that structural Verilog instantiates (IEEE 1364-2005). */
    readonly model: string;
    instance(modes: M, text: BlockText, pins: BlockPins): string;
    /** The model's port, or bit of one, that a pin is: of an input or output by its name, of a clock by its number. */
    pin(pin: string | number): string;
  };

  /** How it is drawn: the kind of node, and what stands in it. */
  readonly symbol: { readonly kind: "memory" | "multiplier" | "part block"; readonly text: string };
  /** Beside its symbol, for people: what this one does. */
  words(modes: M): readonly string[];
  readonly dataSheet: {
    /** `- **Name**: ...`; null where no part of the family has it. */
    line(family: FamilyDescription, dies: readonly PartDescription[]): string | null;
    delays(delays: DelayTable): readonly [string, string];
  };
}

/** What is wrong with a clock at a block: both are ends of sentences about it. */
interface ClockFault {
  message(clock: string, block: string): string;
  readonly remedy: string;
}

export const span = (name: string, count: number): string[] => Array.from({ length: count }, (_, i) => `${name}${i}`);
