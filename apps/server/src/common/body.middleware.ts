import { BadRequestException } from "@nestjs/common";
import type { NextFunction, Request, Response } from "express";

/** Deepest nesting of what a request holds. */
const deepest = 64;

/** Refuses what no text can keep, and what is nested deeper than anybody means, before anything looks into it. */
export function checkBody(request: Request, _response: Response, next: NextFunction): void {
  next(problemOf(request.body) ?? problemOf(safelyDecoded(request.path)));
}

function safelyDecoded(path: string): string | null {
  try {
    return decodeURIComponent(path);
  } catch {
    return "\ud800"; // no text: refused as one
  }
}

function problemOf(body: unknown): BadRequestException | undefined {
  const stack: { readonly value: unknown; readonly depth: number; readonly name: string }[] = [
    { value: body, depth: 0, name: "The request" },
  ];
  for (let top = stack.pop(); top; top = stack.pop()) {
    const { value, depth, name } = top;
    if (typeof value === "string") {
      if (value.includes("\0")) return new BadRequestException(`${name} holds a zero character: that is no text.`);
      if (/\p{Cs}/u.test(value))
        return new BadRequestException(`${name} holds half of a character (a lone surrogate): that is no text.`);
    } else if (typeof value === "object" && value !== null) {
      if (depth === deepest) return new BadRequestException(`The request is nested deeper than ${deepest} levels.`);
      for (const [key, each] of Object.entries(value)) {
        if (/\0|\p{Cs}/u.test(key)) return new BadRequestException(`A name in ${name} is no text.`);
        stack.push({ value: each, depth: depth + 1, name: /^\d+$/.test(key) ? name : `'${key.slice(0, 60)}'` });
      }
    }
  }
  return undefined;
}
