import { Magnet, Play, Repeat, Square } from "lucide-react";
import { useEffect, useRef } from "react";
import { formatPlace, type TimeStyle } from "../../time/format";
import { Num } from "../../ui/Num";
import { TypedText } from "../../ui/TypedText";
import { keyOf } from "../commands/commands";
import { currentPair } from "../state/clipEdits";
import { currentClip, type Hearing, player, setAround, setHearing, setLoops, setSnaps, setTimeStyle, showPlace, typedPlace, useOpen } from "../state/desk";
import { hearEdge, hearJoin, togglePlay } from "../state/listening";
import { usePlayhead } from "../state/usePlayhead";

const button = "flex items-center gap-2 rounded-(--radius) border border-rule bg-sheet px-2.5 py-1.5 whitespace-nowrap hover:border-ink disabled:text-soft disabled:opacity-60";
const key = (name: string) => <kbd className="num text-soft">{keyOf(name)}</kbd>;

const HEARINGS: readonly (readonly [Hearing, string])[] = [
  ["result", "result"],
  ["without_fades", "without fades"],
  ["original", "original"],
  ["before_edit", "before the last edit"],
];

/** Play, time, what to hear, how loud. */
export function Transport() {
  const playing = useOpen((desk) => desk.playing);
  const loops = useOpen((desk) => desk.loops);
  const job = useOpen((desk) => desk.job);
  const rate = job.rate_hz || 48_000;
  const meets = useOpen((desk) => currentPair(desk) !== null);
  const style = useOpen((desk) => desk.timeStyle);
  const nothing = useOpen((desk) => Object.keys(desk.job.clips).length === 0);
  const noClip = useOpen((desk) => currentClip(desk) === undefined);
  const aroundS = useOpen((desk) => desk.aroundS);
  const hearing = useOpen((desk) => desk.hearing);
  const snaps = useOpen((desk) => desk.snaps);
  const frame = usePlayhead();
  return (
    <footer aria-label="listen" className="flex h-14 items-center gap-2 border-t border-rule px-4">
      <button type="button" aria-label={playing ? "stop" : "play"} title={keyOf("play or stop")} disabled={nothing} className="grid size-9 shrink-0 place-items-center rounded-(--radius) bg-ink text-on-ink disabled:opacity-50" onClick={togglePlay}>
        {playing ? <Square size={15} fill="currentColor" aria-hidden /> : <Play size={15} fill="currentColor" aria-hidden />}
      </button>
      <PlaceField frame={Math.round(frame)} />
      <button type="button" className={button} disabled={noClip} onClick={() => hearEdge("head")}>
        <span aria-hidden className="text-head">◖</span> hear head {key("hear head")}
      </button>
      <button type="button" className={button} disabled={noClip} onClick={() => hearEdge("tail")}>
        <span aria-hidden className="text-tail">◗</span> hear tail {key("hear tail")}
      </button>
      <button type="button" className={button} disabled={!meets} title={meets ? undefined : "no clips meet at the selected edge"} onClick={hearJoin}>
        hear join {key("hear join")}
      </button>
      <button type="button" aria-pressed={loops} className={`${button} ${loops ? "border-ink bg-shade font-semibold" : ""}`} onClick={() => setLoops(!loops)}>
        <Repeat size={14} aria-hidden /> loop {key("loop")}
      </button>
      <span className="whitespace-nowrap text-soft">
        <Num label="heard around edges" value={aroundS} unit="s" lowest={0.1} highest={30} step={0.1} decimals={1} onChange={setAround} /> around edges
      </span>
      <label className="flex items-center gap-1.5 whitespace-nowrap text-soft">
        listen to
        <select
          className={`w-20 rounded-(--radius) border px-1 py-0.5 ${hearing === "result" ? "border-rule bg-sheet text-ink" : "border-ink bg-ink text-on-ink"}`}
          value={hearing}
          onChange={(event) => setHearing(event.target.value as Hearing)}
        >
          {HEARINGS.map(([value, name]) => (
            <option key={value} value={value}>{name}</option>
          ))}
        </select>
      </label>
      <label className="flex items-center gap-1.5 whitespace-nowrap text-soft">
        time in
        <select className="w-19 rounded-(--radius) border border-rule bg-sheet px-1 py-0.5 text-ink" value={style} onChange={(event) => setTimeStyle(event.target.value as TimeStyle)}>
          <option value="clock">h:m:s</option>
          <option value="frames">frames</option>
          <option value="disc">disc frames</option>
          {job.grid && <option value="bars">bars</option>}
        </select>
      </label>
      <button type="button" aria-pressed={snaps} title={`what is dragged goes to beats, marks, edges and the cursor (${keyOf("snap on or off")})`} className={`${button} ${snaps ? "border-ink bg-shade font-semibold" : ""}`} onClick={() => setSnaps(!snaps)}>
        <Magnet size={14} aria-hidden /> snap
      </button>
      <span className="num ml-auto hidden whitespace-nowrap text-soft min-[1360px]:inline">{!nothing && `${(rate / 1000).toFixed(1)} kHz`}</span>
      <Meter playing={playing} />
    </footer>
  );
}

/** Where the cursor or what sounds is; typed, it goes there. */
function PlaceField({ frame }: { readonly frame: number }) {
  const job = useOpen((desk) => desk.job);
  const style = useOpen((desk) => desk.timeStyle);
  return (
    <TypedText
      label="place"
      title="type a time, frames (45000f) or bars, or a step such as +5ms"
      className="w-34 shrink-0 rounded-(--radius) border border-transparent bg-transparent px-1 text-xl font-bold hover:border-rule focus:border-join focus:bg-sheet"
      value={formatPlace(job, frame, style)}
      onTake={(text) => {
        const to = typedPlace(job, text, frame, style);
        if (to !== null) showPlace(to);
      }}
    />
  );
}

/** The level that sounds now, from −60 to 0 dB; written to the page without a render. */
function Meter({ playing }: { readonly playing: boolean }) {
  const bar = useRef<HTMLDivElement>(null);
  const text = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    let request = 0;
    const tick = () => {
      const db = 20 * Math.log10(Math.max(player.level(), 1e-6));
      if (bar.current) bar.current.style.width = `${Math.max(0, Math.min(1, 1 + db / 60)) * 100}%`;
      if (text.current) text.current.textContent = db > -100 ? `${db.toFixed(1).replace("-", "−")} dB` : "−∞ dB";
      request = requestAnimationFrame(tick);
    };
    if (playing) request = requestAnimationFrame(tick);
    else {
      if (bar.current) bar.current.style.width = "0";
      if (text.current) text.current.textContent = "";
    }
    return () => cancelAnimationFrame(request);
  }, [playing]);
  return (
    <>
      <span ref={text} className="num w-18 whitespace-nowrap text-right" />
      <div aria-hidden className="h-2.5 w-16 bg-shade">
        <div ref={bar} className="h-full bg-wave" />
      </div>
    </>
  );
}
