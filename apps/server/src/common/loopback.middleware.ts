import type { NextFunction, Request, Response } from "express";

const ownHost = /^(127\.0\.0\.1|localhost|\[::1\])(:\d+)?$/i;

/**
 * Turns away requests that reach us under a foreign name: a page elsewhere could otherwise use the browser as a way
 * in (DNS rebinding, cross-site requests).
 */
export function refuseForeign(request: Request, response: Response, next: NextFunction): void {
  const { host, origin } = request.headers;
  const refuse = (detail: string) =>
    response
      .status(403)
      .type("application/problem+json")
      .send(JSON.stringify({ type: "about:blank", title: "Forbidden", status: 403, detail }));
  if (!host || !ownHost.test(host)) {
    refuse(`This server answers on its loopback address only, not as '${host ?? ""}'.`);
    return;
  }
  if (origin !== undefined) {
    let originHost = "";
    try {
      originHost = new URL(origin).host;
    } catch {
      // "null" and other opaque origins
    }
    if (originHost !== host) {
      refuse(`Requests from the origin '${origin}' are not accepted.`);
      return;
    }
  }
  next();
}
