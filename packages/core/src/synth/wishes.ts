import { AttributeLookup, type SynthAttributes } from "../netlist/attributes.ts";
import { firstNet, type RtlCell, type RtlNetlist } from "../netlist/rtl.ts";

/** What the source asks for, found by cell or net. */
export class Wishes {
  /** Nets that must stay, constants left out. */
  readonly kept: ReadonlySet<number>;
  private readonly lookup: AttributeLookup;

  constructor({ attributes, signals }: Pick<RtlNetlist, "attributes" | "signals">) {
    this.lookup = new AttributeLookup(attributes);
    const kept = new Set<number>();
    if (!this.lookup.isEmpty)
      for (const { name, bits } of signals)
        if (this.lookup.of(name).keep) for (const net of bits) if (net >= firstNet) kept.add(net);
    this.kept = kept;
  }

  of(cell: RtlCell): SynthAttributes {
    return this.lookup.of(cell.name);
  }
}
