import type { NextFunction, Request, Response } from "express";

/** What a page of ours may load and reach: ourselves. The page itself makes no code from text. */
const pagePolicy = [
  "default-src 'self'",
  "script-src 'self'",
  "style-src 'self' 'unsafe-inline'",
  "img-src 'self' data: blob:",
  "font-src 'self' data:",
  "connect-src 'self'",
  "worker-src 'self'",
  "object-src 'none'",
  "base-uri 'none'",
  "form-action 'none'",
  "frame-ancestors 'none'",
].join("; ");
/** Workers run code that is made from designs: they reach nothing at all, and load nothing more. */
const workerPolicy = "default-src 'none'; script-src 'unsafe-eval' 'wasm-unsafe-eval'; frame-ancestors 'none'";

export function setHeaders(request: Request, response: Response, next: NextFunction): void {
  const isWorker = /^\/assets\/[^/]*\.worker-[^/]*\.js$/.test(request.path);
  response.setHeader("Content-Security-Policy", isWorker ? workerPolicy : pagePolicy);
  response.setHeader("X-Content-Type-Options", "nosniff");
  response.setHeader("Referrer-Policy", "no-referrer");
  response.setHeader("Cross-Origin-Opener-Policy", "same-origin");
  response.setHeader("Cross-Origin-Resource-Policy", "same-origin");
  next();
}
