/**
 * Sealed processes: work on designs, and code that is made from designs, in a process that can reach nothing. No files,
 * no other processes, no network, no environment; an end of memory and of time. What goes in and out goes by messages.
 *
 * This is the side that starts such processes. What runs in one is a program of a single file (`scripts/bundle.js`) that
 * begins with `sealProcess` of `@gate-clock/sealed/inside`.
 */
export { FileChannel, type FileGrants, FileRefused, reasonOf } from "./file-channel.ts";
export { type Ending, endingText, type Limits, SealedProcess } from "./sealed-process.ts";
