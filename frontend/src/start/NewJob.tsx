import { FolderOpen, Upload } from "lucide-react";
import { useRef } from "react";
import type { Brief, BriefRecord, JobCard } from "../api/types";
import { pickedFiles, type Gathered } from "../imports/gatherFiles";
import { Button } from "../ui/Button";

interface Props {
  readonly briefs: readonly BriefRecord[];
  readonly brief: Brief;
  readonly onBrief: (brief: Brief) => void;
  readonly jobs: readonly JobCard[];
  /** The job whose lanes, gains and settings it begins with; empty is none. */
  readonly like: string;
  readonly onLike: (jobId: string) => void;
  readonly onFiles: (gathered: Gathered) => void;
  readonly over: boolean;
}

/** A new job: its brief, and the files to begin with. */
export function NewJob({ briefs, brief, onBrief, jobs, like, onLike, onFiles, over }: Props) {
  const title = briefs.find((one) => one.name === brief)?.title;
  const alike = jobs.filter((job) => job.brief === title);
  const files = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  return (
    <section aria-label="new job" className={`rounded-(--radius) border-2 border-dashed p-4 ${over ? "border-join bg-sheet" : "border-rule"}`}>
      <h2 className="mb-2 text-base font-bold">New job</h2>
      <fieldset className="mb-3">
        <legend className="sr-only">brief</legend>
        {briefs.map((one) => (
          <label key={one.name} className={`flex gap-2 border-b border-rule py-1.5 ${one.name === brief ? "" : "text-soft"}`}>
            <input type="radio" name="brief" className="mt-0.5 accent-(--ink)" checked={one.name === brief} onChange={() => onBrief(one.name)} />
            <span>
              <span className={one.name === brief ? "font-semibold" : ""}>{one.title}</span>
              <span className="block text-xs text-soft">
                {one.takes} → {one.gives}
              </span>
            </span>
          </label>
        ))}
      </fieldset>
      {alike.length > 0 && (
        <label className="mb-3 flex items-baseline gap-2">
          begin
          <select className="min-w-0 flex-1 rounded-(--radius) border border-rule bg-sheet px-1 py-0.5" value={like} onChange={(event) => onLike(event.target.value)} title="its lanes, gains and the settings of every card; none of its recordings">
            <option value="">from scratch</option>
            {alike.map((job) => (
              <option key={job.id} value={job.id}>like {job.name}</option>
            ))}
          </select>
        </label>
      )}
      <p className="mb-3 text-soft">Drop recordings, a folder or a saved job anywhere on this page. Files are copied; the originals are never changed.</p>
      <div className="flex gap-2">
        <Button onClick={() => files.current?.click()}>
          <Upload size={14} aria-hidden /> choose files
        </Button>
        <Button onClick={() => folder.current?.click()}>
          <FolderOpen size={14} aria-hidden /> choose a folder
        </Button>
      </div>
      <p className="mt-3 text-xs text-soft">WAV, AIFF, FLAC, Ogg Vorbis or Opus, MP3, M4A; 8 to 192 kHz.</p>
      <input ref={files} type="file" multiple hidden aria-label="recordings" onChange={(event) => onFiles(pickedFiles(event.target.files))} />
      <input ref={folder} type="file" multiple hidden aria-label="folder of recordings" {...{ webkitdirectory: "" }} onChange={(event) => onFiles(pickedFiles(event.target.files))} />
    </section>
  );
}
