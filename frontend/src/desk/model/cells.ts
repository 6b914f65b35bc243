/** The cells of the head wall: one a hit, with what is known of its head, in the order that is asked for. */
import type { Clip, ClipVerdicts, HitDraft, Job, Verdict } from "../../api/types";
import { gravest, worstOf } from "./verdicts";
import { continuing, hasSound, startOf, turnedHalves } from "./placement";

export type WallOrder = "doubt" | "name" | "air";

/** The first milliseconds of every clip, and the source frame where each picture begins. */
export type Heads = ReadonlyMap<string, { readonly startFrame: number; readonly picture: Int8Array }>;

/** What cells are made from: the draft of a search, what of it was applied, which clips decide, the pictures. */
export interface KnownHits {
  readonly draft: HitDraft | null;
  readonly drafted: boolean;
  readonly deciding: ReadonlySet<string>;
  readonly heads: Heads;
  /** What the checks say of every clip, as it was applied last. */
  readonly verdicts: ReadonlyMap<string, ClipVerdicts>;
}

/** The entries of a draft by their target: a one-shot has one, a take one for each of its hits. */
export function byTarget(draft: HitDraft): Map<string, number[]> {
  const entries = new Map<string, number[]>();
  draft.target_ids.forEach((target, n) => {
    const list = entries.get(target);
    if (list) list.push(n);
    else entries.set(target, [n]);
  });
  return entries;
}

/** A cell of the wall: the clips of one hit, one for each microphone, and what is known of its head. */
export interface Cell {
  readonly key: string;
  readonly clips: readonly Clip[];
  readonly name: string;
  /** Milliseconds from where the picture begins: the onset found, and the head. */
  readonly onsetMs: number;
  readonly headMs: number;
  readonly confidence: number;
  /** Why it is not surer. */
  readonly reason: string;
  /** The gravest thing that is wrong with any of its edges; none while a draft is shown that is not applied. */
  readonly wrong: Verdict | undefined;
}

/** The cells of a job under a draft, in the order that was asked for. */
export function cells(job: Job, known: KnownHits, order: WallOrder): Cell[] {
  const { draft, heads } = known;
  // A take that is not cut yet has one cell, and all that is drafted in it stands in the strip.
  const drafted = new Map([...(draft ? byTarget(draft) : [])].flatMap(([target, [n, ...others]]) => (n !== undefined && others.length === 0 ? [[target, n]] : [])));
  const sets = new Map<string, Clip[]>();
  const goesOn = continuing(job);
  const turned = turnedHalves(job);
  for (const clip of Object.values(job.clips).filter((one) => hasSound(one) && !goesOn.has(one.id))) {
    const key = clip.set_id ?? clip.id;
    const set = sets.get(key);
    if (set) set.push(clip);
    else sets.set(key, [clip]);
  }
  // What was applied is known to the sample; a draft only to the block.
  const pending = known.drafted ? drafted : new Map<string, number>();
  const decides = (clip: Clip): number => Number(known.deciding.has(clip.finding_id ?? clip.id));
  const all = [...sets].map(([key, clips]): Cell => {
    const wrong = known.drafted ? undefined : worstOf(clips.map(({ id }) => id), known.verdicts);
    return { ...cellOf(job, draft, pending, turned, heads, key, clips.sort((a, b) => decides(b) - decides(a))), wrong };
  });
  const start = new Map(all.map((cell) => [cell.key, cell.clips[0] ? startOf(job, cell.clips[0]) : 0]));
  const strength = (cell: Cell): number => draft?.strengths.indexOf(cell.clips[0]?.strike?.strength ?? "") ?? 0;
  const thing = (cell: Cell): string => cell.clips[0]?.strike?.name ?? cell.name;
  const grave = (wrong: Verdict | undefined): number => (wrong ? gravest([wrong]) : 0);
  const by: Record<WallOrder, (a: Cell, b: Cell) => number> = {
    doubt: (a, b) => a.confidence - b.confidence || grave(b.wrong) - grave(a.wrong),
    name: (a, b) => thing(a).localeCompare(thing(b), undefined, { numeric: true }) || strength(a) - strength(b),
    air: (a, b) => b.onsetMs - a.onsetMs,
  };
  return all.sort((a, b) => by[order](a, b) || (start.get(a.key) ?? 0) - (start.get(b.key) ?? 0));
}

/** What is struck and how hard, as the name of its file says; its takes have it in common. */
export const struckAs = (strike: NonNullable<Clip["strike"]>): string => [strike.name, strike.strength].filter(Boolean).join(" ");

function cellOf(job: Job, draft: HitDraft | null, drafted: ReadonlyMap<string, number>, turned: ReadonlyMap<string, string>, heads: Heads, key: string, clips: readonly Clip[]): Omit<Cell, "wrong"> {
  const clip = clips[0];
  if (!clip) return { key, clips, name: "", onsetMs: 0, headMs: 0, confidence: 1, reason: "" };
  const finding = clip.finding_id === null ? undefined : job.findings[clip.finding_id];
  const corrected = finding?.corrections?.some((correction) => correction.side === "head" && correction.edge_frame !== null);
  const n = drafted.get(clip.finding_id ?? clip.id);
  const begins = heads.get(clip.id)?.startFrame ?? finding?.head_frame ?? clip.head_frame;
  const ms = (frame: number) => ((frame - begins) * 1000) / (job.sources[clip.source_id]?.rate_hz ?? 48_000);
  const head = corrected || n === undefined ? clip.head_frame : (draft?.heads[n] ?? clip.head_frame);
  // A turned loop begins in the middle of its sound: it has no onset of its own.
  const speaks = turned.has(clip.id) ? clip.head_frame : (clip.sound_start_frame ?? clip.head_frame);
  const onset = n === undefined ? speaks : (draft?.onsets[n] ?? 0);
  const { confidence, reason } = corrected ? { confidence: 1, reason: "" } : n === undefined ? leastSure(clip) : { confidence: draft?.confidences[n] ?? 1, reason: draft?.reasons[n] ?? "" };
  const name = clip.strike ? [struckAs(clip.strike), clip.strike.take].filter((part) => part !== null).join(" ") : clip.name;
  return { key, clips, name, onsetMs: ms(onset), headMs: ms(head), confidence, reason };
}

/** How sure the less sure edge of a clip is, and why. */
function leastSure(clip: Clip): Pick<Cell, "confidence" | "reason"> {
  const [start, end] = [clip.confidence ?? 1, clip.end_confidence ?? 1];
  return end < start ? { confidence: end, reason: clip.end_reason } : { confidence: start, reason: clip.reason };
}
