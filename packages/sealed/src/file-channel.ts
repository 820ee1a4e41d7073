import { appendFile, mkdir, readFile, realpath, stat, writeFile } from "node:fs/promises";
import { dirname, isAbsolute, join, relative, resolve } from "node:path";
import type { Duplex } from "node:stream";
import type { FileAnswer, FileRequest } from "./file-messages.ts";
import { FrameReader, toFrame } from "./frames.ts";

/** Folders that a program may read and write below; single files beside them. Paths from the working folder on. */
export interface FileGrants {
  readonly read: readonly string[];
  readonly write: readonly string[];
}

/** A path outside of what was granted. */
export class FileRefused extends Error {}

interface Printer {
  /** @returns When more may come. */
  print(to: "out" | "err", text: string, encoding: "utf8" | "latin1"): Promise<void> | void;
}

/** Messages that may wait for the ones before them. */
const mostPending = 64;
/** Longest file that is handed over, in bytes. */
const longestFile = 512 * 2 ** 20;

/**
 * Hands files to a sealed program, as far as they have been granted, and takes what it prints and writes. Links are
 * followed before it is decided where a file lies.
 */
export class FileChannel {
  private constructor(
    private readonly read: readonly string[],
    private readonly write: readonly string[],
    private readonly printer: Printer,
  ) {}

  static async open(grants: FileGrants, printer: Printer): Promise<FileChannel> {
    const real = (paths: readonly string[]) => Promise.all(paths.map((path) => realOf(resolve(path))));
    return new FileChannel(await real(grants.read), await real(grants.write), printer);
  }

  /**
   * @param task First message to the program.
   * @returns The status that the program ends with; null if its stream ends before it says one.
   */
  serve(stream: Duplex, task: unknown): Promise<number | null> {
    const reader = new FrameReader();
    let work = Promise.resolve();
    let pending = 0;
    // who reads slowly is waited for, in the program too
    const then = (step: () => Promise<void> | void): void => {
      if (++pending === mostPending) stream.pause();
      work = work.then(step).then(() => {
        if (--pending < mostPending / 4 && stream.isPaused()) stream.resume();
      });
    };
    stream.write(toFrame(task));
    return new Promise((done, fail) => {
      let status: number | null = null;
      stream.on("data", (chunk: Buffer) => {
        let messages: unknown[];
        try {
          messages = reader.take(chunk);
        } catch (error) {
          fail(error as Error);
          return;
        }
        for (const message of messages as FileRequest[]) {
          if ("tell" in message) {
            // behind what was asked before it
            then(() => {
              if (message.tell === "done") status = message.status;
              else return this.printer.print(message.to, message.text, message.encoding);
            });
            continue;
          }
          then(async () => void stream.write(toFrame(await this.answer(message))));
        }
      });
      stream.on("error", () => {});
      stream.on("close", () => void work.then(() => done(status), fail));
    });
  }

  private async answer(request: Exclude<FileRequest, { tell: unknown }>): Promise<FileAnswer> {
    try {
      if (request.ask === "alive") return { done: true };
      const { path } = request;
      switch (request.ask) {
        case "kind":
          await this.check(path, "read");
          return { kind: await kindOf(path) };
        case "read": {
          const place = await this.check(path, "read");
          if ((await kindOf(place)) !== "file") return { bytes: null };
          const { size } = await stat(place);
          if (size > longestFile) return { failed: `${path} has ${size} bytes; at most ${longestFile} are read.` };
          return { bytes: await readFile(place) };
        }
        case "mayWrite":
          await this.check(path, "write");
          return { done: true };
        case "folder":
          await makeFolder(await this.check(path, "write"));
          return { done: true };
        case "write": {
          const place = await this.check(path, "write");
          await makeFolder(dirname(place));
          await (request.append ? appendFile : writeFile)(place, request.bytes);
          return { done: true };
        }
      }
    } catch (error) {
      if (error instanceof FileRefused) return { refused: error.message };
      return { failed: reasonOf(error as NodeJS.ErrnoException) };
    }
  }

  /** @returns Where it really lies. @throws FileRefused if that is outside. */
  private async check(path: string, how: "read" | "write"): Promise<string> {
    if (path.includes("\0")) throw new FileRefused("A file's name may not hold a zero character.");
    const place = await realOf(resolve(path));
    // what may be written may be read back
    const granted = how === "read" ? [...this.read, ...this.write] : this.write;
    if (granted.some((folder) => isWithin(place, folder))) return place;
    throw new FileRefused(
      `${path} lies outside of the folders that may be ${how === "read" ? "read" : "written"}; --allow-${how} ${dirname(path)} would allow it.`,
    );
  }
}

/** With those above it. Node's own way never comes back where a system says that a folder's place does not exist. */
async function makeFolder(path: string): Promise<void> {
  try {
    await mkdir(path);
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    if (code === "EEXIST" && (await kindOf(path)) === "folder") return;
    if (code !== "ENOENT" || dirname(path) === path || (await kindOf(dirname(path))) === "folder") throw error;
    await makeFolder(dirname(path));
    await mkdir(path);
  }
}

const isWithin = (place: string, folder: string): boolean => {
  const way = relative(folder, place);
  return way === "" || (!isAbsolute(way) && way !== ".." && !way.startsWith("../"));
};

/** With links followed, as far as it exists. */
async function realOf(path: string): Promise<string> {
  try {
    return await realpath(path);
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    const above = dirname(path);
    // a loop of links leads nowhere: as it is, it is outside of every folder
    if (code !== "ENOENT" || above === path) return path;
    return join(await realOf(above), path.slice(above.length));
  }
}

async function kindOf(path: string): Promise<"file" | "folder" | null> {
  try {
    const found = await stat(path);
    return found.isDirectory() ? "folder" : found.isFile() ? "file" : null;
  } catch {
    return null;
  }
}

export function reasonOf({ code, message }: NodeJS.ErrnoException): string {
  switch (code) {
    case "EACCES":
    case "EPERM":
      return "it may not be written by this account";
    case "EISDIR":
      return "it is a folder";
    case "ENOTDIR":
    case "EEXIST":
      return "a file stands where a folder would have to be";
    case "ENOENT":
      return "its folder is not there and cannot be made";
    case "ENOSPC":
      return "the disk is full";
    case "EROFS":
      return "the disk can only be read";
    case "ENAMETOOLONG":
      return "its name is too long";
    default:
      return message;
  }
}
