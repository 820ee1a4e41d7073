import { promisify } from "node:util";
import { brotliDecompress } from "node:zlib";
import type { Request, Response } from "express";

const decompress = promisify(brotliDecompress);

/** Answers with MessagePack that is stored Brotli-compressed: as it is to whoever takes that, else unpacked. */
export async function sendPacked(request: Request, response: Response, bytes: Buffer): Promise<void> {
  response.setHeader("Cache-Control", "private, no-cache");
  response.type("application/vnd.msgpack");
  if (/\bbr\b/.test(String(request.headers["accept-encoding"] ?? ""))) {
    response.setHeader("Content-Encoding", "br");
    response.end(bytes);
  } else response.end(await decompress(bytes));
}
