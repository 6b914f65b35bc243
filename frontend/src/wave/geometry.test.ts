import { describe, expect, it } from "vitest";
import { clamped, levelFor, toFrame, toPx, zoomedAt, type Limits, type Viewport } from "./geometry";

const limits: Limits = { lowestFrame: 0, highestFrame: 518_400_000, smallestFramesPerPx: 1 / 32 };
const views: Viewport[] = [0.1, 3, 700, 90_000].map((framesPerPx, n) => ({ startFrame: 1_234_567.25 * n, framesPerPx, widthPx: 776 }));

describe("viewport", () => {
  it("maps frames and pixels inversely", () => {
    for (const view of views) for (const px of [0, 17.5, 775]) expect(toPx(view, toFrame(view, px))).toBeCloseTo(px, 6);
  });

  it("keeps what lies under the pointer while it zooms, as long as no limit forbids", () => {
    for (const view of views.slice(1)) {
      for (const factor of [0.5, 0.9, 1.1]) {
        const zoomed = zoomedAt(view, 300, factor, limits);
        expect(Math.abs(toFrame(zoomed, 300) - toFrame(view, 300))).toBeLessThan(1e-6 * toFrame(view, 300) + 1e-6);
      }
    }
  });

  it("never shows what lies outside its limits", () => {
    for (const view of views) {
      const kept = clamped({ ...view, startFrame: 1e12, framesPerPx: view.framesPerPx * 1e6 }, limits);
      expect(kept.startFrame).toBeGreaterThanOrEqual(0);
      expect(kept.startFrame + kept.widthPx * kept.framesPerPx).toBeLessThanOrEqual(limits.highestFrame * (1 + 1e-12));
    }
  });

  it("draws from the coarsest level that has a bin for every pixel", () => {
    const levels = [1, 4, 16, 64, 256, 1024];
    for (let fpp = 1; fpp < 5000; fpp *= 1.37) {
      const level = levelFor(levels, fpp);
      expect(level).toBeLessThanOrEqual(fpp);
      expect(levels.filter((other) => other > level && other <= fpp)).toEqual([]);
    }
  });
});
