/** The keys of a kit as its map has them: for each strength a pad, whose takes are played in turn. */
import type { Placed } from "../../api/types";
import { type Cell, struckAs } from "./cells";

/** One strength of one key. */
export interface Pad {
  /** Stays the same as long as its first hit does: what a pattern is kept by. */
  readonly id: string;
  readonly name: string;
  readonly lowStrength: number;
  readonly highStrength: number;
  readonly takes: readonly Cell[];
}

export interface Key {
  readonly key: number;
  readonly note: string;
  readonly name: string;
  /** From soft to hard. */
  readonly pads: readonly Pad[];
}

/** The keys of the map from low to high, with every hit on them. */
export function keysOf(places: readonly Placed[], cells: readonly Cell[]): Key[] {
  const cellOf = new Map(cells.flatMap((cell) => cell.clips.map((clip) => [clip.id, cell] as const)));
  const keys = new Map<number, { note: string; pads: Map<number, { high: number; takes: Set<Cell> }> }>();
  for (const { clip_id, note, place } of places) {
    const cell = cellOf.get(clip_id);
    if (!cell) continue;
    const key = keys.get(place.key) ?? { note, pads: new Map<number, { high: number; takes: Set<Cell> }>() };
    const pad = key.pads.get(place.low_strength) ?? { high: place.high_strength, takes: new Set<Cell>() };
    pad.takes.add(cell);
    key.pads.set(place.low_strength, pad);
    keys.set(place.key, key);
  }
  return [...keys].map(([key, { note, pads }]) => {
    const made = [...pads].map(([lowStrength, { high, takes }]): Pad => {
      const cells = [...takes];
      const strike = cells[0]?.clips[0]?.strike;
      return { id: cells[0]?.key ?? "", name: strike ? struckAs(strike) : (cells[0]?.name ?? ""), lowStrength, highStrength: high, takes: cells };
    });
    const [first] = made[0]?.takes ?? [];
    return { key, note, name: first?.clips[0]?.strike?.name ?? first?.name ?? note, pads: made };
  });
}

/** The pad that holds a hit, by the hit's key. */
export const padWith = (keys: readonly Key[], cellKey: string): Pad | undefined => keys.flatMap(({ pads }) => pads).find((pad) => pad.takes.some((take) => take.key === cellKey));

/** The pad that a MIDI note plays. */
export const padAt = (keys: readonly Key[], note: number, strength: number): Pad | undefined =>
  keys.find(({ key }) => key === note)?.pads.find((pad) => pad.lowStrength <= strength && strength <= pad.highStrength);

/** Rows of the computer's keys by where they lie, the softest at the bottom, as strengths lie on a keyboard. */
export const KEY_ROWS = [
  ["KeyZ", "KeyX", "KeyC", "KeyV", "KeyB", "KeyN", "KeyM", "Comma", "Period", "Slash"],
  ["KeyA", "KeyS", "KeyD", "KeyF", "KeyG", "KeyH", "KeyJ", "KeyK", "KeyL", "Semicolon"],
  ["KeyQ", "KeyW", "KeyE", "KeyR", "KeyT", "KeyY", "KeyU", "KeyI", "KeyO", "KeyP"],
  ["Digit1", "Digit2", "Digit3", "Digit4", "Digit5", "Digit6", "Digit7", "Digit8", "Digit9", "Digit0"],
] as const;
/** So many keys of the map are under the computer's keys at once. */
export const BANK = KEY_ROWS[0].length;

const SIGNS: Readonly<Record<string, string>> = { Comma: ",", Period: ".", Slash: "/", Semicolon: ";" };

/** What is printed on the key of the computer that plays a pad: its column in the bank, its strength; none if there is none. */
export function keyCap(column: number, strength: number): string {
  const code = KEY_ROWS[strength % KEY_ROWS.length]?.[column] ?? "";
  const cap = SIGNS[code] ?? code.replace(/^(Key|Digit)/, "").toLowerCase();
  return strength < KEY_ROWS.length ? cap : strength < 2 * KEY_ROWS.length ? `⇧${cap}` : "";
}

/** The pad that a key of the computer plays; shift reaches four strengths more. */
export function padUnder(keys: readonly Key[], bank: number, code: string, shift: boolean): Pad | undefined {
  const row = KEY_ROWS.findIndex((codes) => (codes as readonly string[]).includes(code));
  const column = (KEY_ROWS[row] as readonly string[] | undefined)?.indexOf(code) ?? -1;
  return column < 0 ? undefined : keys[bank * BANK + column]?.pads[row + (shift ? KEY_ROWS.length : 0)];
}

/** Whose turn it is on every pad: each strike plays the next take. */
export class Turns {
  readonly #next = new Map<string, number>();

  take(pad: Pad): Cell | undefined {
    const turn = this.#next.get(pad.id) ?? 0;
    this.#next.set(pad.id, turn + 1);
    return pad.takes[turn % pad.takes.length];
  }

  fromTheFirst(): void {
    this.#next.clear();
  }
}
