import { toggleTogether, useTogether } from "../state/together";
import { keyOf } from "../commands/commands";
import { EditableName } from "../../ui/EditableName";
import { Num } from "../../ui/Num";
import type { Lane } from "../../api/types";
import { audibleLanes, lanesInOrder } from "../model/placement";
import { addLane, toggleLane } from "../state/clipEdits";
import { useOpen } from "../state/desk";
import { edit } from "../state/edits";

interface HeadsProps {
  readonly topPx: number;
  readonly bottomPx: number;
  readonly laneHeightPx: number;
  readonly scrollPx: number;
  /** Whether the heads stand over their lanes, or beside them. */
  readonly roomy: boolean;
}

/** How wide the column of the heads of low lanes is, in rem: it stands beside the strip, so that nothing lies over clips. */
export const HEADS_REM = 8.5;

/** Of each lane of the strip: its name, whether it sounds, its gain and pan. Over the lane where there is room, else beside it. */
export function LaneHeads({ topPx, bottomPx, laneHeightPx, scrollPx, roomy }: HeadsProps) {
  const job = useOpen((desk) => desk.job);
  const together = useTogether();
  const heard = audibleLanes(job);
  return (
    <>
      {lanesInOrder(job).length > 0 && (
        <button type="button" className={`absolute bg-sheet/85 px-1 text-xs text-soft hover:underline ${roomy ? "right-4" : "left-1"}`} style={{ top: roomy ? topPx + 2 : bottomPx + 8 }} onClick={addLane}>
          add a lane
        </button>
      )}
      {lanesInOrder(job).length > 1 && (
        <button type="button" aria-pressed={together} title={`select and split on all lanes (${keyOf("lanes together")})`} className={`absolute bg-sheet/85 px-1 text-xs hover:underline ${together ? "font-bold" : "text-soft"} ${roomy ? "right-24" : "left-20"}`} style={{ top: roomy ? topPx + 2 : bottomPx + 8 }} onClick={toggleTogether}>
          {together ? "lanes together" : "lanes apart"}
        </button>
      )}
      {lanesInOrder(job).map((lane, n) => {
        const top = topPx + n * laneHeightPx - scrollPx;
        const shown = top > topPx - 8 && top < bottomPx - 16;
        return shown ? (
          <LaneHead key={lane.id} lane={lane} heard={heard.has(lane.id)} stereo={job.channels === 2} topPx={top} heightPx={Math.min(laneHeightPx, bottomPx - top)} roomy={roomy} />
        ) : null;
      })}
    </>
  );
}

interface Props {
  readonly lane: Lane;
  readonly heard: boolean;
  readonly stereo: boolean;
  readonly topPx: number;
  readonly heightPx: number;
  readonly roomy: boolean;
}

function LaneHead({ lane, heard, stereo, topPx, heightPx, roomy }: Props) {
  const set = (settings: Partial<Omit<Lane, "id" | "position">>) => void edit({ kind: "set_lane", lane_id: lane.id, settings });
  const toggle = (what: "muted" | "solo", name: string) => (
    <button type="button" aria-pressed={lane[what]} className={`px-1 ${lane[what] ? "bg-ink text-on-ink" : "hover:underline"}`} onClick={() => toggleLane(what, lane.id)}>
      {name}
    </button>
  );
  const name = <EditableName name={lane.name} of="lane" className={`${roomy ? "max-w-36" : "max-w-full"} ${heard ? "text-ink" : "line-through"}`} onRename={(typed) => set({ name: typed })} />;
  const sounds = (
    <span className="flex gap-2">
      {toggle("muted", "mute")}
      {toggle("solo", "solo")}
    </span>
  );
  const level = (
    <span className="flex gap-2 whitespace-nowrap">
      <Num label={`gain of the lane ${lane.name}`} value={lane.gain_db} unit="dB" lowest={-120} highest={40} step={0.5} decimals={1} onChange={(gain_db) => set({ gain_db })} />
      {stereo && (
        <Num label={`pan of the lane ${lane.name}`} value={Math.round(lane.pan * 100)} unit={lane.pan < 0 ? "% left" : lane.pan > 0 ? "% right" : "% pan"} lowest={-100} highest={100} step={1} onChange={(pan) => set({ pan: pan / 100 })} />
      )}
    </span>
  );
  const look = roomy ? "left-1 flex h-5 items-center gap-2 bg-sheet/85 pr-2 pl-1.5" : "inset-x-0 flex flex-col gap-px overflow-hidden border-b border-rule px-1.5 pt-0.5 leading-4";
  return (
    <div role="group" aria-label={`lane ${lane.name}`} className={`absolute text-xs text-soft ${look}`} style={roomy ? { top: topPx } : { top: topPx, height: heightPx }}>
      {name}
      {sounds}
      {level}
    </div>
  );
}
