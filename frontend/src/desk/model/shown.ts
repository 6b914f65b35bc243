/** What the wall and the list show of a job: found by words, and in an order that holds still. */
import type { Clip, ClipVerdicts } from "../../api/types";

/** The words that were typed to show only some, in lower case. */
export const wordsOf = (typed: string): string[] => typed.toLowerCase().split(/\s+/).filter(Boolean);

/** All that is written about clips: names, what their names say, why they are doubted, what was checked and is not fine. */
export const textOf = (clips: readonly Clip[], verdicts: ReadonlyMap<string, ClipVerdicts>): string =>
  clips
    .flatMap((clip) => [
      clip.name,
      ...(clip.strike ? [clip.strike.name, clip.strike.strength, clip.strike.mic, clip.strike.note] : []),
      clip.reason,
      clip.end_reason,
      ...(verdicts.get(clip.id)?.verdicts ?? []).filter(({ state }) => state !== "fine").map(({ text }) => text),
    ])
    .join(" ")
    .toLowerCase();

export const hasWords = (text: string, words: readonly string[]): boolean => words.every((word) => text.includes(word));

/** Things in the order in which they stood before; what is new comes behind, sorted as it is given. */
export function inHeldOrder<T>(sorted: readonly T[], keyOf: (thing: T) => string, held: readonly string[]): T[] {
  const place = new Map(held.map((key, n) => [key, n]));
  const placeOf = (thing: T): number => place.get(keyOf(thing)) ?? held.length;
  return [...sorted].sort((a, b) => placeOf(a) - placeOf(b));
}
