import { expect, test } from "vitest";
import type { Cue } from "../api/types";
import { movedBy } from "./model/cues";

const order = ["a", "b", "c", "d"].map((id) => ({ id })) as unknown as Cue[];

test("cues move one place, together, and not past the ends", () => {
  const move = (ids: string, direction: 1 | -1) => movedBy(order, new Set(ids), direction);
  expect([move("b", 1), move("c", 1), move("d", 1)]).toEqual(["d", null, undefined]);
  expect([move("b", -1), move("a", -1), move("bc", 1), move("bd", -1)]).toEqual(["a", undefined, null, "a"]);
});
