import type { Problem } from "@gate-clock/contract";
import { type ArgumentsHost, Catch, type ExceptionFilter, HttpException, HttpStatus, Logger } from "@nestjs/common";
import type { Response } from "express";
import { EmptyResultError, ForeignKeyConstraintError, UniqueConstraintError } from "sequelize";
import { isOutage } from "../database/outage.ts";

const tooLarge = "The request is larger than 8 MB.";

/** Every error as problem details (RFC 9457). */
@Catch()
export class ProblemFilter implements ExceptionFilter {
  private readonly log = new Logger("Problem");

  catch(error: unknown, host: ArgumentsHost): void {
    const response = host.switchToHttp().getResponse<Response>();
    if (response.headersSent) {
      response.end();
      return;
    }
    const problem = this.describe(error);
    if (problem.status === 503) response.setHeader("Retry-After", "1");
    response.status(problem.status).type("application/problem+json").send(JSON.stringify(problem));
  }

  private describe(error: unknown): Problem {
    if (error instanceof HttpException) {
      const body = error.getResponse();
      const messages =
        typeof body === "object" && "message" in body ? (body as { message: unknown }).message : error.message;
      const status = error.getStatus();
      const title =
        typeof body === "object" && "error" in body
          ? String((body as { error: unknown }).error)
          : (HttpStatus[status] ?? "Error");
      if (Array.isArray(messages))
        return { type: "about:blank", title, status, detail: messages.join(" "), errors: messages.map(String) };
      return { type: "about:blank", title, status, detail: status === 413 ? tooLarge : String(messages) };
    }
    // body-parser's errors carry a status of their own
    const status = (error as { status?: unknown } | null)?.status;
    if (typeof status === "number" && status >= 400 && status < 500) {
      return {
        type: "about:blank",
        title: "Bad Request",
        status,
        detail: status === 413 ? tooLarge : (error as Error).message,
      };
    }
    if (isOutage(error)) {
      this.log.warn((error as Error).message);
      return {
        type: "about:blank",
        title: "Service Unavailable",
        status: 503,
        detail: "The database cannot be reached at the moment. It is tried again; nothing that was saved is lost.",
      };
    }
    // what the request was about has been deleted while it was carried out
    if (error instanceof ForeignKeyConstraintError || error instanceof EmptyResultError)
      return {
        type: "about:blank",
        title: "Not Found",
        status: 404,
        detail: "What this belongs to was deleted meanwhile.",
      };
    if (error instanceof UniqueConstraintError)
      return {
        type: "about:blank",
        title: "Conflict",
        status: 409,
        detail: "Somebody else has made the same meanwhile: load it again.",
      };
    this.log.error(error instanceof Error ? (error.stack ?? error.message) : String(error));
    return {
      type: "about:blank",
      title: "Internal Server Error",
      status: 500,
      detail: "Something went wrong in the server; its log has the details.",
    };
  }
}
