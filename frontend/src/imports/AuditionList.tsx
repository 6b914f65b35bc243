import { TriangleAlert } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { formatTime } from "../time/format";
import { Button } from "../ui/Button";
import { Modal } from "../ui/Modal";
import { type Auditioned, closeAudition, setTaken, useAudition } from "./audition";

/** Files that are heard with the arrow keys before they are taken in; those with flattened peaks are pointed out. */
export function AuditionList({ onTake }: { readonly onTake: (jobId: string, files: readonly File[], uploads: ReadonlyMap<File, string>) => void }) {
  const { jobId, files } = useAudition();
  if (files.length === 0) return null;
  const taken = files.filter((one) => one.taken);
  const take = () => {
    const uploads = new Map(taken.flatMap(({ file, uploadId, examined }) => (uploadId !== null && examined ? [[file, uploadId] as const] : [])));
    onTake(jobId, taken.map(({ file }) => file), uploads);
    closeAudition();
  };
  return (
    <Modal title="Hear them first" about="↑ ↓ go through the files and play them, space takes one or leaves it, Enter takes in what is ticked." open onClose={closeAudition}>
      <Files files={files} onTake={take} />
      <p className="mt-3 flex justify-end gap-2">
        <Button onClick={closeAudition}>take in none</Button>
        <Button tone="strong" disabled={taken.length === 0} onClick={take}>
          take in {taken.length} {taken.length === 1 ? "file" : "files"}
        </Button>
      </p>
    </Modal>
  );
}

function Files({ files, onTake }: { readonly files: readonly Auditioned[]; readonly onTake: () => void }) {
  const [at, setAt] = useState(0);
  const audio = useRef<HTMLAudioElement>(null);
  const list = useRef<HTMLUListElement>(null);
  const chosen = files[at];
  useEffect(() => list.current?.focus(), []);
  useEffect(() => {
    const element = audio.current;
    if (!element || !chosen) return;
    const url = URL.createObjectURL(chosen.file);
    element.src = url;
    void element.play().catch(() => undefined); // a kind that the browser cannot play is still taken in
    return () => {
      element.pause();
      element.removeAttribute("src");
      element.load(); // lets go of the file before its address goes
      setTimeout(() => URL.revokeObjectURL(url), 1_000);
    };
  }, [chosen?.file]); // eslint-disable-line react-hooks/exhaustive-deps
  return (
    <>
      <audio ref={audio} />
      <ul
        ref={list}
        role="listbox"
        aria-label="files to hear"
        aria-multiselectable
        tabIndex={0}
        aria-activedescendant={`file-${at}`}
        className="max-h-80 overflow-auto rounded-(--radius) border border-rule"
        onKeyDown={(event) => {
          const move = { ArrowDown: 1, ArrowUp: -1 }[event.key];
          if (move) setAt(Math.min(Math.max(at + move, 0), files.length - 1));
          else if (event.key === " " && chosen) setTaken(chosen.file, !chosen.taken);
          else if (event.key === "Enter") onTake();
          else return;
          event.preventDefault();
        }}
      >
        {files.map((one, n) => (
          <li
            key={`${one.file.name} ${n}`}
            id={`file-${n}`}
            role="option"
            aria-selected={one.taken}
            className={`flex items-center gap-2 border-b border-rule px-2 py-1 last:border-b-0 ${n === at ? "border-l-3 border-l-ink bg-shade" : "border-l-3 border-l-transparent"}`}
            onClick={() => setAt(n)}
            onDoubleClick={() => setTaken(one.file, !one.taken)}
          >
            <span aria-hidden className="w-4 text-center">{one.taken ? "✓" : "–"}</span>
            <span className="min-w-0 flex-1">
              <bdi className="block truncate">{one.file.name}</bdi>
              {one.examined?.flattened && (
                <span className="flex items-center gap-1 text-warn"><TriangleAlert size={13} aria-hidden /> {one.examined.flattened}</span>
              )}
              {one.problem && <span className="text-fail">{one.problem}</span>}
            </span>
            <Figures one={one} />
          </li>
        ))}
      </ul>
    </>
  );
}

function Figures({ one }: { readonly one: Auditioned }) {
  if (one.problem) return null;
  if (!one.examined) return <span className="text-soft">looking at it …</span>;
  const { length_s, peak_db, channels, rate_hz } = one.examined;
  return (
    <span className="num text-right text-soft">
      {formatTime(Math.round(length_s * 1000), 1000, "clock", 1)} · {channels === 1 ? "mono" : channels === 2 ? "stereo" : `${channels} ch`} · {(rate_hz / 1000).toFixed(1)} kHz · {peak_db.toFixed(1).replace("-", "−")} dB
    </span>
  );
}
