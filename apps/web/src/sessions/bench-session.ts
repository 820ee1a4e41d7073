import type { CornerName, ImageArtifact } from "@gate-clock/core";
import { proxy, type Remote } from "comlink";
import { connect } from "../engine/connect.ts";
import type { Bench, BenchFrame, ChainEntry, Limit, ProgramResult } from "../workers/bench.worker.ts";

export interface Programmed {
  readonly what: string;
  /** Key of the trial's image, null for a file from disk. */
  readonly key: string | null;
  readonly result: ProgramResult;
  readonly bytes: number;
  /** Port names by package pin, where they are known. */
  readonly ports: ReadonlyMap<string, string>;
}
interface BenchSnapshot {
  readonly frame: BenchFrame | null;
  readonly chain: readonly ChainEntry[] | null;
  /** Share of the bitstream that has gone in, null when none is under way. */
  readonly progress: number | null;
  readonly programmed: Programmed | null;
  /** Frequency that is tried while the oscillator is turned up; what came of it last. */
  readonly turning: number | null;
  readonly limit: Limit | null;
}

const nothing: BenchSnapshot = {
  frame: null,
  chain: null,
  progress: null,
  programmed: null,
  turning: null,
  limit: null,
};

/**
 * One board on the bench of one open design. It lives as long as the design is open, so that the board goes on running
 * while the engineer looks elsewhere. An outside store in React's sense: frames come thirty times a second.
 */
export class BenchSession {
  private snapshot: BenchSnapshot = nothing;
  private readonly listeners = new Set<() => void>();
  private worker: Worker | null = null;
  private remote: Remote<Bench> | null = null;
  private board = "";

  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };
  readonly getSnapshot = (): BenchSnapshot => this.snapshot;

  private set(change: Partial<BenchSnapshot>): void {
    this.snapshot = { ...this.snapshot, ...change };
    for (const listener of this.listeners) listener();
  }

  /** Puts a board on the bench; the one that lies there already stays. */
  open(board: string): void {
    if (this.worker && this.board === board) return;
    this.close();
    this.board = board;
    this.worker = new Worker(new URL("../workers/bench.worker.ts", import.meta.url), { type: "module" });
    this.remote = connect<Bench>(this.worker);
    void this.remote.open(
      board,
      proxy((frame: BenchFrame) => this.set({ frame })),
    );
  }

  close(): void {
    this.worker?.terminate();
    this.worker = null;
    this.remote = null;
    this.snapshot = nothing;
  }

  async power(on: boolean): Promise<void> {
    await this.remote?.power(on);
    this.set({ chain: null, programmed: null, limit: null });
  }

  async findChain(): Promise<void> {
    if (this.remote) this.set({ chain: await this.remote.findChain() });
  }

  async program(file: Uint8Array, what: string, image: ImageArtifact | null): Promise<void> {
    if (!this.remote || this.snapshot.progress !== null) return;
    this.set({ progress: 0, limit: null });
    const result = await this.remote.program(
      file,
      proxy((progress: number) => this.set({ progress })),
    );
    const ports = new Map(image?.ports.map((port) => [port.pin, port.port]));
    this.set({
      progress: null,
      programmed: { what, key: image?.designKey ?? null, result, bytes: file.length, ports },
    });
  }

  setSwitch(index: number, on: boolean): void {
    void this.remote?.setSwitch(index, on);
  }
  setButton(index: number, held: boolean): void {
    void this.remote?.setButton(index, held);
  }
  setFrequency(hz: number): void {
    void this.remote?.setFrequency(hz);
  }
  setDelays(corner: CornerName | null): void {
    this.set({ limit: null });
    void this.remote?.setDelays(corner);
  }
  async turnUp(): Promise<void> {
    if (!this.remote || this.snapshot.turning !== null) return;
    this.set({ turning: this.snapshot.frame?.state.frequencyHz ?? 0, limit: null });
    const limit = await this.remote.turnUp(proxy((turning: number) => this.set({ turning })));
    this.set({ turning: null, limit });
  }
  stopTurning(): void {
    void this.remote?.stopTurning();
  }
}
