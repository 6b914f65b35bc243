/** Every command by name, with its key. Single keys work only while the desk has the focus, and can be switched off. */
import { edit, goTo, hearClip, hearEdge, clipInHand, desk, setLoops, setLevelZoom, setSelection, step, togglePlay, walk } from "./state";

export interface Command {
  readonly name: string;
  readonly keys: readonly string[];
  readonly group: "listen" | "go" | "edge" | "view" | "job";
  readonly run: () => void;
}

const listeners = new Map<string, Set<() => void>>();

/** Let a view answer a command while it is on the screen. */
export function onCommand(name: string, run: () => void): () => void {
  const set = listeners.get(name) ?? new Set();
  listeners.set(name, set.add(run));
  return () => set.delete(run);
}

const broadcast = (name: string) => () => listeners.get(name)?.forEach((run) => run());

/** Move the edge in hand. */
export function nudge(frames: number): void {
  const { clipId, side } = desk();
  void edit(() => {
    const clip = clipId === null ? undefined : desk().job.clips[clipId];
    if (!clip) return null;
    const from = side === "head" ? clip.head_frame : clip.tail_frame;
    return { kind: "move_edge", clip_id: clip.id, side, source_frame: from + frames };
  });
}

function nudgeMs(milliseconds: number): void {
  const clip = clipInHand(desk());
  const rate = clip ? (desk().job.sources[clip.source_id]?.rate_hz ?? 48_000) : 48_000;
  nudge(Math.round((milliseconds * rate) / 1000));
}

function removeClip(): void {
  const clip = clipInHand(desk());
  if (!clip) return;
  walk(1, "clip");
  if (clipInHand(desk())?.id === clip.id) walk(-1, "clip");
  void edit({ kind: "remove_clips", clip_ids: [clip.id] });
}

export const COMMANDS: readonly Command[] = [
  { name: "play or stop", keys: [" "], group: "listen", run: togglePlay },
  { name: "hear head", keys: ["q"], group: "listen", run: () => hearEdge("head") },
  { name: "hear tail", keys: ["w"], group: "listen", run: () => hearEdge("tail") },
  { name: "hear clip", keys: ["c"], group: "listen", run: () => hearClip(false) },
  { name: "loop", keys: ["l"], group: "listen", run: () => setLoops(!desk().loops) },
  { name: "next clip", keys: ["j"], group: "go", run: () => walk(1, "clip") },
  { name: "previous clip", keys: ["k"], group: "go", run: () => walk(-1, "clip") },
  { name: "next edge", keys: ["n"], group: "go", run: () => walk(1, "edge") },
  { name: "previous edge", keys: ["p"], group: "go", run: () => walk(-1, "edge") },
  { name: "step: find", keys: ["1"], group: "go", run: () => goTo("find") },
  { name: "step: shape", keys: ["2"], group: "go", run: () => goTo("shape") },
  { name: "step: send", keys: ["4"], group: "go", run: () => goTo("send") },
  { name: "edge 1 frame earlier", keys: [","], group: "edge", run: () => nudge(-1) },
  { name: "edge 1 frame later", keys: ["."], group: "edge", run: () => nudge(1) },
  { name: "edge 1 ms earlier", keys: ["a"], group: "edge", run: () => nudgeMs(-1) },
  { name: "edge 1 ms later", keys: ["d"], group: "edge", run: () => nudgeMs(1) },
  { name: "edge 10 ms earlier", keys: ["A"], group: "edge", run: () => nudgeMs(-10) },
  { name: "edge 10 ms later", keys: ["D"], group: "edge", run: () => nudgeMs(10) },
  { name: "remove clip", keys: ["Delete"], group: "edge", run: removeClip },
  { name: "zoom in", keys: ["+", "="], group: "view", run: broadcast("zoom in") },
  { name: "zoom out", keys: ["-"], group: "view", run: broadcast("zoom out") },
  { name: "show everything", keys: ["0"], group: "view", run: broadcast("show everything") },
  { name: "scroll on", keys: ["x"], group: "view", run: broadcast("scroll on") },
  { name: "scroll back", keys: ["z"], group: "view", run: broadcast("scroll back") },
  { name: "lens: louder", keys: ["]"], group: "view", run: () => setLevelZoom(desk().levelZoom * 2) },
  { name: "lens: softer", keys: ["["], group: "view", run: () => setLevelZoom(desk().levelZoom / 2) },
  { name: "no selection", keys: ["Escape"], group: "view", run: () => setSelection(null) },
  { name: "undo", keys: ["Ctrl+z"], group: "job", run: () => void step("undo") },
  { name: "redo", keys: ["Ctrl+Z", "Ctrl+y"], group: "job", run: () => void step("redo") },
  { name: "help", keys: ["?"], group: "job", run: broadcast("help") },
];

const SINGLE_KEYS = "wemble.single-keys";
export const singleKeysOn = (): boolean => localStorage.getItem(SINGLE_KEYS) !== "off";
export const setSingleKeys = (on: boolean): void => localStorage.setItem(SINGLE_KEYS, on ? "on" : "off");

/** What a key means, or nothing: never while typing, never a key of the browser or of a screen reader. */
export function commandFor(event: KeyboardEvent): Command | undefined {
  const target = event.target;
  if (target instanceof HTMLElement && target.closest("input:not([type=checkbox]), textarea, select, [role=dialog], [role=menu]")) return undefined;
  if (event.altKey) return undefined;
  const withControl = event.ctrlKey || event.metaKey;
  if (!withControl && !singleKeysOn()) return undefined;
  if (event.key === " " && target instanceof HTMLElement && target.closest("button, a, [role=radio]")) return undefined;
  const key = withControl ? `Ctrl+${event.shiftKey ? event.key.toUpperCase() : event.key}` : event.key;
  return COMMANDS.find((command) => command.keys.includes(key));
}

/** A key as a person reads it. */
export const keyName = (key: string): string => ({ " ": "space", Delete: "del", Escape: "esc", A: "shift a", D: "shift d", "Ctrl+Z": "ctrl shift z" })[key] ?? key.replace("Ctrl+", "ctrl ");
export const keyOf = (name: string): string => keyName(COMMANDS.find((command) => command.name === name)?.keys[0] ?? "");
