/** What keys do while a show runs. Single presses but for stopping everything, which is held. */
import type { PressKind } from "./run";

export const STOP_HELD_MS = 300;
export type RunAct = PressKind | "stop_held" | "recover" | "choose_above" | "choose_below" | "end_earlier" | "end_later" | "start_earlier" | "start_later" | "more_passes" | "fewer_passes";

const KEYS: Readonly<Record<string, RunAct>> = {
  Enter: "go",
  Backspace: "stop_held",
  l: "let_go",
  f: "fade_this",
  p: "pause",
  r: "recover",
  ArrowLeft: "back",
  ArrowRight: "skip",
  ArrowUp: "choose_above",
  ArrowDown: "choose_below",
  ",": "end_earlier",
  ".": "end_later",
  "+": "more_passes",
  "-": "fewer_passes",
};
const SHIFTED: Readonly<Record<string, RunAct>> = { ",": "start_earlier", "<": "start_earlier", ";": "start_earlier", ".": "start_later", ">": "start_later", ":": "start_later", "+": "more_passes" };

/** The keys as they are printed on the screen, besides GO and stopping everything. */
export const PRINTED_KEYS: readonly (readonly [string, string])[] = [
  ["← →", "back, skip"],
  ["↑ ↓", "choose"],
  [", .", "loop end"],
  ["shift , .", "loop start"],
  ["+ −", "passes"],
];

/** What a key does; nothing with a modifier, or while it repeats. */
export function actOf(event: Pick<KeyboardEvent, "key" | "ctrlKey" | "metaKey" | "altKey" | "repeat" | "shiftKey">): RunAct | null {
  if (event.ctrlKey || event.metaKey || event.altKey || event.repeat) return null;
  const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
  return (event.shiftKey ? SHIFTED[key] : undefined) ?? KEYS[key] ?? null;
}
