import { FileProblem, type InsideFiles } from "@gate-clock/sealed/inside";

const text = new TextDecoder();
const bytes = new TextEncoder();

/** What a command works with: files that are handed in and out, and where it prints. */
export class Session {
  private lastLook = 0;

  constructor(private readonly files: InsideFiles) {}

  /** Bytes of the design's own text, as they are. */
  write(printed: string): void {
    this.files.print("out", printed, "latin1");
  }
  out(line: string): void {
    this.files.print("out", `${line}\n`);
  }
  err(line: string): void {
    this.files.print("err", `${line}\n`);
  }

  kind(path: string): "file" | "folder" | null {
    return this.files.kind(path);
  }
  /** Null if there is no such file. @throws FileProblem if it may not be read. */
  readBytes(path: string): Uint8Array | null {
    return this.files.read(path);
  }
  readText(path: string): string | null {
    const found = this.files.read(path);
    return found && text.decode(found);
  }
  makeFolder(path: string): void {
    this.tried(path, () => this.files.makeFolder(path));
  }
  save(path: string, data: string | Uint8Array, append = false): void {
    this.tried(path, () => this.files.write(path, typeof data === "string" ? bytes.encode(data) : data, append));
  }
  /** Null if it may be written, else why not. */
  whyNotWritable(path: string): string | null {
    try {
      this.files.checkWritable(path);
      return null;
    } catch (error) {
      if (error instanceof FileProblem) return error.message;
      throw error;
    }
  }

  /** In long work: printed lines go out, and it ends if nobody is there any more. */
  look(): void {
    const now = performance.now();
    if (now - this.lastLook < 200) return;
    this.lastLook = now;
    this.files.checkAlive();
  }

  private tried(path: string, run: () => void): void {
    try {
      run();
    } catch (error) {
      if (error instanceof FileProblem && !error.isRefusal)
        throw new FileProblem(`${path} cannot be written: ${error.message}.`, false);
      throw error;
    }
  }
}
