import type { Cue, CueStart, Job } from "../../api/types";
import { Num } from "../../ui/Num";
import { inRunningOrder, loopOfCue, targetsFor } from "../model/cues";
import { useOpen } from "../state/desk";
import { edit } from "../state/edits";

type Settings = Extract<Parameters<typeof edit>[0], { kind: "set_cue" }>["settings"];
const set = (cue: Cue, settings: Settings): void => void edit({ kind: "set_cue", cue_ids: [cue.id], settings });

const SELECT = "max-w-40 cursor-pointer appearance-none border-b-2 border-rule bg-transparent py-0 font-semibold [field-sizing:content] hover:border-join";

interface Props {
  readonly cue: Cue;
  /** Whether its words can be chosen from lists: those of the row in hand; hundreds of lists would scroll slowly. */
  readonly inHand: boolean;
}

/** What a cue does, and when, as a sentence with its numbers and words to change. */
export function CueSentence({ cue, inHand }: Props) {
  return (
    <span className="flex min-w-0 items-center gap-1.5 overflow-hidden whitespace-nowrap">
      <bdi className="min-w-10 truncate font-semibold">{cue.name}</bdi>
      <span aria-hidden className="text-soft">·</span>
      <Start cue={cue} inHand={inHand} />
      {cue.kind === "sound" && <SoundWords cue={cue} />}
      {(cue.kind === "fade" || cue.kind === "stop") && <FadeWords cue={cue} inHand={inHand} />}
      {cue.group && cue.group !== cue.name && <span className="truncate text-soft" title={`group ${cue.group}`}>· of {cue.group}</span>}
      {cue.page && <span className="text-soft">· page {cue.page}</span>}
      {cue.note && <span className="min-w-0 truncate text-warn italic" title={cue.note}>· {cue.note}</span>}
    </span>
  );
}

interface WordsProps {
  readonly label: string;
  readonly value: string;
  readonly choices: readonly (readonly [string, string])[];
  readonly wrong?: boolean;
  readonly onChange: (value: string) => void;
}

/** Words of a sentence, chosen from a list where there is more than one. */
function Words({ label, value, choices, wrong = false, onChange }: WordsProps) {
  const [only] = choices;
  if (choices.length === 1 && only) return <span className={`border-b-2 border-rule font-semibold ${wrong ? "text-fail" : ""}`}>{only[1]}</span>;
  return (
    <select aria-label={label} className={`${SELECT} ${wrong ? "text-fail" : ""}`} value={value} onChange={(event) => onChange(event.target.value)}>
      {choices.map(([choice, words]) => (
        <option key={choice} value={choice}>{words}</option>
      ))}
    </select>
  );
}

const nameOf = (cue: Cue): readonly [string, string] => [cue.id, `${cue.number} ${cue.name}`];

function nameOfTarget(job: Job, cue: Cue): readonly [string, string] {
  const target = job.cues[cue.target_id];
  return target ? nameOf(target) : [cue.target_id, cue.target_id === "all" ? "everything" : "nothing yet"];
}

const STARTS: readonly (readonly [CueStart, string])[] = [
  ["go", "on GO"],
  ["with", "together with"],
  ["after_start", "after the start of"],
  ["after_end", "after the end of"],
  ["after_echo", "after the end, echo included, of"],
];

/** When a cue starts: on GO, or counted from the one above. */
function Start({ cue, inHand }: Props) {
  const job = useOpen((desk) => desk.job);
  const rate = job.rate_hz || 48_000;
  const above = inRunningOrder(job)[cue.position - 1];
  if (!above) return <span>on GO</span>;
  return (
    <>
      {(cue.start === "after_start" || cue.start === "after_end" || cue.start === "after_echo") && (
        <Num label={`${cue.name} waits`} value={cue.wait_frames / rate} unit="s" lowest={0} highest={3600} step={0.1} decimals={2} onChange={(seconds) => set(cue, { wait_frames: Math.round(seconds * rate) })} />
      )}
      <Words
        label={`start of ${cue.name}`}
        value={cue.start}
        choices={inHand ? STARTS : STARTS.filter(([start]) => start === cue.start)}
        onChange={(start) => set(cue, { start: start as CueStart, ...(start === "with" || start === "go" ? { wait_frames: 0 } : {}) })}
      />
      {cue.start !== "go" && <i className="truncate">{above.name}</i>}
    </>
  );
}

function SoundWords({ cue }: { readonly cue: Cue }) {
  const loop = useOpen((desk) => loopOfCue(desk.job, cue));
  const copies = cue.voices.length - 1;
  const missing = cue.clip_id === null;
  return (
    <>
      {missing && <span className="text-fail">· no sound</span>}
      {cue.silent && <span>· starts silent</span>}
      {loop && (
        <span>
          · loops{" "}
          {cue.passes === 0 ? (
            <button type="button" className="border-b-2 border-ink font-bold" title="count the passes" onClick={() => set(cue, { passes: 2 })}>until let go</button>
          ) : (
            <Num label={`passes of ${cue.name}`} value={cue.passes} unit="times" lowest={1} highest={10_000} step={1} onChange={(passes) => set(cue, { passes })} />
          )}
        </span>
      )}
      {copies > 0 && <span>· {copies} {copies === 1 ? "copy" : "copies"}</span>}
    </>
  );
}

/** Of a fade or a stop: what it acts on, to which level, over what time. */
function FadeWords({ cue, inHand }: Props) {
  const job = useOpen((desk) => desk.job);
  const rate = job.rate_hz || 48_000;
  return (
    <>
      <span>· {cue.kind === "stop" ? "stops" : "fades"}</span>
      <Words label={`what ${cue.name} acts on`} value={cue.target_id} wrong={cue.target_id === ""} choices={inHand ? [["", "nothing yet"], ["all", "everything"], ...targetsFor(job, cue).map(nameOf)] : [nameOfTarget(job, cue)]} onChange={(target_id) => set(cue, { target_id })} />
      {cue.kind === "fade" &&
        (cue.level_db === null ? (
          <button type="button" className="border-b-2 border-ink font-bold" title="to a level instead" onClick={() => set(cue, { level_db: 0 })}>to nothing</button>
        ) : (
          <span>
            to <Num label={`level of ${cue.name}`} value={cue.level_db} unit="dB" lowest={-60} highest={12} step={0.5} decimals={1} onChange={(level_db) => set(cue, { level_db })} />
          </span>
        ))}
      <span>
        over <Num label={`length of ${cue.name}`} value={cue.length_frames / rate} unit="s" lowest={0} highest={600} step={0.1} decimals={1} onChange={(seconds) => set(cue, { length_frames: Math.round(seconds * rate) })} />
        {cue.kind === "fade" && cue.stops && ", then stops"}
      </span>
    </>
  );
}
