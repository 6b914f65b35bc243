import { useState } from "react";
import type { Cue } from "../../api/types";
import { edit } from "../state/edits";

/** A cue's number, typed over: it stays with its cue wherever that goes. */
export function CueNumber({ cue }: { readonly cue: Cue }) {
  const [typed, setTyped] = useState<string | null>(null);
  const take = () => {
    if (typed !== null && typed.trim() && typed.trim() !== cue.number) void edit({ kind: "set_cue", cue_ids: [cue.id], settings: { number: typed.trim() } });
    setTyped(null);
  };
  return (
    <input
      aria-label={`number of ${cue.name}`}
      className="num w-10 shrink-0 rounded-(--radius) border border-transparent bg-transparent text-right font-bold hover:border-rule focus:border-join"
      value={typed ?? cue.number}
      onFocus={(event) => event.target.select()}
      onChange={(event) => setTyped(event.target.value)}
      onBlur={take}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur();
        if (event.key === "Escape") setTyped(null);
      }}
    />
  );
}
