import { describe, expect, it } from "vitest";
import type { Placed } from "../../api/types";
import type { Cell } from "./cells";
import { keyCap, keysOf, type Pad, padAt, padUnder, padWith, Turns } from "./pads";

const cell = (key: string, name: string, ...ids: string[]) => ({ key, name, clips: ids.map((id) => ({ id, strike: null })) }) as unknown as Cell;
const place = (clip_id: string, key: number, low_strength: number, high_strength: number, turn = 1): Placed => ({ clip_id, note: `n${key}`, place: { key, low_strength, high_strength, mic: "", turn, turns: 1 } });

// Two microphones of three takes on one key, and twelve strengths' worth of others.
const CELLS = [cell("k1", "Oar 1", "a", "b"), cell("k2", "Oar 2", "c", "d"), cell("k3", "Oar 3", "e"), ...Array.from({ length: 12 }, (_, n) => cell(`h${n}`, `Hull ${n}`, `x${n}`))];
const PLACES = [place("a", 36, 1, 127), place("b", 36, 1, 127), place("c", 36, 1, 127, 2), place("d", 36, 1, 127, 2), place("e", 36, 1, 127, 3), ...Array.from({ length: 5 }, (_, n) => place(`x${n}`, 37, 1 + 25 * n, 25 + 25 * n)), ...Array.from({ length: 7 }, (_, n) => place(`x${n + 5}`, 40 + n, 1, 127))];

describe("the pads of a kit", () => {
  const keys = keysOf(PLACES, CELLS);

  it("reach every hit by map key and strength, by the computer's keys, and by the hit itself", () => {
    expect(keys.map(({ key, note, pads }) => [key, note, pads.length])).toEqual([[36, "n36", 1], [37, "n37", 5], ...Array.from({ length: 7 }, (_, n) => [40 + n, `n${40 + n}`, 1])]);
    const all = keys.flatMap(({ pads }) => pads);
    expect(new Set(all.flatMap(({ takes }) => takes))).toEqual(new Set(CELLS));
    for (const pad of all) for (const take of pad.takes) expect(padWith(keys, take.key)).toBe(pad);
    for (let strength = 1; strength <= 125; strength += 1) expect(padAt(keys, 37, strength)?.name).toBe(`Hull ${Math.floor((strength - 1) / 25)}`);
    expect([padUnder(keys, 0, "KeyZ", false)?.name, padUnder(keys, 0, "KeyX", true)?.name, padUnder(keys, 0, "KeyP", false), padUnder(keys, 1, "KeyZ", false), padUnder(keys, 0, "Tab", false)]).toEqual(["Oar 1", "Hull 4", undefined, undefined, undefined]);
    expect([keyCap(0, 0), keyCap(9, 1), keyCap(3, 3), keyCap(1, 4), keyCap(1, 8)]).toEqual(["z", ";", "4", "⇧x", ""]);
  });

  it("play their takes in turn, one pad's turn apart from another's", () => {
    const turns = new Turns();
    const [oar, hull] = [keys[0]?.pads[0], keys[1]?.pads[0]] as [Pad, Pad];
    const struck = [oar, oar, hull, oar, oar].map((pad) => turns.take(pad)?.name);
    expect(struck).toEqual(["Oar 1", "Oar 2", "Hull 0", "Oar 3", "Oar 1"]);
    turns.fromTheFirst();
    expect(turns.take(oar)?.name).toBe("Oar 1");
  });
});
