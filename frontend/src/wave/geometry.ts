/** Viewport arithmetic: frames to pixels and back, zoom at a point, and which level of the pyramid to draw from. */

export interface Viewport {
  /** The frame at the left edge; need not be whole. */
  readonly startFrame: number;
  readonly framesPerPx: number;
  readonly widthPx: number;
}

export interface Limits {
  readonly lowestFrame: number;
  readonly highestFrame: number;
  readonly smallestFramesPerPx: number;
}

export const toPx = (view: Viewport, frame: number): number => (frame - view.startFrame) / view.framesPerPx;
export const toFrame = (view: Viewport, px: number): number => view.startFrame + px * view.framesPerPx;
export const endFrame = (view: Viewport): number => view.startFrame + view.widthPx * view.framesPerPx;

/** Keep a viewport inside its limits, as near to where it was as can be. */
export function clamped(view: Viewport, limits: Limits): Viewport {
  const span = Math.max(limits.highestFrame - limits.lowestFrame, 1);
  const widest = Math.max(span / Math.max(view.widthPx, 1), limits.smallestFramesPerPx);
  const framesPerPx = Math.min(Math.max(view.framesPerPx, limits.smallestFramesPerPx), widest);
  const last = limits.highestFrame - view.widthPx * framesPerPx;
  const startFrame = Math.max(Math.min(view.startFrame, last), limits.lowestFrame);
  return { ...view, startFrame, framesPerPx };
}

/** Zoom by a factor; what lies under the pointer stays there, unless a limit forbids. */
export function zoomedAt(view: Viewport, px: number, factor: number, limits: Limits): Viewport {
  const anchor = toFrame(view, px);
  const framesPerPx = clamped({ ...view, framesPerPx: view.framesPerPx * factor }, limits).framesPerPx;
  return clamped({ ...view, framesPerPx, startFrame: anchor - px * framesPerPx }, limits);
}

export const scrolled = (view: Viewport, px: number, limits: Limits): Viewport =>
  clamped({ ...view, startFrame: view.startFrame + px * view.framesPerPx }, limits);

export const showing = (view: Viewport, start: number, end: number, limits: Limits): Viewport =>
  clamped({ ...view, startFrame: start, framesPerPx: (end - start) / Math.max(view.widthPx, 1) }, limits);

/** The coarsest level that still has a bin for every pixel. */
export function levelFor(levels: readonly number[], framesPerPx: number): number {
  let best = levels[0] ?? 1;
  for (const level of levels) if (level <= framesPerPx && level > best) best = level;
  return best;
}

/** Steps for a ruler: the smallest of 1, 2, 5 × 10ⁿ seconds (and minutes) that leaves room for its label. */
export function rulerStepS(framesPerPx: number, rateHz: number, leastPx = 90): number {
  const leastS = (leastPx * framesPerPx) / rateHz;
  const steps = [0.0001, 0.0002, 0.0005, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1200, 1800, 3600];
  return steps.find((step) => step >= leastS) ?? 7200;
}
