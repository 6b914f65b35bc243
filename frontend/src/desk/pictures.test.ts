/** What is drawn, held still: whoever changes a picture on purpose looks at it, then runs `npx vitest run -u`. */
import { describe, expect, it } from "vitest";
import type { Clip, Grid, Job, Join } from "../api/types";
import { anyJob } from "../testing/anyJob";
import { dice, sum } from "../testing/heldStill";
import { gainAt } from "../wave/curve";
import { drawJoin } from "./lenses/joinDraw";
import { drawLens, type LensPicture } from "./lenses/lensDraw";
import type { Cell } from "./model/cells";
import { levelOf, loudnesses } from "./model/gains";
import { runs } from "./model/runs";
import { drawStrip, type StripScene } from "./strip/stripDraw";
import { drawWall } from "./wall/wallDraw";
import { wallGrid } from "./wall/wallGeometry";

/** A context that writes down whatever is asked of it, numbers to a hundredth. */
function recorder(): { readonly ink: CanvasRenderingContext2D; readonly said: () => string } {
  const lines: string[] = [];
  const plain = (value: unknown) => (typeof value === "number" ? String(Math.round(value * 100) / 100) : String(value));
  const ink = new Proxy({} as Record<string, unknown>, {
    get: (_, name) => (name === "measureText" ? (text: string) => ({ width: 7 * text.length }) : (...args: unknown[]) => void lines.push(`${String(name)} ${args.map(plain).join(" ")}`)),
    set: (_, name, value) => {
      lines.push(`${String(name)} = ${plain(value)}`);
      return true;
    },
  });
  return { ink: ink as unknown as CanvasRenderingContext2D, said: () => lines.join("; ").replaceAll("; beginPath", "\nbeginPath") };
}

const colours = Object.fromEntries(["wave", "pale", "ink", "soft", "sheet", "shade", "rule", "join", "head", "tail", "warn"].map((name) => [name, name]));
const clip = (id: string, lane: string, head: number, tail: number, origin: number, part: Partial<Clip> = {}): Clip =>
  ({
    id, lane_id: lane, source_id: "s", name: `clip ${id}`, head_frame: head, tail_frame: tail, origin_frame: origin, gain_db: 0, fade_in: null, fade_out: null, finding_id: null,
    sound_start_frame: null, sound_end_frame: null, line: [], ...part,
  }) as unknown as Clip;
const fade = (length_frames: number) => ({ length_frames, shape: "s", bend: 0.3, origin: "own", points: [] }) as unknown as Clip["fade_in"];
const job = {
  rate_hz: 1_000,
  grid: null,
  sources: { s: { id: "s", rate_hz: 500 } },
  lanes: { l1: { id: "l1", position: 0 }, l2: { id: "l2", position: 1 } },
  clips: {
    a: clip("a", "l1", 100, 600, 0, { fade_in: fade(80), gain_db: -6 }),
    b: clip("b", "l1", 600, 1_000, 0, { fade_out: fade(100), line: [[650, 0], [900, -12]] }),
    c: clip("c", "l2", 0, 300, 2_400),
  },
  joins: { j: { id: "j", left_clip_id: "a", right_clip_id: "b", length_frames: 120, lead_frames: 40, law: "matched", bend: 0 } as Join },
  findings: {},
} as unknown as Job;
const columns = (from: number, to: number) => Float32Array.from({ length: 2 * (to - from) }, (_, n) => (n % 2 ? 1 : -1) * (0.2 + 0.6 * (((from + (n >> 1)) % 7) / 7)));

const scene = (part: Partial<StripScene>): StripScene => ({
  view: { startFrame: 50, framesPerPx: 30, widthPx: 120 },
  rateHz: job.rate_hz,
  endFrame: 3_100,
  heightPx: 240,
  scrollPx: 0,
  lanes: [{ id: "l1", heard: true }, { id: "l2", heard: false }],
  runs: runs(job, null),
  names: new Map(Object.values(job.clips).map((one) => [one.id, one.name])),
  lines: new Map([["b", [[1_300, 0], [1_800, -12]]]]),
  loudness: loudnesses(job),
  voices: new Map(),
  selected: new Set(["b"]),
  marks: [{ id: "m1", kind: "start", name: "Start", frame: 200 }, { id: "m2", kind: "end", name: "End", frame: 2_900 }, { id: "m3", kind: "section", name: "Verse", frame: 1_500 }],
  style: "clock",
  grid: null,
  selection: { start: 700, end: 1_100, laneId: "l2" },
  cursorFrame: 1_234,
  threshold: 0.05,
  zoom: 1.2,
  colours,
  spectra: null,
  columns: (_, __, from, to) => columns(from, to),
  ...part,
});

const lens = (part: Partial<LensPicture>): LensPicture => ({
  side: "head", edgeFrame: 100, fadeFrames: 80, bend: { value: 0.3, y: 90 }, view: { startFrame: 40, framesPerPx: 2, widthPx: 120 }, heightPx: 200, rateHz: 500, label: (frame, decimals) => `${frame} to ${decimals}`, frames: 1_000,
  soundFrame: 190, within: null, floor: 0.02, threshold: 0.05, levelZoom: 2, cursorFrame: 130, gainAt: (u) => gainAt({ shape: "s", bend: 0.3 }, u), levelAt: levelOf(job, job.clips["a"] as Clip),
  columns: columns(0, 120), spectra: null, samples: null, firstSample: 0, colours, ...part,
});

const bars: Grid = { bpm_numerator: 120, bpm_denominator: 1, beats_a_bar: 4, first_frame: 0 };
const pictures: Record<string, (ink: CanvasRenderingContext2D) => void> = {
  strip: (ink) => drawStrip(ink, scene({})),
  "strip in bars, low lanes scrolled": (ink) => drawStrip(ink, scene({ grid: bars, heightPx: 140, scrollPx: 20, threshold: null, selection: { start: 0, end: 900, laneId: null } })),
  "strip of spectra": (ink) => drawStrip(ink, scene({ spectra: (on, run, ...at) => on.fillText(`spectra of ${run.clipId}`, ...(at.slice(0, 2) as [number, number])) })),
  "lens of a head": (ink) => drawLens(ink, lens({})),
  "lens of a tail": (ink) => drawLens(ink, lens({ side: "tail", edgeFrame: 240, soundFrame: 150, cursorFrame: null })),
  "lens of a tail that may end later": (ink) => drawLens(ink, lens({ side: "tail", edgeFrame: 240, soundFrame: 150, within: [148, 200], cursorFrame: null })),
  "lens of samples": (ink) => drawLens(ink, lens({ view: { startFrame: 90, framesPerPx: 0.2, widthPx: 120 }, columns: null, samples: columns(0, 13), firstSample: 89, soundFrame: null, fadeFrames: 0, bend: null })),
  "join lens": (ink) =>
    drawJoin(ink, {
      cutFrame: 1_200, lengthFrames: 120, leadFrames: 40, view: { startFrame: 1_000, framesPerPx: 4, widthPx: 120 }, heightPx: 220, rateHz: 1_000, label: (frame, decimals) => `${frame} to ${decimals}`, levelZoom: 1, cursorFrame: 1_100,
      left: columns(0, 120), right: columns(3, 123), gainAt: (u) => gainAt({ shape: "equal_power", bend: 0 }, u), colours,
    }),
  "head wall": (ink) => {
    const cells = [12.5, 30].map((onsetMs, n) => ({ key: `k${n}`, clips: [], name: "hit", onsetMs, headMs: onsetMs - 4, confidence: 1 }) as unknown as Cell);
    const head = Int8Array.from({ length: 400 }, (_, n) => (n % 2 ? n % 90 : -(n % 70)));
    drawWall(ink, { grid: wallGrid(200, 2), cells, first: 0, last: 3, scrollPx: 7, heads: () => [head, head.map((value) => value / 2)], isSelected: (cell) => cell.key === "k1", current: 1, colours });
  },
};

function anyStrip(seed: number): (ink: CanvasRenderingContext2D) => void {
  const d = dice(seed);
  const held = anyJob(seed);
  const kinds = ["start", "end", "section", "loop", "track", "track_end", "event"] as const;
  const curve = Array.from({ length: 12 }, (_, n) => [n * d.one([900, 1_000]) + (n > 6 ? 6_000 : 0), d.between(-60, 0)] as const);
  const view = { startFrame: d.between(-400, 3_000), framesPerPx: d.one([0.4, 3, 11.5, 40, 90]), widthPx: d.whole(60, 220) };
  return (ink) => drawStrip(ink, scene({
    view, endFrame: d.whole(2_000, 7_000), heightPx: d.whole(130, 420), scrollPx: d.one([0, 0, 17, 60]), runs: runs(held, null), names: new Map(Object.values(held.clips).map((one) => [one.id, one.name])),
    lanes: ["l1", "l2", "l3"].slice(0, d.whole(1, 3)).map((id) => ({ id, heard: d.part() < 0.7 })), loudness: loudnesses(held), lines: new Map([["c1", [[d.whole(0, 2_000), 6], [2_500, -30], [3_000, 14]]]]),
    voices: new Map([["l1", curve]]), selected: new Set([`c${d.whole(0, 4)}`, "c5"]), marks: kinds.map((kind, n) => ({ id: `m${n}`, kind, name: kind, frame: d.whole(-300, 4_500) })), style: d.one(["clock", "seconds", "frames"]) as StripScene["style"],
    grid: d.maybe({ bpm_numerator: d.whole(60, 190), bpm_denominator: 1, beats_a_bar: d.whole(2, 7), first_frame: d.whole(0, 900) }), selection: d.maybe({ start: d.whole(0, 900), end: d.whole(1_000, 4_000), laneId: d.one([null, "l1", "l3"]) }),
    cursorFrame: d.whole(0, 4_000), threshold: d.maybe(d.between(0, 1)), zoom: d.one([0.7, 1, 2.5]), spectra: d.part() < 0.2 ? (on, run, ...at) => on.fillText(run.clipId ?? "", at[0], at[1] + at[2] * at[3]) : null,
  }));
}

function anyLens(seed: number): (ink: CanvasRenderingContext2D) => void {
  const d = dice(seed);
  const view = { startFrame: d.between(-100, 700), framesPerPx: d.one([0.15, 0.45, 1, 2.5, 9]), widthPx: d.whole(50, 200) };
  const near = view.framesPerPx < 0.5;
  const first = Math.floor(view.startFrame);
  return (ink) => drawLens(ink, lens({
    side: d.one(["head", "tail"]), edgeFrame: d.whole(-50, 900), fadeFrames: d.one([0, 1, 40, 300]), bend: d.maybe({ value: d.between(-1, 1), y: d.whole(30, 150) }), view, heightPx: d.whole(120, 300), frames: d.whole(200, 1_000), soundFrame: d.maybe(d.whole(0, 900)),
    floor: d.maybe(d.between(0, 0.2)), threshold: d.maybe(d.between(0, 0.6)), levelZoom: d.one([1, 4, 16]), cursorFrame: d.maybe(d.whole(0, 900)), levelAt: levelOf(anyJob(seed), Object.values(anyJob(seed).clips)[1] as Clip),
    columns: near ? null : columns(0, view.widthPx), samples: near ? columns(0, 60) : null, firstSample: first, spectra: d.part() < 0.2 ? (on, ...at) => on.fillText("spectra", at[0] + at[1], at[2] + at[3]) : null,
  }));
}

function anyJoin(seed: number): (ink: CanvasRenderingContext2D) => void {
  const d = dice(seed);
  const [length, width] = [d.whole(1, 400), d.whole(50, 200)];
  return (ink) => drawJoin(ink, {
    cutFrame: d.whole(900, 1_400), lengthFrames: length, leadFrames: d.whole(0, length), view: { startFrame: d.between(800, 1_200), framesPerPx: d.one([0.5, 2, 7]), widthPx: width }, heightPx: d.whole(140, 300), rateHz: 1_000, label: (frame, decimals) => `${frame} to ${decimals}`,
    levelZoom: d.one([1, 8]), cursorFrame: d.whole(900, 1_400), left: d.maybe(columns(0, width)), right: d.maybe(columns(3, 3 + width)), gainAt: (u) => gainAt({ shape: d.one(["equal_power"]), bend: 0 }, u), colours,
  });
}

function anyWall(seed: number): (ink: CanvasRenderingContext2D) => void {
  const d = dice(seed);
  const count = d.whole(1, 9);
  const cells = Array.from({ length: count }, (_, n) => ({ key: `k${n}`, clips: [], name: d.one(["hit", "a very long name of a hit"]), onsetMs: d.between(0, 60), headMs: d.between(-10, 55), confidence: d.one([0.2, 0.7, 1]), reason: d.one(["", "rises slowly"]) }) as unknown as Cell);
  const heads = Array.from({ length: d.whole(0, 3) }, (_, m) => Int8Array.from({ length: 400 }, (_, n) => (n % 2 ? (n * (m + 1)) % 120 : -((n * (m + 3)) % 110))));
  const first = d.whole(0, 2);
  return (ink) => drawWall(ink, { grid: wallGrid(d.whole(100, 700), d.whole(1, 3)), cells, first, last: Math.min(first + d.whole(1, 9), count), scrollPx: d.whole(0, 90), heads: () => heads, isSelected: (cell) => cell.key === "k1", current: d.whole(0, 3), colours });
}

describe("a hundred and sixty pictures", () => {
  it.each([["strips", anyStrip, 60], ["lenses", anyLens, 60], ["joins", anyJoin, 20], ["walls", anyWall, 20]] as const)("of %s", (_, any, count) => {
    const sums = Array.from({ length: count }, (_, seed) => {
      const { ink, said } = recorder();
      any(seed)(ink);
      return sum(said());
    });
    expect(new Set(sums).size).toBeGreaterThan(0.9 * count);
    expect(sums.join(" ")).toMatchSnapshot();
  });
});

describe("pictures", () => {
  it.each(Object.entries(pictures))("%s", (_, draw) => {
    const { ink, said } = recorder();
    draw(ink);
    expect(said()).toMatchSnapshot();
  });
});
