import { X } from "lucide-react";
import { useQuery } from "@tanstack/react-query";
import { lightDesk } from "../../../api/client";
import type { Cue, Mark } from "../../../api/types";
import { formatTime, HOW_TO_TYPE_TIME, parseTime } from "../../../time/format";
import { Button } from "../../../ui/Button";
import { EditableName } from "../../../ui/EditableName";
import { keyOf } from "../../commands/commands";
import { eventsOf, inRunningOrder, timesOf } from "../../model/cues";
import { placed } from "../../model/placement";
import { notify, showPlace, useOpen } from "../../state/desk";
import { edit } from "../../state/edits";
import { useSetting } from "../../state/settings";
import { addEvent, useCue } from "../../state/show";

const NOWHERE = { address: "" };

/** What happens at moments of the cue in hand: in time since its start, and in its recording. */
export function Events() {
  const cue = useCue();
  const events = useOpen((desk) => desk.job);
  if (!cue || cue.kind !== "sound") return <p className="text-soft">Choose a sound: events belong to moments of it.</p>;
  const rows = eventsOf(events, cue);
  return (
    <section aria-label="events" className="space-y-2">
      <div className="flex items-center justify-between">
        <h2 className="text-base font-bold">Events in <bdi>{cue.name}</bdi></h2>
        <Button title={keyOf("add an event")} onClick={addEvent}>add at cursor</Button>
      </div>
      {rows.length === 0 && <p className="text-soft">None yet. An event keeps its moment of the sound, whatever is trimmed, moved or split.</p>}
      <ol className="divide-y divide-rule border-y border-rule">
        {rows.map((event) => (
          <Event key={event.id} cue={cue} event={event} />
        ))}
      </ol>
      <Where />
    </section>
  );
}

function Event({ cue, event }: { readonly cue: Cue; readonly event: Mark }) {
  const job = useOpen((desk) => desk.job);
  const clip = job.clips[cue.clip_id ?? ""];
  if (!clip) return null;
  const rate = job.sources[clip.source_id]?.rate_hz ?? 48_000;
  const times = timesOf(job, event);
  const text = (seconds: number) => formatTime(Math.round(seconds * rate), rate);
  const outside = event.frame < clip.head_frame || event.frame > clip.tail_frame;
  const field = "num w-22 rounded-(--radius) border border-transparent bg-transparent px-1 text-right hover:border-rule focus:border-join focus:bg-sheet";
  const place = (label: string, seconds: number, from: number) => (
    <input
      key={`${label} ${event.frame} ${from}`}
      aria-label={label}
      className={`${field} ${outside ? "text-warn" : ""}`}
      defaultValue={text(seconds)}
      onBlur={(typed) => {
        const to = parseTime(typed.target.value, rate, Math.round(seconds * rate));
        if (to === null) notify(HOW_TO_TYPE_TIME);
        else if (typed.target.value !== text(seconds)) void edit({ kind: "set_event", mark_id: event.id, name: null, does: null, frame: to + from });
      }}
      onKeyDown={(key) => key.key === "Enter" && key.currentTarget.blur()}
    />
  );
  return (
    <li className="space-y-0.5 py-1">
      <p className="flex items-center gap-1">
        <EditableName name={event.name} of="event" className="min-w-0 flex-1 px-1 font-semibold" onRename={(name) => void edit({ kind: "set_event", mark_id: event.id, name, does: null, frame: null })} />
        <Button tone="quiet" className="px-1!" onClick={() => showPlace(placed(job, clip, event.frame))}>go</Button>
        <Button tone="quiet" className="px-1!" aria-label={`remove the event ${event.name}`} onClick={() => void edit({ kind: "remove_marks", mark_ids: [event.id] })}><X size={13} aria-hidden /></Button>
      </p>
      <p className="grid grid-cols-[auto_1fr_auto_1fr] items-center gap-1 pl-1 text-soft">
        <span title="since the start of the cue">cue</span> {place(`time of ${event.name} in the cue`, times.cue, clip.head_frame)} <span title="in the recording">file</span> {place(`time of ${event.name} in the file`, times.source, 0)}
      </p>
      <p className="flex items-center gap-1">
        <input
          key={`${event.id} ${event.does}`}
          aria-label={`what ${event.name} does`}
          placeholder="what to do, such as lamps to 40 %"
          className="min-w-0 flex-1 rounded-(--radius) border border-rule bg-sheet px-1.5 py-0.5"
          defaultValue={event.does}
          onBlur={(typed) => typed.target.value !== event.does && void edit({ kind: "set_event", mark_id: event.id, name: null, does: typed.target.value, frame: null })}
          onKeyDown={(key) => key.key === "Enter" && key.currentTarget.blur()}
        />
        <select aria-label={`cue of ${event.name}`} className="w-20 rounded-(--radius) border border-rule bg-sheet py-0.5" value={cue.id} onChange={(choice) => void edit({ kind: "move_event", mark_id: event.id, cue_id: choice.target.value })}>
          {inRunningOrder(job).filter((one) => one.clip_id !== null).map((one) => (
            <option key={one.id} value={one.id}>{one.number} {one.name}</option>
          ))}
        </select>
      </p>
      {outside && <p className="text-warn">It lies outside what the cue plays.</p>}
    </li>
  );
}

/** Where events go: a light desk on this machine. */
function Where() {
  const [{ address }, keep] = useSetting("light_desk", NOWHERE);
  const asked = useQuery({ queryKey: ["light desk", address], queryFn: () => lightDesk.answers(address), enabled: address !== "", refetchInterval: 5_000, retry: false });
  return (
    <p className="leading-7">
      Sent to the light desk at{" "}
      <input
        key={address}
        aria-label="address of the light desk"
        placeholder="127.0.0.1:8737"
        className="num w-36 rounded-(--radius) border border-rule bg-sheet px-1.5"
        defaultValue={address}
        onBlur={(typed) => {
          const next = typed.target.value.trim();
          if (next === "" || /^127\.0\.0\.1:\d{2,5}$/.test(next)) keep({ address: next });
          else notify("A light desk is on this machine: 127.0.0.1 and its port, such as 127.0.0.1:8737.");
        }}
        onKeyDown={(key) => key.key === "Enter" && key.currentTarget.blur()}
      />
      {address !== "" && asked.data !== undefined && <span className={asked.data ? "text-fine" : "text-warn"}> {asked.data ? "it answers" : "it does not answer: start “wemble light-desk”"}</span>}
    </p>
  );
}
