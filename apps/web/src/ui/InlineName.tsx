import { type ReactNode, useState } from "react";

interface Props {
  readonly value: string;
  readonly label: string;
  readonly className?: string;
  readonly title?: string;
  readonly onClick?: () => void;
  readonly onName: (name: string) => void;
  readonly children: ReactNode;
}

/** A button that a double click turns into a field for its name. Enter keeps it, Escape does not. */
export function InlineName({ value, label, className = "", title, onClick, onName, children }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  if (typed === null)
    return (
      <button type="button" className={className} title={title} onClick={onClick} onDoubleClick={() => setTyped(value)}>
        {children}
      </button>
    );
  const done = () => {
    const name = typed.trim();
    if (name && name !== value) onName(name);
    setTyped(null);
  };
  return (
    <input
      ref={(element) => element?.focus()}
      className="h-5 min-w-0 flex-1 rounded border border-line bg-panel px-1 font-normal"
      aria-label={label}
      value={typed}
      maxLength={60}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={done}
      onKeyDown={(event) => {
        if (event.key === "Enter") done();
        if (event.key === "Escape") setTyped(null);
      }}
    />
  );
}
