import { useState } from "react";

/** A figure that is changed where it stands: Enter takes it, Escape leaves it as it was. */
export function InlineFigure({
  text,
  label,
  onChange,
}: {
  text: string;
  label: string;
  onChange: (text: string) => void;
}) {
  const [typed, setTyped] = useState<string | null>(null);
  const take = () => {
    if (typed !== null && typed.trim() !== "" && typed !== text) onChange(typed.trim());
    setTyped(null);
  };
  return (
    <input
      className="tabular w-14 rounded border border-transparent bg-transparent px-1 text-right hover:border-line focus:border-indigo focus:bg-raised"
      value={typed ?? text}
      aria-label={label}
      spellCheck={false}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") setTyped(null);
      }}
    />
  );
}
