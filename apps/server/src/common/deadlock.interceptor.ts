import { type CallHandler, type ExecutionContext, Injectable, type NestInterceptor } from "@nestjs/common";
import { type Observable, retry, throwError, timer } from "rxjs";
import { isDeadlock } from "../database/outage.ts";

/**
 * Two requests that wait for each other's rows: the database ends one of them, with all that it did undone. Nobody needs
 * to know; it is carried out again.
 */
@Injectable()
export class DeadlockInterceptor implements NestInterceptor {
  intercept(_: ExecutionContext, next: CallHandler): Observable<unknown> {
    return next.handle().pipe(
      retry({
        count: 5,
        delay: (error: unknown, attempt) =>
          isDeadlock(error) ? timer(attempt * 20 + Math.random() * 50) : throwError(() => error),
      }),
    );
  }
}
