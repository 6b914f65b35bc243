import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api } from "../../../api/client";
import type { Clip, Job } from "../../../api/types";
import { Button } from "../../../ui/Button";
import { Num } from "../../../ui/Num";
import { endOf, startOf } from "../../model/placement";
import { currentClip, desk, fail, notify, useOpen } from "../../state/desk";
import { edit } from "../../state/edits";
import { play } from "../../state/listening";
import { useSetting } from "../../state/settings";

const NONE = { front: "", behind: "", frontOverlapS: 0, behindOverlapS: 0, byDb: 15, attackS: 0.5, releaseS: 2 };
const AROUND_S = 3;

/** What goes in front of the talk and behind it: pieces kept from any job, and the music's room for the voice. */
export function Pieces() {
  const { data: pieces = [] } = useQuery({ queryKey: ["pieces"], queryFn: api.pieces });
  const [chosen, choose] = useSetting("pieces", NONE);
  const opening = useOpen((state) => pieceOf(state.job, "opening"));
  const closing = useOpen((state) => pieceOf(state.job, "closing"));
  return (
    <section aria-label="opening and closing" className="space-y-1.5 border-t border-rule pt-3">
      <h2 className="text-base font-bold">Opening and closing</h2>
      {pieces.length === 0 && <p className="text-soft">None kept yet: select a clip in any job, and keep it.</p>}
      {pieces.length > 0 && (
        <>
          <Row name="opening" act="Put in front" value={chosen.front} overlap={chosen.frontOverlapS} pieces={pieces} onChoose={(front) => choose({ ...chosen, front })} onOverlap={(frontOverlapS) => choose({ ...chosen, frontOverlapS })} onPut={() => void edit({ kind: "place_piece", piece: chosen.front, end: "front", overlap_s: chosen.frontOverlapS })} placed={opening} joint="end" />
          <Row name="closing" act="Put behind" value={chosen.behind} overlap={chosen.behindOverlapS} pieces={pieces} onChoose={(behind) => choose({ ...chosen, behind })} onOverlap={(behindOverlapS) => choose({ ...chosen, behindOverlapS })} onPut={() => void edit({ kind: "place_piece", piece: chosen.behind, end: "behind", overlap_s: chosen.behindOverlapS })} placed={closing} joint="start" />
        </>
      )}
      {(opening ?? closing) && (
        <p className="leading-8">
          Music is turned down under the voice by <Num label="music turned down by" value={chosen.byDb} unit="dB" lowest={1} highest={60} step={1} onChange={(byDb) => choose({ ...chosen, byDb })} />, within <Num label="how fast it goes down" value={chosen.attackS} unit="s" lowest={0.05} highest={30} step={0.05} decimals={2} onChange={(attackS) => choose({ ...chosen, attackS })} />, back within{" "}
          <Num label="how fast it comes back" value={chosen.releaseS} unit="s" lowest={0.05} highest={30} step={0.05} decimals={2} onChange={(releaseS) => choose({ ...chosen, releaseS })} />.{" "}
          {[opening, closing].map((clip) => clip && (
            <Button key={clip.id} className="mr-1.5" onClick={() => void edit({ kind: "duck", clip_id: clip.id, by_db: chosen.byDb, attack_s: chosen.attackS, release_s: chosen.releaseS })}>
              Turn down “{clip.name}”
            </Button>
          ))}
        </p>
      )}
      <Keep />
    </section>
  );
}

const pieceOf = (job: Job, role: string): Clip | undefined => Object.values(job.clips).find((clip) => job.lanes[clip.lane_id]?.role === role);

interface RowProps {
  readonly name: string;
  readonly act: string;
  readonly value: string;
  readonly overlap: number;
  readonly pieces: readonly { readonly name: string; readonly seconds: number }[];
  readonly onChoose: (name: string) => void;
  readonly onOverlap: (seconds: number) => void;
  readonly onPut: () => void;
  readonly placed: Clip | undefined;
  /** At which of its ends the talk is. */
  readonly joint: "start" | "end";
}

function Row({ name, act, value, overlap, pieces, onChoose, onOverlap, onPut, placed, joint }: RowProps) {
  const known = pieces.some((piece) => piece.name === value);
  const hear = () => {
    const { job } = desk();
    if (!placed) return;
    const at = joint === "end" ? endOf(job, placed) : startOf(job, placed);
    play([{ start: Math.max(at - AROUND_S * job.rate_hz, 0), end: at + AROUND_S * job.rate_hz }], false);
  };
  return (
    <div className="flex flex-wrap items-center gap-1.5">
      <select aria-label={name} className="min-w-0 flex-1 basis-36 rounded-(--radius) border border-rule bg-sheet px-1.5 py-1" value={known ? value : ""} onChange={(event) => onChoose(event.target.value)}>
        <option value="">{name}: none chosen</option>
        {pieces.map((piece) => (
          <option key={piece.name} value={piece.name}>
            {piece.name}, {piece.seconds.toFixed(1)} s
          </option>
        ))}
      </select>
      <Button disabled={!known} onClick={onPut}>{act}</Button>
      <span className="text-soft">
        over the talk by <Num label={`overlap of the ${name}`} value={overlap} unit="s" lowest={0} highest={60} step={0.1} decimals={1} onChange={onOverlap} />
      </span>
      {placed && <Button tone="quiet" onClick={hear}>hear the join</Button>}
      {known && !placed && <Forget name={value} />}
    </div>
  );
}

/** Forget pieces that are not wanted any more: what lies in jobs stays. */
function Forget({ name }: { readonly name: string }) {
  const queries = useQueryClient();
  const forget = async () => {
    try {
      await api.forgetPiece(name);
      await queries.invalidateQueries({ queryKey: ["pieces"] });
      notify(`“${name}” is no longer kept; where it was put it stays, and from there it can be kept again.`);
    } catch (error) {
      fail(error);
    }
  };
  return (
    <Button tone="quiet" title={`take “${name}” off the list of what is kept; jobs that have it stay as they are`} onClick={() => void forget()}>
      forget
    </Button>
  );
}

/** Keep the selected clip, to be used again. */
function Keep() {
  const clip = useOpen(currentClip);
  const queries = useQueryClient();
  const keep = async () => {
    if (!clip) return;
    try {
      await api.keepPiece(desk().id, desk().revision, clip.id, clip.name);
      await queries.invalidateQueries({ queryKey: ["pieces"] });
      notify(`“${clip.name}” is kept: any podcast job can put it in front or behind.`);
    } catch (error) {
      fail(error);
    }
  };
  return (
    <p>
      <Button tone="quiet" disabled={!clip} onClick={() => void keep()}>
        keep “{clip?.name ?? "the selected clip"}” to use again
      </Button>
    </p>
  );
}
