import type { ButtonHTMLAttributes } from "react";
import { twMerge } from "tailwind-merge";

type Look = "main" | "plain" | "quiet" | "danger";
const looks: Readonly<Record<Look, string>> = {
  main: "bg-indigo text-indigo-ink hover:brightness-110 font-semibold",
  plain: "border border-line bg-panel hover:bg-raised",
  quiet: "hover:bg-raised text-soft hover:text-ink",
  danger: "border border-bad text-bad hover:bg-bad-wash",
};

export function Button({
  look = "plain",
  className = "",
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { look?: Look }) {
  return (
    <button
      type="button"
      className={twMerge(
        "inline-flex h-8 items-center gap-1.5 rounded-md px-3 text-sm whitespace-nowrap disabled:opacity-50 disabled:hover:brightness-100",
        looks[look],
        className,
      )}
      {...rest}
    />
  );
}
