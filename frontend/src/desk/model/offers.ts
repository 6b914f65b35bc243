/** Where crossfades lie on their cuts, and those that a refusal offers. */

/** Where on the cut a crossfade lies. */
export type CrossfadePlace = "before" | "around" | "after";

/** How many frames of a crossfade lie before the cut. */
export const leadAt = (place: CrossfadePlace, lengthFrames: number): number => ({ before: lengthFrames, around: Math.floor(lengthFrames / 2), after: 0 })[place];

export interface Fitting {
  readonly name: string;
  readonly lengthFrames: number;
  readonly leadFrames: number;
}

/** Crossfades that a refusal says would fit, as long as was asked for or as they can be: before the cut, around it, after it; the longest last. */
export function crossfadesThatFit(details: unknown, rateHz: number, askedFrames: number): readonly Fitting[] {
  const fits = (details as { fits?: Partial<Record<CrossfadePlace, number>> } | null)?.fits ?? {};
  return (["before", "around", "after"] as const)
    .map((place) => ({ place, lengthFrames: Math.min(fits[place] ?? 0, askedFrames) }))
    .filter(({ lengthFrames }) => lengthFrames > 0)
    .sort((a, b) => a.lengthFrames - b.lengthFrames)
    .map(({ place, lengthFrames }) => ({ name: `${Number(((1000 * lengthFrames) / rateHz).toPrecision(4))} ms ${place} the cut`, lengthFrames, leadFrames: leadAt(place, lengthFrames) }));
}
