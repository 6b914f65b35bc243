/** For tests that hold still what many made-up cases come to: cases that look random, and a sum over what came of them. */

/** Numbers that look random, the same every time for a seed. */
export function dice(seed: number) {
  let state = (seed * 2654435761 + 1) >>> 0;
  const part = () => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32;
  return {
    part,
    between: (low: number, high: number) => low + part() * (high - low),
    whole: (low: number, high: number) => low + Math.floor(part() * (high - low + 1)),
    one: <T>(values: readonly T[]): T => values[Math.floor(part() * values.length)] as T,
    maybe: <T>(value: T): T | null => (part() < 0.6 ? value : null),
  };
}

/** A sum over a text (FNV-1a). */
export const sum = (text: string): string => ([...text].reduce((hash, letter) => Math.imul(hash ^ (letter.codePointAt(0) ?? 0), 16777619), 2166136261) >>> 0).toString(16);

/** A sum over a value, numbers to eight figures. */
export const sumOf = (value: unknown): string => sum(JSON.stringify(value, (_, one: unknown) => (typeof one === "number" ? Number(one.toPrecision(8)) : one)));
