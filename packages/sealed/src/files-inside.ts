import { Buffer } from "node:buffer";
import { readSync, writeSync } from "node:fs";
import type { FileAnswer, FileRequest } from "./file-messages.ts";
import { FrameReader, toFrame } from "./frames.ts";

/** Number of the stream by which files come in; the starter opens it. */
const channel = 3;
/** Printed text is gathered up to so many characters. */
const printedAtOnce = 16_384;

/** A file that may not be read or written, or could not. */
export class FileProblem extends Error {
  constructor(
    message: string,
    readonly isRefusal: boolean,
  ) {
    super(message);
  }
}

/** Files by way of the process that started this one. Every call waits for its answer. */
export class InsideFiles {
  private readonly reader = new FrameReader();
  private readonly buffer = Buffer.allocUnsafe(65_536);
  private readonly waiting: unknown[] = [];
  private printed: { readonly to: "out" | "err"; readonly encoding: "utf8" | "latin1"; text: string } | null = null;

  /** Its bytes; null if there is no such file. @throws FileProblem */
  read(path: string): Uint8Array | null {
    const answer = this.ask({ ask: "read", path });
    return "bytes" in answer ? answer.bytes : null;
  }
  kind(path: string): "file" | "folder" | null {
    const answer = this.ask({ ask: "kind", path });
    return "kind" in answer ? answer.kind : null;
  }
  /** @throws FileProblem if it may not be written. */
  checkWritable(path: string): void {
    this.ask({ ask: "mayWrite", path });
  }
  makeFolder(path: string): void {
    this.ask({ ask: "folder", path });
  }
  write(path: string, bytes: Uint8Array, append = false): void {
    this.ask({ ask: "write", path, bytes, append });
  }

  /** Fails if whoever started this process is gone. */
  checkAlive(): void {
    this.ask({ ask: "alive" });
  }
  /** The first message: what this process is to do. */
  task(): unknown {
    return this.receive();
  }

  print(to: "out" | "err", text: string, encoding: "utf8" | "latin1" = "utf8"): void {
    const { printed } = this;
    if (printed && printed.to === to && printed.encoding === encoding) printed.text += text;
    else {
      this.flush();
      this.printed = { to, encoding, text };
    }
    if (this.printed!.text.length > printedAtOnce) this.flush();
  }
  flush(): void {
    if (!this.printed) return;
    this.send({ tell: "print", ...this.printed });
    this.printed = null;
  }
  done(status: number): void {
    this.flush();
    this.send({ tell: "done", status });
  }

  private ask(request: FileRequest): FileAnswer {
    this.flush();
    this.send(request);
    const answer = this.receive() as FileAnswer;
    if ("refused" in answer) throw new FileProblem(answer.refused, true);
    if ("failed" in answer) throw new FileProblem(answer.failed, false);
    return answer;
  }

  private receive(): unknown {
    while (this.waiting.length === 0) {
      const count = readSync(channel, this.buffer);
      if (count === 0) throw new Error("The process that hands over files is gone.");
      this.waiting.push(...this.reader.take(Buffer.from(this.buffer.subarray(0, count))));
    }
    return this.waiting.shift();
  }

  private send(request: FileRequest): void {
    const frame = toFrame(request);
    for (let at = 0; at < frame.length; ) at += writeSync(channel, frame, at);
  }
}
