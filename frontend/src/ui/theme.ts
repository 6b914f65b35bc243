/** Paper or booth; kept by the browser. */
export type Theme = "paper" | "booth";

const KEY = "wemble.theme";

export const currentTheme = (): Theme => (localStorage.getItem(KEY) === "booth" ? "booth" : "paper");

export function applyTheme(theme: Theme = currentTheme()): void {
  localStorage.setItem(KEY, theme);
  document.documentElement.dataset["theme"] = theme;
}

/** The colours of the theme, for canvases. */
export function inks(): Record<"sheet" | "shade" | "rule" | "ink" | "soft" | "wave" | "pale" | "head" | "tail" | "join" | "warn" | "on-ink", string> {
  const style = getComputedStyle(document.documentElement);
  const names = ["sheet", "shade", "rule", "ink", "soft", "wave", "pale", "head", "tail", "join", "warn", "on-ink"] as const;
  return Object.fromEntries(names.map((name) => [name, style.getPropertyValue(`--${name}`).trim()])) as ReturnType<typeof inks>;
}
