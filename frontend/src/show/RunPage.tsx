import { useEffect, useMemo, useState } from "react";
import { Link } from "wouter";
import type { PlannedCue, ShowPlan } from "../api/types";
import { Button } from "../ui/Button";
import { BeforeTheDoors } from "./BeforeTheDoors";
import { nextCues } from "./ahead";
import type { SoundingNow } from "./messages";
import { db, isUnheard, leftInWords, passInWords, tenths } from "./runFigures";
import { actOf, PRINTED_KEYS, STOP_HELD_MS } from "./runKeys";
import { aboutNow, choose, closeStage, openStage, press, recoverSound, useStage } from "./stage";
import { nudgeLoop } from "./nudging";
import { RunBar } from "./RunBar";

/** The performance: full screen, in the booth theme, readable from two metres. Editing is locked away. */
export function RunPage({ id }: { readonly id: string }) {
  const name = useStage((stage) => stage.name);
  const show = useStage((stage) => stage.show);
  const problem = useStage((stage) => stage.problem);
  const unlocked = useStage((stage) => stage.unlocked);
  useEffect(() => {
    const theme = document.documentElement.dataset["theme"];
    document.documentElement.dataset["theme"] = "booth";
    void openStage(id);
    return () => {
      closeStage();
      document.documentElement.dataset["theme"] = theme ?? "paper";
    };
  }, [id]);
  useEffect(() => {
    document.title = `${name || "Show"}, running · Wemble`;
  }, [name]);
  if (problem)
    return (
      <main className="grid h-full place-content-center gap-3 text-center">
        <p role="alert" className="text-[1.25em]">{problem}</p>
        <Link href={`/jobs/${id}`} className="underline">back to the desk</Link>
      </main>
    );
  if (!show) return <main className="grid h-full place-items-center text-[1.25em] text-soft">loading the show …</main>;
  return (
    <div className="flex h-full min-h-[560px] min-w-[960px] flex-col overflow-hidden text-[clamp(14px,1.25vw,30px)] leading-snug">
      <RunBar id={id} />
      <NoSound />
      {unlocked ? <Performance plan={show.plan} /> : <BeforeTheDoors />}
    </div>
  );
}

/** When there is no sound: since when, and one key that brings it back. Nothing that was pressed meanwhile fires then. */
function NoSound() {
  const since = useStage((stage) => stage.silentSince);
  if (since === null) return null;
  return (
    <div role="alert" className="flex shrink-0 items-center gap-6 bg-fail px-6 py-3 text-[1.75em] font-bold text-on-ink">
      <span className="flex-1">No sound since {new Date(since).toLocaleTimeString("en-GB")}. GO does nothing until it is back.</span>
      <button type="button" autoFocus className="rounded-(--radius) border-2 border-on-ink px-6 py-1 hover:underline" onClick={() => void recoverSound()}>
        Bring sound back <kbd className="num font-normal">R</kbd>
      </button>
    </div>
  );
}

function Performance({ plan }: { readonly plan: ShowPlan }) {
  const holding = useKeys();
  return (
    <>
      <main className="grid min-h-0 flex-1 grid-cols-[minmax(0,1.1fr)_minmax(0,1fr)]">
        <Next plan={plan} />
        <Now plan={plan} />
      </main>
      <Legend holding={holding} />
    </>
  );
}

const pauseOrResume = (): void => press(useStage.getState().status?.paused ? "go_on" : "pause");
/** What is about one sound: the chosen one, else the newest. */
const actOnSound = (act: "let_go" | "fade_this"): void => press(act, { cue: useStage.getState().chosen === null ? null : (aboutNow()?.cue ?? null) });

/** Stops everything once it was held for long enough, by a key or a finger. */
function holdToStop(onHold: (holds: boolean) => void): { readonly begin: () => void; readonly end: () => void } {
  let timer: ReturnType<typeof setTimeout> | undefined;
  const end = () => {
    clearTimeout(timer);
    onHold(false);
  };
  const begin = () => {
    clearTimeout(timer);
    onHold(true);
    timer = setTimeout(() => {
      press("stop_all");
      end();
    }, STOP_HELD_MS);
  };
  return { begin, end };
}

/** Keys, while the performance has the page: every one that is ours is kept from the browser. True while Backspace is held. */
function useKeys(): boolean {
  const [holding, setHolding] = useState(false);
  useEffect(() => {
    const stopHeld = holdToStop(setHolding);
    const down = (event: KeyboardEvent) => {
      if (event.target instanceof HTMLElement && event.target.closest("input, select, [role=dialog]")) return;
      if (event.repeat && event.key === "Backspace") return event.preventDefault();
      const act = actOf(event);
      if (!act) return;
      event.preventDefault();
      if (act === "recover") {
        if (useStage.getState().silentSince !== null) void recoverSound();
      } else if (act === "stop_held") {
        stopHeld.begin();
      } else if (act === "choose_above" || act === "choose_below") choose(act === "choose_above" ? 1 : -1);
      else if (act === "pause") pauseOrResume();
      else if (act === "let_go" || act === "fade_this") actOnSound(act);
      else if (act === "go" || act === "back" || act === "skip") press(act, {}, event.timeStamp);
      else nudgeLoop(act);
    };
    const up = (event: KeyboardEvent) => {
      if (event.key === "Backspace") stopHeld.end();
    };
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    return () => {
      stopHeld.end();
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
    };
  }, []);
  return holding;
}

/** What stands next, large; what comes after it, small. */
function Next({ plan }: { readonly plan: ShowPlan }) {
  const standing = useStage((stage) => stage.status?.standing ?? null);
  const waiting = useStage((stage) => stage.status?.waiting) ?? [];
  const cue = standing === null ? undefined : plan.cues[standing];
  const chain = nextCues(plan, standing).slice(1);
  return (
    <section aria-label="next" className="flex min-h-0 flex-col border-r border-rule px-6 py-4">
      <h2 className="text-[1.25em] text-soft">next on GO</h2>
      {cue ? (
        <div aria-live="polite">
          <p className="flex items-baseline gap-5 leading-tight">
            <span className="num text-[2.75em] text-soft">{cue.number}</span>
            <span className="min-w-0 text-[3.5em] font-bold break-words">{cue.name}</span>
          </p>
          <p className="mt-1 flex flex-wrap gap-x-6 text-[1.5em]">
            {cue.page && <span>page {cue.page}</span>}
            {cue.group && <span className="text-soft">{cue.group}</span>}
          </p>
          {cue.note && <p className="mt-2 border-l-4 border-warn pl-4 text-[1.75em]">{cue.note}</p>}
          {cue.problem && <p role="alert" className="mt-2 text-[1.5em] text-fail">cannot run: {cue.problem}</p>}
        </div>
      ) : (
        <p className="text-[2.5em] text-soft">nothing: the last cue was fired</p>
      )}
      {waiting.length > 0 && (
        <ul aria-label="by themselves" className="mt-4 text-[1.375em]">
          {waiting.map(({ cue: place, left }) => (
            <li key={place} className="flex gap-4"><span className="num w-[5em] text-right text-join">{tenths(left, plan.rate_hz)}</span> {plan.cues[place]?.name} by itself</li>
          ))}
        </ul>
      )}
      <ol aria-label="after that" className="mt-auto min-h-0 overflow-hidden pt-4 text-[1.375em]">
        {chain.slice(0, 6).map((place) => {
          const next = plan.cues[place] as PlannedCue;
          return (
            <li key={next.id} className="flex gap-4 border-t border-rule py-1">
              <span className="num w-[3.2em] text-right text-soft">{next.number}</span>
              <span className="min-w-0 flex-1 truncate">{next.name}</span>
              <span className="text-soft">{startInWords(next, plan.rate_hz)}</span>
            </li>
          );
        })}
      </ol>
    </section>
  );
}

const startInWords = (cue: PlannedCue, rateHz: number): string => {
  const wait = cue.wait ? `${(cue.wait / rateHz).toFixed(1)} s ` : "";
  return { go: "GO", with: `${wait}${wait ? "after the start" : "with it"}`, after_start: `${wait}after the start`, after_end: `${wait}after the end`, after_echo: `${wait}after the end and its echo` }[cue.start];
};

/** What sounds, heard and unheard, and the events to come. */
function Now({ plan }: { readonly plan: ShowPlan }) {
  const sounding = useStage((stage) => stage.status?.sounding) ?? [];
  const about = useStage((stage) => aboutNow(stage)?.id);
  const paused = useStage((stage) => stage.status?.paused ?? false);
  const events = sounding
    .flatMap((one) => one.events.map(([number, left]) => ({ key: `${one.id} ${number}`, left, event: plan.cues[one.cue]?.events[number] })))
    .sort((a, b) => a.left - b.left);
  return (
    <section aria-label="sounding" className="flex min-h-0 flex-col overflow-hidden px-6 py-4">
      <h2 className="text-[1.25em] text-soft">
        sounding {sounding.length}
        {paused && <strong className="ml-4 rounded-(--radius) bg-warn px-3 text-on-ink">paused</strong>}
      </h2>
      {sounding.length === 0 && <p className="text-[2.5em] text-soft">silence</p>}
      <ul className="min-h-0 overflow-auto" role="listbox" aria-label="what sounds">
        {[...sounding].reverse().map((one) => (
          <Sound key={one.id} one={one} plan={plan} about={one.id === about} />
        ))}
      </ul>
      {events.length > 0 && (
        <ul aria-label="events to come" className="mt-auto pt-3 text-[1.375em]">
          {events.slice(0, 4).map(({ key, left, event }) => (
            <li key={key} className="flex gap-4 border-t border-rule py-1">
              <span className="num w-[5em] text-right text-join">{tenths(left, plan.rate_hz)}</span>
              <span className="font-semibold">{event?.name}</span>
              <span className="truncate text-soft">{event?.does}</span>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}

function Sound({ one, plan, about }: { readonly one: SoundingNow; readonly plan: ShowPlan; readonly about: boolean }) {
  const cue = plan.cues[one.cue] as PlannedCue;
  const unheard = isUnheard(one);
  return (
    <li role="option" aria-selected={about} className={`border-t border-rule py-2 pl-3 ${about ? "border-l-4 border-l-ink" : "border-l-4 border-l-transparent"}`}>
      <p className="flex items-baseline gap-4 text-[1.875em] leading-tight font-semibold">
        <span className={`min-w-0 flex-1 truncate ${unheard ? "text-soft" : ""}`}>{cue.name}</span>
        <span className="num">{leftInWords(one, plan.rate_hz)}</span>
      </p>
      <p className="flex items-center gap-4 text-[1.25em] text-soft">
        <span className="relative h-[0.6em] w-[6.4em] shrink-0 border border-rule" aria-hidden>
          <span className="absolute inset-y-0 left-0 bg-wave" style={{ width: `${Math.max(0, Math.min(100, 100 + (100 / 60) * 20 * Math.log10(Math.max(one.gain, 1e-6))))}%` }} />
        </span>
        {unheard ? <strong className="whitespace-nowrap text-warn">sounding, unheard</strong> : <span className="num whitespace-nowrap">{db(one.gain)}</span>}
        {one.stops && <span className="whitespace-nowrap">fading out</span>}
        <span className="ml-auto whitespace-nowrap">{passInWords(one, plan.rate_hz)}</span>
      </p>
    </li>
  );
}

/** Every key, printed, and what it does as a button: GO and stopping everything largest. */
function Legend({ holding }: { readonly holding: boolean }) {
  const [held, setHeld] = useState(false);
  const paused = useStage((stage) => stage.status?.paused ?? false);
  const stopHeld = useMemo(() => holdToStop(setHeld), []);
  useEffect(() => stopHeld.end, [stopHeld]);
  const holds = holding || held;
  return (
    <footer className="border-t border-rule px-6 py-2">
      <div className="flex items-stretch gap-3">
        <Button tone="strong" className="min-h-[60px] px-6 text-[1.75em]!" onClick={() => press("go")}>
          GO <kbd className="text-[0.57em] font-normal">Enter</kbd>
        </Button>
        <button
          type="button"
          className={`relative grid min-h-[60px] touch-none place-content-center overflow-hidden rounded-(--radius) border px-4 text-[1.25em] select-none ${holds ? "border-fail" : "border-rule"}`}
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            stopHeld.begin();
          }}
          onPointerUp={stopHeld.end}
          onPointerCancel={stopHeld.end}
          onContextMenu={(event) => event.preventDefault()}
        >
          <span aria-hidden className="absolute inset-y-0 left-0 bg-fail opacity-40" style={{ width: holds ? "100%" : "0", transition: holds ? `width ${STOP_HELD_MS}ms linear` : "none" }} />
          <span className="relative">stop everything: hold <kbd className="text-[0.8em] text-soft">Backspace</kbd></span>
        </button>
        <Act name="let go" keyName="L" onPress={() => actOnSound("let_go")} />
        <Act name="fade this one" keyName="F" onPress={() => actOnSound("fade_this")} />
        <Act name={paused ? "resume" : "pause"} keyName="P" onPress={pauseOrResume} />
        <ul className="grid min-w-0 flex-1 grid-flow-col grid-rows-2 justify-start gap-x-3 gap-y-1 self-center overflow-hidden text-[0.875em] text-soft">
          {PRINTED_KEYS.map(([shown, does]) => (
            <li key={does} className="whitespace-nowrap">
              <kbd className="num mr-1 text-ink">{shown}</kbd> {does}
            </li>
          ))}
        </ul>
      </div>
    </footer>
  );
}

function Act({ name, keyName, onPress }: { readonly name: string; readonly keyName: string; readonly onPress: () => void }) {
  return (
    <Button className="min-h-[60px] min-w-[60px] px-4 text-[1.125em]!" onClick={onPress}>
      {name} <kbd className="num text-soft">{keyName}</kbd>
    </Button>
  );
}
