import { TriangleAlert } from "lucide-react";
import { Link } from "wouter";
import { Button } from "../ui/Button";
import { formatTime } from "../time/format";
import { forget, unlock, useStage } from "./stage";

/** Before the doors open: what will go wrong, what is loaded, and sound unlocked by one press. */
export function BeforeTheDoors() {
  const { show, brokeOff, fromStore, jobId } = useStage();
  if (!show) return null;
  const { plan, faults } = show;
  const stopping = faults.filter(({ stops }) => stops);
  return (
    <main className="grid min-h-0 flex-1 place-content-center gap-6 overflow-auto p-8 text-[22px]">
      {brokeOff ? (
        <section aria-label="broke off" className="max-w-3xl space-y-4">
          <h2 className="text-[34px] font-bold">A performance broke off</h2>
          <p>
            {brokeOff.presses.filter(({ kind }) => kind === "go").length} GOs were pressed, the last of it sounded at <span className="num">{formatTime(brokeOff.frame, plan.rate_hz, "clock", 1)}</span>. It can go on at the right cue: what was sounding stands still until you press P.
          </p>
          <p className="flex gap-4">
            <Button tone="strong" autoFocus className="px-6 py-2 text-[24px]!" onClick={() => void unlock("broke_off")}>go on where it broke off</Button>
            <Button className="px-6 text-[20px]!" onClick={forget}>begin anew</Button>
          </p>
        </section>
      ) : (
        <section aria-label="before the doors" className="max-w-3xl space-y-5">
          <h2 className="text-[34px] font-bold">Before the doors</h2>
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
          <Button tone="strong" autoFocus className="px-8 py-3 text-[28px]!" onClick={() => void unlock("anew")}>sound on</Button>
        </section>
      )}
    </main>
  );
}
