/** Paper or booth; kept by the browser. */
export type Theme = "paper" | "booth";

const KEY = "wemble.theme";

export const currentTheme = (): Theme => (localStorage.getItem(KEY) === "booth" ? "booth" : "paper");

export function applyTheme(theme: Theme = currentTheme()): void {
  localStorage.setItem(KEY, theme);
  document.documentElement.dataset["theme"] = theme;
}

const NAMES = ["sheet", "shade", "rule", "ink", "soft", "wave", "pale", "head", "tail", "join", "warn", "on-ink"] as const;
export type Inks = Readonly<Record<(typeof NAMES)[number], string>>;
let known: { theme: string | undefined; inks: Inks } | null = null;

/** The colours of the theme, for canvases; the same object for as long as the theme is the same. */
export function inks(): Inks {
  const theme = document.documentElement.dataset["theme"];
  if (known?.theme !== theme) {
    const style = getComputedStyle(document.documentElement);
    known = { theme, inks: Object.fromEntries(NAMES.map((name) => [name, style.getPropertyValue(`--${name}`).trim()])) as Inks };
  }
  return known?.inks as Inks;
}
