/** Crossfades that a refusal says would fit: before the cut, around it, after it; the longest last. */
export interface Fitting {
  readonly name: string;
  readonly lengthFrames: number;
  readonly leadFrames: number;
}

export function crossfadesThatFit(details: unknown, rateHz: number): readonly Fitting[] {
  const fits = (details as { fits?: Partial<Record<"before" | "around" | "after", number>> } | null)?.fits ?? {};
  const lead = { before: (length: number) => length, around: (length: number) => Math.floor(length / 2), after: () => 0 };
  return (["before", "around", "after"] as const)
    .map((place) => ({ place, lengthFrames: fits[place] ?? 0 }))
    .filter(({ lengthFrames }) => lengthFrames > 0)
    .sort((a, b) => a.lengthFrames - b.lengthFrames)
    .map(({ place, lengthFrames }) => ({ name: `${Number(((1000 * lengthFrames) / rateHz).toPrecision(4))} ms ${place} the cut`, lengthFrames, leadFrames: lead[place](lengthFrames) }));
}
