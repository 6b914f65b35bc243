import { describe, expect, it } from "vitest";
import { THROUGH } from "./curves.gen";
import { through, type Point } from "./points";

describe("a drawn curve", () => {
  it("is the core's", () => {
    const points = THROUGH.points as unknown as Point[];
    THROUGH.values.forEach((value, n) => expect(through(points, n / 20)).toBeCloseTo(value, 5));
  });
});
