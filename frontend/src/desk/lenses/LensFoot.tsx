import { CircleAlert, CircleCheck, TriangleAlert } from "lucide-react";
import type { Clip, Fade, Shape, Side, Verdict } from "../../api/types";
import { formatPlace, formatTime } from "../../time/format";
import { countedFrom, placed, sourceFrameAt } from "../model/placement";
import { Num } from "../../ui/Num";
import { TypedText } from "../../ui/TypedText";
import { gainAt, passes, SHAPE_NAMES } from "../../wave/curve";
import { moveEdgeTo, nudge } from "../state/clipEdits";
import { setJoinLens, showPlace, typedPlace, useOpen } from "../state/desk";
import { selectClip } from "../state/selection";

interface FootProps {
  readonly clip: Clip;
  readonly side: Side;
  readonly rateHz: number;
  readonly frame: number;
  readonly fade: Fade | null;
  readonly joined: boolean;
  readonly soundFrame: number | null;
  readonly onFade: (part: Partial<Fade>) => void;
}

const LONGEST_PLACE = 11;

/** Under a lens: place and nudges of its edge, its fade, its verdicts. */
export function LensFoot({ clip, side, rateHz, frame, fade, joined, soundFrame, onFade }: FootProps) {
  const style = useOpen((desk) => desk.timeStyle);
  const verdicts = useOpen((desk) => desk.verdicts.get(clip.id)?.verdicts);
  const mine = (verdicts ?? []).filter((verdict) => verdict.side === side);
  const job = useOpen((desk) => desk.job);
  const zero = useOpen((desk) => countedFrom(desk.job, clip, desk.brief.times_of_source));
  /** The edge's place in the job, or in its recording. */
  const written = (decimals: number) => formatPlace(job, placed(job, clip, frame) - zero, style, decimals);
  /** As fine as there is room for: past an hour, to the millisecond. */
  const shown = written(4).length > LONGEST_PLACE ? written(3) : written(4);
  const place = (text: string) => {
    const to = typedPlace(job, text, placed(job, clip, frame) - zero, style);
    if (to !== null) moveEdgeTo(clip.id, side, Math.max(sourceFrameAt(job, clip, to + zero), 0));
  };
  const room = soundFrame === null ? null : ((soundFrame - frame) / rateHz) * 1000 * (side === "head" ? 1 : -1);
  return (
    <footer className="space-y-1 px-3 pt-1.5 pb-2">
      <div className="flex items-center gap-1">
        {NUDGES.slice(0, 3).map((step) => (
          <Nudge key={step.text} {...step} side={side} clip={clip} rateHz={rateHz} />
        ))}
        <TypedText
          label={`place of the ${side}`}
          className="min-w-0 flex-1 rounded-(--radius) border border-transparent bg-transparent text-center text-sm font-bold hover:border-rule focus:border-join focus:bg-sheet"
          value={shown}
          edited={written(6)}
          title={`${formatTime(frame, rateHz, "clock", 4)} in its recording`}
          onTake={place}
        />
        {NUDGES.slice(3).map((step) => (
          <Nudge key={step.text} {...step} side={side} clip={clip} rateHz={rateHz} />
        ))}
      </div>
      <div className="flex items-center gap-2 text-soft">
        {joined ? (
          <button
            type="button"
            className="underline"
            onClick={() => {
              selectClip(clip.id, side, "keep");
              setJoinLens(true);
            }}
          >
            crossfade to the next clip
          </button>
        ) : (
          <>
            <span>fade</span>
            <Num label={`fade at the ${side}`} value={fade ? (fade.length_frames / rateHz) * 1000 : 0} unit="ms" lowest={0} highest={60_000} step={1} decimals={1} onChange={(ms) => onFade({ length_frames: Math.round((ms * rateHz) / 1000) })} />
            <select
              aria-label={`shape of the fade at the ${side}`}
              className="rounded-(--radius) border border-rule bg-sheet px-1 text-ink disabled:text-soft"
              value={fade?.points.length ? "drawn" : (fade?.shape ?? "s")}
              disabled={!fade}
              onChange={(event) => onFade(event.target.value === "drawn" ? { points: [[0.5, gainAt(fade ?? { shape: "s", bend: 0 }, 0.5)]] } : { shape: event.target.value as Shape, points: [] })}
            >
              <option value="drawn">drawn</option>
              {SHAPE_NAMES.map(([shape, name]) => (
                <option key={shape} value={shape}>{name}</option>
              ))}
            </select>
            <span className="text-xs">{fade ? (fade.origin === "auto" ? "automatic" : "yours") : "none"}</span>
          </>
        )}
        {room !== null && (
          <span className="ml-auto whitespace-nowrap">
            room <span className="num">{room.toFixed(0)} ms</span>
          </span>
        )}
      </div>
      {fade && !joined && (
        <p className="truncate text-xs text-soft">
          bend <Num label={`bend at the ${side}`} value={fade.bend} unit="" lowest={-1} highest={1} step={0.05} decimals={2} onChange={(bend) => onFade({ bend })} /> · <span className="num">{passing(fade, rateHz)}</span>
        </p>
      )}
      <Verdicts list={mine} onShow={() => showPlace(placed(job, clip, frame))} />
    </footer>
  );
}

/** When a fade passes −40 and −20 dB, counted from its outer end. */
function passing(fade: Fade, rateHz: number): string {
  const ms = passes(fade).map((part) => ((part * fade.length_frames) / rateHz) * 1000);
  const text = (value = 0) => (value >= 1000 ? `${(value / 1000).toFixed(2)} s` : `${value.toFixed(value < 10 ? 1 : 0)} ms`);
  return `−40 dB after ${text(ms[0])}, −20 after ${text(ms[1])}`;
}

const NUDGES = [
  { text: "−10", milliseconds: -10, frames: 0 },
  { text: "−1 ms", milliseconds: -1, frames: 0 },
  { text: "−1f", milliseconds: 0, frames: -1 },
  { text: "+1f", milliseconds: 0, frames: 1 },
  { text: "+1 ms", milliseconds: 1, frames: 0 },
  { text: "+10", milliseconds: 10, frames: 0 },
] as const;

interface NudgeProps {
  readonly text: string;
  readonly milliseconds: number;
  readonly frames: number;
  readonly side: Side;
  readonly clip: Clip;
  readonly rateHz: number;
}

function Nudge({ text, milliseconds, frames, side, clip, rateHz }: NudgeProps) {
  return (
    <button
      type="button"
      aria-label={`${text} ${side}`}
      className="num rounded-(--radius) border border-rule bg-sheet px-1.5 py-0.5 text-xs tracking-tight whitespace-nowrap hover:border-ink"
      onClick={() => {
        selectClip(clip.id, side, "keep");
        nudge(frames + Math.round((milliseconds * rateHz) / 1000));
      }}
    >
      {text}
    </button>
  );
}

/** The gravest verdict with its icon and word, then the figures of the others. */
function Verdicts({ list, onShow }: { readonly list: readonly Verdict[]; readonly onShow: () => void }) {
  const [first, ...rest] = list;
  if (!first) return <p className="h-4.5 text-xs text-soft">not analysed yet</p>;
  const Icon = { fine: CircleCheck, look: TriangleAlert, fail: CircleAlert }[first.state];
  const colour = { fine: "text-fine", look: "text-warn", fail: "text-fail" }[first.state];
  return (
    <p className="flex h-4.5 items-center gap-2 text-xs whitespace-nowrap" title={list.map((verdict) => verdict.text).join("\n")}>
      {first.state === "fine" ? (
        <span className={`flex items-center gap-1 font-semibold ${colour}`}>
          <Icon size={13} aria-hidden /> clean
        </span>
      ) : (
        <button type="button" className={`flex items-center gap-1 font-semibold hover:underline ${colour}`} title="show its place" onClick={onShow}>
          <Icon size={13} aria-hidden /> {first.text}
        </button>
      )}
      <span className="truncate text-soft">{(first.state === "fine" ? list : rest).map((verdict) => verdict.text).join(" · ")}</span>
    </p>
  );
}
