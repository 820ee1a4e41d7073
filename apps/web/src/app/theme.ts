type Theme = "light" | "dark";
const key = "gate-clock-theme";

export function storedTheme(): Theme {
  const stored = localStorage.getItem(key);
  if (stored === "light" || stored === "dark") return stored;
  return matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}

export function applyTheme(theme: Theme): void {
  document.documentElement.dataset["theme"] = theme;
}

export function toggleTheme(): Theme {
  const next = document.documentElement.dataset["theme"] === "dark" ? "light" : "dark";
  localStorage.setItem(key, next);
  applyTheme(next);
  // canvases take their colours once and must know
  dispatchEvent(new Event("gate-clock-theme"));
  return next;
}
