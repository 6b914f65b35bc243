import { TriangleAlert } from "lucide-react";
import { Link } from "wouter";
import { Button } from "../ui/Button";
import { formatTime } from "../time/format";
import { saveLog } from "./performanceLog";
import { forget, takeOver, unlock, useStage } from "./stage";

const when = (time: number): string => new Date(time).toLocaleString("en-GB", { weekday: "short", hour: "2-digit", minute: "2-digit" });

/** Before the doors open: what will go wrong, what is loaded, and sound unlocked by one press. */
export function BeforeTheDoors() {
  const { show, brokeOff, before, fromStore, jobId, name, elsewhere, editedSince } = useStage();
  if (!show) return null;
  const { plan, faults } = show;
  const stopping = faults.filter(({ stops }) => stops);
  return (
    <main className="grid min-h-0 flex-1 place-content-center gap-6 overflow-auto p-8 text-[1.375em]">
      {elsewhere ? (
        <section aria-label="in another window" className="max-w-[48em] space-y-4">
          <h2 className="text-[2.125em] font-bold">This show is running in another window</h2>
          <p aria-live="polite">
            {elsewhere.began === null ? "No GO was pressed there yet." : `The first GO was ${when(elsewhere.began)}.`} {elsewhere.standing && <>Next there: <b>{elsewhere.standing}</b>; {elsewhere.sounding} playing.</>} This page follows it and makes no sound.
          </p>
          <Button className="px-6 text-[1.25em]!" title="the other window falls silent; what was playing waits here for P" onClick={() => void takeOver()}>Take over here</Button>
        </section>
      ) : brokeOff ? (
        <section aria-label="broke off" className="max-w-[48em] space-y-4">
          <h2 className="text-[2.125em] font-bold">A performance broke off</h2>
          <p>
            It began {when(brokeOff.began)}. {brokeOff.presses.filter(({ kind }) => kind === "go").length} GOs were pressed, the last of it sounded at <span className="num">{formatTime(brokeOff.frame, plan.rate_hz, "clock", 1)}</span>. It can go on at the right cue: what was sounding stands still until you press P.
            {editedSince && " The show was edited since: it goes on as it was when it began; begin again to use the edits."}
          </p>
          <p className="flex gap-4">
            <Button tone="strong" autoFocus className="px-6 py-2 text-[1.5em]!" onClick={() => void unlock("broke_off")}>go on where it broke off</Button>
            <Button className="px-6 text-[1.25em]!" onClick={forget}>Begin again</Button>
          </p>
        </section>
      ) : (
        <section aria-label="before the doors" className="max-w-[48em] space-y-5">
          <h2 className="text-[2.125em] font-bold">Before the doors</h2>
          <p>
            {plan.cues.length} cues, {plan.bodies.length} recordings. Sound is off until you turn it on; the screen then stays awake.
            {fromStore && " The server does not answer: this is the show as the page kept it."}
          </p>
          {faults.length > 0 && (
            <p className={`flex items-start gap-3 ${stopping.length ? "text-fail" : "text-warn"}`}>
              <TriangleAlert className="mt-1 shrink-0" aria-hidden />
              <span>
                {stopping.length > 0 && `${stopping.length} ${stopping.length === 1 ? "cue" : "cues"} cannot run. `}
                {faults.length} {faults.length === 1 ? "thing" : "things"} to look at, listed in <Link href={`/jobs/${jobId}`} className="underline">Send</Link>.
              </span>
            </p>
          )}
          <Button tone="strong" autoFocus className="px-8 py-3 text-[1.75em]!" onClick={() => void unlock("the_start")}>sound on</Button>
          {before && <p><Button tone="quiet" className="px-0!" onClick={() => saveLog(name, plan, before.log)}>save the log of the performance of {when(before.began)}</Button></p>}
        </section>
      )}
    </main>
  );
}
