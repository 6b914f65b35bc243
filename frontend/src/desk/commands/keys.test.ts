import { expect, test } from "vitest";
import { COMMANDS } from "./commands";

test("no key has two commands", () => {
  const keys = COMMANDS.flatMap((one) => one.keys);
  expect(keys.filter((key, n) => keys.indexOf(key) !== n)).toEqual([]);
});
