import { expect, test } from "vitest";
import { fadeGain, passesAt } from "./desk/lenses/fadeDraw";
import { along } from "./show/run";

test("the lens draws a fade as it will be heard", () => {
  const table = Array.from({ length: 1025 }, (_, n) => Math.sin((Math.PI * n) / 2048) ** 2);
  for (const part of [0.1, 0.37, 0.5, 0.93]) {
    const heard = along(table, part * 100_000 - 0.5, 100_000);
    expect(fadeGain({ shape: "s", bend: 0 }, 0, 1, part)).toBeCloseTo(heard, 3);
    expect(fadeGain({ shape: "s", bend: 0 }, 0.8, 0.2, part)).toBeCloseTo(0.2 + 0.6 * along(table, (1 - part) * 100_000 - 0.5, 100_000), 3);
  }
  expect(passesAt({ shape: "s", bend: 0 }, 0, 1, -40)).toBeLessThan(0.075);
  expect(passesAt({ shape: "s", bend: 0 }, 1, 0.5, -20)).toBeNull();
});
