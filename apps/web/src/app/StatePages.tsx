import { CircleAlert, LoaderCircle } from "lucide-react";
import type { ReactNode } from "react";
import { isRouteErrorResponse, Link, useRouteError } from "react-router";
import { Button } from "../ui/Button.tsx";

/** Loading, empty and failed states look alike everywhere, and each names the next step. */
export function LoadingPanel({ what }: { what: string }) {
  return (
    <div className="flex h-full items-center justify-center gap-2 p-8 text-soft" role="status">
      <LoaderCircle className="size-4 animate-spin" aria-hidden /> Loading {what}
    </div>
  );
}

export function EmptyPanel({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="mx-auto flex h-full max-w-md flex-col items-center justify-center gap-3 p-8 text-center">
      <h2 className="text-lg font-semibold">{title}</h2>
      <div className="text-soft">{children}</div>
    </div>
  );
}

export function ProblemPanel({ error, onRetry }: { error: Error; onRetry?: () => void }) {
  return (
    <div
      className="mx-auto flex h-full max-w-lg flex-col items-center justify-center gap-3 p-8 text-center"
      role="alert"
    >
      <CircleAlert className="size-6 text-bad" aria-hidden />
      <p>{error.message}</p>
      {onRetry && <Button onClick={onRetry}>Try again</Button>}
    </div>
  );
}

export function NotFoundPage() {
  return (
    <EmptyPanel title="There is nothing at this address">
      <Link className="text-indigo underline" to="/">
        Go to your designs
      </Link>
    </EmptyPanel>
  );
}

export function CrashPage() {
  const error = useRouteError();
  const message = isRouteErrorResponse(error)
    ? error.statusText
    : error instanceof Error
      ? error.message
      : String(error);
  return (
    <EmptyPanel title="This page stopped working">
      <p className="mb-3 font-mono text-xs">{message}</p>
      <p>
        Your design is safe on the server.{" "}
        <a className="text-indigo underline" href="/">
          Go to your designs
        </a>
      </p>
    </EmptyPanel>
  );
}
