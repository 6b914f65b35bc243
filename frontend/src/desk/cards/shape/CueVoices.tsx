import { Link2, Link2Off, X } from "lucide-react";
import type { Cue, CueVoice } from "../../../api/types";
import { Button } from "../../../ui/Button";
import { Num } from "../../../ui/Num";
import { Progress } from "../../../ui/Progress";
import { useOpen } from "../../state/desk";
import { setVoices, shiftPitch, stopShifting, useShifting } from "../../state/show";

const COPY: CueVoice = { delay_frames: 0, left_db: -6, right_db: -6, linked: true, semitones: 0, shifted_source_id: null, echo: null };

/** The same sound again: copies inside a cue, each delayed, at its own level, at another pitch, with an echo. */
export function CueVoices({ cue }: { readonly cue: Cue }) {
  const rate = useOpen((desk) => desk.job.rate_hz) || 48_000;
  const mono = useOpen((desk) => desk.job.channels === 1);
  const { taskId, part } = useShifting();
  const change = (n: number, part: Partial<CueVoice>) => setVoices(cue, cue.voices.map((voice, k) => (k === n ? { ...voice, ...part } : voice)));
  return (
    <section aria-label="the same sound again" className="space-y-2 border-t border-rule pt-3 leading-7">
      <h3 className="font-bold">The same sound again</h3>
      <ol className="space-y-2">
        {cue.voices.map((voice, n) => (
          <li key={n} className={n ? "border-l-3 border-rule pl-2" : ""}>
            <p>
              {n === 0 ? "The sound at " : "Copy, "}
              {n > 0 && (
                <>
                  <Num label={`delay of copy ${n}`} value={voice.delay_frames / rate} unit="s" lowest={0} highest={600} step={0.01} decimals={3} onChange={(s) => change(n, { delay_frames: Math.round(s * rate) })} /> later,{" "}
                </>
              )}
              <Levels voice={voice} mono={mono} of={n === 0 ? "the sound" : `copy ${n}`} onChange={(part) => change(n, part)} />
              {n > 0 && <Button tone="quiet" className="px-1!" aria-label={`remove copy ${n}`} onClick={() => setVoices(cue, cue.voices.filter((_, k) => k !== n))}><X size={13} aria-hidden /></Button>}
            </p>
            <p>
              pitch <Num label={`pitch of ${n === 0 ? "the sound" : `copy ${n}`}`} value={voice.semitones} unit="semitones" lowest={-24} highest={24} step={1} onChange={(semitones) => semitones !== voice.semitones && void shiftPitch(cue, n, semitones)} />;{" "}
              {voice.echo ? (
                <>
                  echo every <Num label="echo comes every" value={voice.echo.every_frames / rate} unit="s" lowest={0.01} highest={60} step={0.01} decimals={2} onChange={(s) => voice.echo && change(n, { echo: { ...voice.echo, every_frames: Math.round(s * rate) } })} />, from{" "}
                  <Num label="level of the echo" value={voice.echo.level_db} unit="dB" lowest={-60} highest={0} step={1} onChange={(level_db) => voice.echo && change(n, { echo: { ...voice.echo, level_db } })} />, each{" "}
                  <Num label="feedback of the echo" value={voice.echo.feedback * 100} unit="%" lowest={0} highest={80} step={5} onChange={(percent) => voice.echo && change(n, { echo: { ...voice.echo, feedback: percent / 100 } })} /> of the last.{" "}
                  <Button tone="quiet" className="px-0!" onClick={() => change(n, { echo: null })}>remove the echo</Button>
                </>
              ) : (
                <Button tone="quiet" className="px-0!" onClick={() => change(n, { echo: { every_frames: Math.round(0.35 * rate), feedback: 0.5, level_db: -6 } })}>add an echo</Button>
              )}
            </p>
          </li>
        ))}
      </ol>
      {taskId ? <Progress name="shifting the pitch" part={part} onStop={() => void stopShifting()} /> : <Button onClick={() => setVoices(cue, [...cue.voices, { ...COPY, delay_frames: rate }])}>add a copy</Button>}
    </section>
  );
}

/** Left and right, which move together until they are unlinked. */
function Levels({ voice, mono, of, onChange }: { readonly voice: CueVoice; readonly mono: boolean; readonly of: string; readonly onChange: (part: Partial<CueVoice>) => void }) {
  const level = (label: string, value: number, put: (db: number) => void) => <Num label={label} value={value} unit="dB" lowest={-60} highest={12} step={0.5} decimals={1} onChange={put} />;
  if (mono || voice.linked) {
    return (
      <>
        {level(`level of ${of}`, voice.left_db, (db) => onChange({ left_db: db, right_db: db }))}
        {!mono && <Button tone="quiet" className="px-1!" aria-label={`unlink left and right of ${of}`} title="left and right move together: unlink them" onClick={() => onChange({ linked: false })}><Link2 size={13} aria-hidden /></Button>}
      </>
    );
  }
  return (
    <>
      left {level(`left level of ${of}`, voice.left_db, (left_db) => onChange({ left_db }))}, right {level(`right level of ${of}`, voice.right_db, (right_db) => onChange({ right_db }))}
      <Button tone="quiet" className="px-1!" aria-label={`link left and right of ${of}`} title="link them: both at the left one's level" onClick={() => onChange({ linked: true, right_db: voice.left_db })}><Link2Off size={13} aria-hidden /></Button>
    </>
  );
}
