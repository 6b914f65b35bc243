/** Every command by name, with its key. Single keys work only while the desk has the focus, and can be switched off. */
import { addLane, copyChosen, copyToCursor, crossHere, cursorTo, cursorToClip, cutChosen, cutAtMarks, dropMark, duplicateChosen, edgeToCursor, fadeOver, moveToCursor, nudge, nudgeCursor, nudgeMs, pasteHere, programmeFrom, removeChosen, removeLane, setSyncHere, snapMarks, splitAtCursor, toggleLane, toLane } from "../state/clipEdits";
import { desk, goTo, type Hearing, setHearing, setHold, setJoinLens, setLevelZoom, zoomLevel, setLoops, setSelection, setSnaps, setSpectral, setWalking } from "../state/desk";
import { edit, undoOrRedo } from "../state/edits";
import { laneEach } from "../state/lanes";
import { toggleTogether } from "../state/together";
import { hearClip, hearEdge, hearJoin, togglePlay } from "../state/listening";
import { playFromPoint, POINTS, setAirPoint } from "../state/onAir";
import { goBoundary, hearBoundaries, trackAtCursor } from "../state/release";
import { addCue, addEvent, loopSelection, moveCues, removeCues, splitAtPause } from "../state/show";
import { go, selectAllSeen } from "../state/selection";

export interface Command {
  readonly name: string;
  readonly keys: readonly string[];
  readonly group: Group;
  readonly run: () => void;
}

export const GROUPS = { listen: "Listen", go: "Go", walk: "Walk", edge: "Edges and fades", clip: "Clips and lanes", mark: "Mark", cue: "Cues", view: "View", job: "Job" } as const;
type Group = keyof typeof GROUPS;

const listeners = new Map<string, Set<() => void>>();

/** Let a view answer a command while it is on the screen. */
export function onCommand(name: string, run: () => void): () => void {
  const set = listeners.get(name) ?? new Set();
  listeners.set(name, set.add(run));
  return () => set.delete(run);
}

const broadcast = (name: string) => () => listeners.get(name)?.forEach((run) => run());
const hear = (hearing: Hearing) => () => setHearing(desk().hearing === hearing ? "result" : hearing);

const command = (group: Group, name: string, keys: string, run: () => void): Command => ({ group, name, keys: keys ? keys.split(" ").map((key) => (key === "space" ? " " : key)) : [], run });

export const COMMANDS: readonly Command[] = [
  command("listen", "play or stop", "space", togglePlay),
  command("listen", "hear head", "q", () => hearEdge("head")),
  command("listen", "hear tail", "w", () => hearEdge("tail")),
  command("listen", "hear join", "r", hearJoin),
  command("listen", "hear clip", "c", () => hearClip(false)),
  command("listen", "loop", "l", () => setLoops(!desk().loops)),
  command("listen", "listen to the original", "h", hear("original")),
  command("listen", "listen without fades", "H", hear("without_fades")),
  command("listen", "listen before the last edit", "b", hear("before_edit")),
  command("go", "next clip", "j", () => go(1, "clip")),
  command("go", "previous clip", "k", () => go(-1, "clip")),
  command("go", "next edge", "n", () => go(1, "edge")),
  command("go", "previous edge", "p", () => go(-1, "edge")),
  command("go", "cursor 1 frame back", "Alt+ArrowLeft", () => nudgeCursor(-1, "frames")),
  command("go", "cursor 1 frame on", "Alt+ArrowRight", () => nudgeCursor(1, "frames")),
  command("go", "cursor 10 ms back", "ArrowLeft", () => nudgeCursor(-10, "ms")),
  command("go", "cursor 10 ms on", "ArrowRight", () => nudgeCursor(10, "ms")),
  command("go", "cursor 1 ms back", "Shift+ArrowLeft", () => nudgeCursor(-1, "ms")),
  command("go", "cursor 1 ms on", "Shift+ArrowRight", () => nudgeCursor(1, "ms")),
  command("go", "cursor a beat back", "Ctrl+ArrowLeft", () => nudgeCursor(-1, "beats")),
  command("go", "cursor a beat on", "Ctrl+ArrowRight", () => nudgeCursor(1, "beats")),
  command("go", "cursor to the start", "Home", () => cursorTo("start")),
  command("go", "cursor to the end", "End", () => cursorTo("end")),
  command("go", "cursor to the clip", "Enter", cursorToClip),
  command("go", "step: find", "1", () => goTo("find")),
  command("go", "step: shape", "2", () => goTo("shape")),
  command("go", "step: mark", "3", () => goTo("mark")),
  command("go", "step: send", "4", () => goTo("send")),
  command("walk", "walk through the edges", "u", () => setWalking(!desk().walking)),
  command("walk", "accept edge", "i", broadcast("accept edge")),
  command("walk", "send edge back", "o", broadcast("send edge back")),
  command("edge", "edge 1 frame earlier", ",", () => nudge(-1)),
  command("edge", "edge 1 frame later", ".", () => nudge(1)),
  command("edge", "edge 1 ms earlier", "a", () => nudgeMs(-1)),
  command("edge", "edge 1 ms later", "d", () => nudgeMs(1)),
  command("edge", "edge 10 ms earlier", "A", () => nudgeMs(-10)),
  command("edge", "edge 10 ms later", "D", () => nudgeMs(10)),
  command("edge", "head to cursor", "<", () => edgeToCursor("head")),
  command("edge", "tail to cursor", ">", () => edgeToCursor("tail")),
  command("edge", "moved edges keep fade length or inner end", "y", () => setHold(desk().hold === "length" ? "inner" : "length")),
  command("edge", "fade out from cursor", "g", () => fadeOver("to_end")),
  command("edge", "fade in to cursor", "G", () => fadeOver("from_start")),
  command("edge", "fade over the selection", "f", () => fadeOver("selection")),
  command("edge", "crossfade the cut", "x", crossHere),
  command("clip", "split at cursor", "t", splitAtCursor),
  command("clip", "split at the marks", "T", cutAtMarks),
  command("clip", "copy", "Ctrl+c", copyChosen),
  command("clip", "cut", "Ctrl+x", cutChosen),
  command("clip", "paste at cursor", "Ctrl+v", pasteHere),
  command("clip", "duplicate", "Ctrl+d", duplicateChosen),
  command("clip", "copy to cursor", "e", copyToCursor),
  command("clip", "move to cursor", "E", moveToCursor),
  command("clip", "remove", "Delete", () => removeChosen("no")),
  command("clip", "remove and close up the lane", "Backspace", () => removeChosen("lane")),
  command("clip", "remove and close up all lanes", "", () => removeChosen("all")),
  command("clip", "snap on or off", "N", () => setSnaps(!desk().snaps)),
  command("clip", "select all that is shown", "* Ctrl+a", selectAllSeen),
  command("clip", "move to the lane above", "{", () => toLane(-1)),
  command("clip", "move to the lane below", "}", () => toLane(1)),
  command("clip", "add a lane", "", addLane),
  command("clip", "a lane for each selected clip", "", laneEach),
  command("clip", "remove an empty lane", "", removeLane),
  command("clip", "mute the lane", "", () => toggleLane("muted")),
  command("clip", "solo the lane", "", () => toggleLane("solo")),
  command("mark", "add a mark", "m", dropMark),
  command("mark", "programme starts at cursor", "(", () => programmeFrom("start_here")),
  command("mark", "programme ends at cursor", ")", () => programmeFrom("end_here")),
  command("mark", "programme from the selection", "", () => programmeFrom("selection")),
  command("mark", "programme from the selected clips", "P", () => programmeFrom("clip")),
  command("mark", "snap marks to clips", "", snapMarks),
  command("mark", "sync point at cursor", "", setSyncHere),
  command("mark", "track begins at cursor", "I", () => trackAtCursor("begins")),
  command("mark", "track ends at cursor", "O", () => trackAtCursor("ends")),
  command("listen", "hear the next boundary", "J", () => goBoundary(1)),
  command("listen", "hear the previous boundary", "K", () => goBoundary(-1)),
  command("listen", "hear all boundaries", "", hearBoundaries),
  ...POINTS.map(([point, name], n) => command("listen", `play from “${name}”`, n < 5 ? String(n + 5) : "", () => playFromPoint(point))),
  ...POINTS.map(([point, name]) => command("mark", `set “${name}” at the cursor`, "", () => setAirPoint(point))),
  command("cue", "split the cue at the pause", "V", () => void splitAtPause()),
  command("cue", "add an event", "M", addEvent),
  command("cue", "loop the selection in the cue", "L", loopSelection),
  command("cue", "move the cue up", "", () => moveCues(-1)),
  command("cue", "move the cue down", "", () => moveCues(1)),
  command("cue", "add a fade", "", () => addCue("fade")),
  command("cue", "add a stop", "", () => addCue("stop")),
  command("cue", "add a note", "", () => addCue("note")),
  command("cue", "number the cues anew", "", () => void edit({ kind: "number_anew" })),
  command("cue", "remove the cue", "", removeCues),
  command("clip", "lanes together", "Y", toggleTogether),
  command("view", "zoom in", "+ =", broadcast("zoom in")),
  command("view", "zoom out", "-", broadcast("zoom out")),
  command("view", "show everything", "0", broadcast("show everything")),
  command("view", "scroll forward", "z", broadcast("scroll forward")),
  command("view", "scroll back", "Z", broadcast("scroll back")),
  command("view", "zoom level in", "]", () => zoomLevel(2)),
  command("view", "zoom level out", "[", () => zoomLevel(0.5)),
  command("view", "automatic level", "\\", () => setLevelZoom(null)),
  command("view", "join lens", "v", () => setJoinLens(!desk().joinLens)),
  command("view", "spectral view", "s", () => setSpectral(!desk().spectral)),
  command("view", "clear the selection", "Escape", () => setSelection(null)),
  command("job", "undo", "Ctrl+z", () => void undoOrRedo("undo")),
  command("job", "redo", "Ctrl+Z Ctrl+y", () => void undoOrRedo("redo")),
  command("job", "search commands", "/", broadcast("search commands")),
  command("job", "help", "?", broadcast("help")),
];

const SINGLE_KEYS = "wemble.single-keys";
const OWN_KEYS = "wemble.own-keys";
export const singleKeysOn = (): boolean => localStorage.getItem(SINGLE_KEYS) !== "off";
export const setSingleKeys = (on: boolean): void => localStorage.setItem(SINGLE_KEYS, on ? "on" : "off");

let ownKeys: Record<string, string> = readOwnKeys();

function readOwnKeys(): Record<string, string> {
  try {
    return JSON.parse(globalThis.localStorage?.getItem(OWN_KEYS) ?? "{}") as Record<string, string>;
  } catch {
    return {};
  }
}

/** The keys of a command: one's own, if one was given. */
export const keysOf = ({ name, keys }: Command): readonly string[] => (ownKeys[name] === undefined ? keys : [ownKeys[name]]);

/** Give a command a key of one's own, or its first one back. What had the key loses it. */
export function setOwnKey(name: string, key: string | null): void {
  const next: Record<string, string> = Object.fromEntries(Object.entries(ownKeys).filter(([other, taken]) => other !== name && taken !== key));
  if (key !== null) {
    for (const other of COMMANDS) if (other.name !== name && keysOf(other).includes(key)) next[other.name] = "";
    next[name] = key;
  }
  ownKeys = next;
  localStorage.setItem(OWN_KEYS, JSON.stringify(next));
}

/** A key event as the key map writes it. */
export function keyText(event: Pick<KeyboardEvent, "key" | "ctrlKey" | "metaKey" | "shiftKey" | "altKey">): string {
  const arrow = event.key.startsWith("Arrow");
  if (event.ctrlKey || event.metaKey) return `Ctrl+${event.shiftKey && !arrow ? event.key.toUpperCase() : event.key}`;
  if (arrow && event.altKey) return `Alt+${event.key}`;
  return arrow && event.shiftKey ? `Shift+${event.key}` : event.key;
}

/** What a key means, or nothing: never while typing, never a key of the browser or of a screen reader. */
export function commandFor(event: KeyboardEvent): Command | undefined {
  const target = event.target;
  if (target instanceof HTMLElement && target.closest("input:not([type=checkbox]), textarea, select, [role=dialog], [role=menu]")) return undefined;
  if (target === document.body && !event.ctrlKey && !event.metaKey) return undefined; // nothing has the focus: it is on its way back
  if (event.altKey && !event.key.startsWith("Arrow")) return undefined;
  if (!event.ctrlKey && !event.metaKey && !singleKeysOn()) return undefined;
  if (event.defaultPrevented) return undefined;
  if ((event.key === " " || event.key === "Enter") && target instanceof HTMLElement && target.closest("button, a, [role=radio]")) return undefined;
  const key = keyText(event);
  if (key === "Ctrl+c" && globalThis.getSelection()?.toString()) return undefined; // a verdict that somebody marked to quote it
  return COMMANDS.find((one) => keysOf(one).includes(key));
}

const NAMES: Readonly<Record<string, string>> = { " ": "space", Delete: "del", Backspace: "backspace", Escape: "esc", PageDown: "page down", PageUp: "page up", ArrowLeft: "←", ArrowRight: "→", Home: "home", End: "end", Enter: "enter" };

/** A key as a person reads it. */
export function keyName(key: string): string {
  const [modifier, rest] = /^(Ctrl|Alt|Shift)\+(.+)$/.exec(key)?.slice(1) ?? [];
  if (modifier !== undefined && rest !== undefined) return `${modifier.toLowerCase()} ${keyName(rest)}`;
  return NAMES[key] ?? (/^[A-Z]$/.test(key) ? `shift ${key.toLowerCase()}` : key);
}
export const keyOf = (name: string): string => {
  const one = COMMANDS.find((candidate) => candidate.name === name);
  return one ? keyName(keysOf(one)[0] ?? "") : "";
};

/** Commands whose names have all the words that were typed, in any order; those that start with them first. */
export function found(commands: readonly Command[], typed: string): readonly Command[] {
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const hits = commands.filter(({ name, group }) => words.every((word) => `${GROUPS[group]} ${name}`.toLowerCase().includes(word)));
  return [...hits].sort((a, b) => Number(!a.name.startsWith(words[0] ?? "")) - Number(!b.name.startsWith(words[0] ?? "")));
}
