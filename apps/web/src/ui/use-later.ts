import { useEffect, useState } from "react";

/** The value, once it has stayed the same for so long. The first one is there at once. */
export function useLater<T>(value: T, pauseMs: number): T {
  const [later, setLater] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setLater(() => value), pauseMs);
    return () => clearTimeout(timer);
  }, [value, pauseMs]);
  return later;
}
