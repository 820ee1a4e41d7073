import type { Signal } from "../../elaborate/model.ts";
import type { WaveSink } from "./recorder.ts";
import { VcdWriter } from "./vcd-write.ts";

/** Records into a value change dump. */
export class VcdSink implements WaveSink {
  private readonly writer: VcdWriter;

  constructor(write: (text: string) => void) {
    this.writer = new VcdWriter(write);
  }

  begin(precision: number): void {
    this.writer.timescale(precision);
  }

  declare(signal: Signal, path: readonly string[], name: string): void {
    const { type } = signal;
    const kind = type.kind === "real" || type.kind === "string" ? type.kind : signal.kind === "net" ? "wire" : "reg";
    const vector = type.kind === "integral" && (signal.width > 1 || type.dims.length > 0);
    const flat = vector && type.dims.length === 1;
    this.writer.declare(path, {
      name,
      kind,
      width: signal.width,
      msb: vector ? (flat ? signal.msb : signal.width - 1) : null,
      lsb: vector ? (flat ? signal.lsb : 0) : null,
    });
  }

  ready(): void {
    this.writer.ready();
  }
  time(steps: number): void {
    this.writer.time(steps);
  }
  bits(index: number, width: number, a: bigint, b: bigint): void {
    this.writer.bits(index, width, a, b);
  }
  narrow(index: number, width: number, a: number, b: number): void {
    this.writer.narrow(index, width, a, b);
  }
  real(index: number, value: number): void {
    this.writer.real(index, value);
  }
  text(index: number, value: string): void {
    this.writer.string(index, value);
  }
  end(steps: number): void {
    this.writer.end(steps);
  }
}
