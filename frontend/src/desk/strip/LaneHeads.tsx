import { Num } from "../../ui/Num";
import { useState } from "react";
import { ROOMY_LANE_PX } from "./stripDraw";
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
}

/** Over each lane of the strip: its name, whether it sounds, its gain and pan. */
export function LaneHeads({ topPx, bottomPx, laneHeightPx, scrollPx }: HeadsProps) {
  const job = useOpen((desk) => desk.job);
  const heard = audibleLanes(job);
  const roomy = laneHeightPx >= ROOMY_LANE_PX;
  return (
    <>
      {lanesInOrder(job).length > 0 && (
        <button type="button" className={`absolute bg-sheet/85 px-1 text-xs text-soft hover:underline ${roomy ? "right-4" : "left-1"}`} style={{ top: roomy ? topPx + 2 : bottomPx - 18 }} onClick={addLane}>
          add a lane
        </button>
      )}
      {lanesInOrder(job).map((lane, n) => {
        const top = topPx + n * laneHeightPx - scrollPx;
        const shown = top > topPx - 8 && top < bottomPx - 16;
        return shown ? (
          <LaneHead key={lane.id} lane={lane} heard={heard.has(lane.id)} stereo={job.channels === 2} topPx={top} roomy={roomy} />
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
  readonly roomy: boolean;
}

function LaneHead({ lane, heard, stereo, topPx, roomy }: Props) {
  const [renaming, setRenaming] = useState(false);
  const set = (settings: Partial<Omit<Lane, "id" | "position">>) => void edit({ kind: "set_lane", lane_id: lane.id, settings });
  const toggle = (what: "muted" | "solo", name: string) => (
    <button type="button" aria-pressed={lane[what]} className={`px-1 ${lane[what] ? "bg-ink text-on-ink" : "hover:underline"}`} onClick={() => toggleLane(what, lane.id)}>
      {name}
    </button>
  );
  return (
    <div role="group" aria-label={`lane ${lane.name}`} className={`absolute flex items-center gap-2 bg-sheet/85 pr-2 pl-1.5 text-xs text-soft ${roomy ? "left-1 h-5" : "right-4 h-4"}`} style={{ top: topPx + (roomy ? 0 : 1) }}>
      {renaming ? (
        <input
          autoFocus
          aria-label="name of the lane"
          className="w-28 border-b border-join bg-transparent text-ink outline-none"
          defaultValue={lane.name}
          onKeyDown={(event) => {
            if (event.key === "Enter") event.currentTarget.blur();
            if (event.key === "Escape") setRenaming(false);
          }}
          onBlur={(event) => {
            const name = event.currentTarget.value.trim();
            if (name && name !== lane.name) set({ name });
            setRenaming(false);
          }}
        />
      ) : (
        <button type="button" className={`max-w-36 truncate hover:underline ${heard ? "text-ink" : "line-through"}`} title={`${lane.name} (rename)`} onClick={() => setRenaming(true)}>
          <bdi>{lane.name}</bdi>
        </button>
      )}
      {toggle("muted", "mute")}
      {toggle("solo", "solo")}
      <Num label={`gain of the lane ${lane.name}`} value={lane.gain_db} unit="dB" lowest={-120} highest={40} step={0.5} decimals={1} onChange={(gain_db) => set({ gain_db })} />
      {stereo && (
        <Num label={`pan of the lane ${lane.name}`} value={Math.round(lane.pan * 100)} unit={lane.pan < 0 ? "% left" : lane.pan > 0 ? "% right" : "% pan"} lowest={-100} highest={100} step={1} onChange={(pan) => set({ pan: pan / 100 })} />
      )}
    </div>
  );
}
