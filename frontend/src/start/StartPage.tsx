import { useQuery, useQueryClient } from "@tanstack/react-query";
import { FolderOpen, Moon, Sun, Upload } from "lucide-react";
import { useEffect, useRef, useState, type DragEvent } from "react";
import { Link, useLocation } from "wouter";
import { api } from "../api/client";
import type { Brief, JobCard } from "../api/types";
import { formatTime } from "../time/format";
import { Arrivals } from "../ui/Arrivals";
import { bringIn, droppedFiles, pickedFiles } from "../ui/bringIn";
import { Button } from "../ui/Button";
import { applyTheme, currentTheme } from "../ui/theme";

/** The jobs and what each is waiting for; a new one by dropping files anywhere. */
export function StartPage() {
  const jobs = useQuery({ queryKey: ["jobs"], queryFn: api.jobs, refetchOnMount: "always" });
  const queries = useQueryClient();
  const [, go] = useLocation();
  const [over, setOver] = useState(false);
  const [theme, setTheme] = useState(currentTheme());
  const [problem, setProblem] = useState<string | null>(null);
  const [brief, setBrief] = useState<Brief>("voiceover");

  useEffect(() => {
    document.title = "Wemble";
  }, []);

  const start = async (files: File[]) => {
    setProblem(null);
    const [first] = files;
    if (!first) {
      setProblem("There was no sound in that folder. WAV, AIFF, FLAC, Ogg, MP3 and M4A are taken.");
      return;
    }
    try {
      const name = files.length === 1 ? first.name.replace(/\.[^.]+$/, "").slice(0, 200) || "New job" : "New job";
      const id = await api.makeJob(name, brief);
      const opened = () => go(`/jobs/${id}`);
      let came = false;
      await bringIn(id, files, () => {
        if (!came) opened(); // the rest come in while the first can be worked on
        came = true;
      });
      await queries.invalidateQueries({ queryKey: ["jobs"] });
    } catch (error) {
      setProblem(error instanceof Error ? error.message : String(error));
    }
  };
  const drop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    void droppedFiles(event.dataTransfer).then(start);
  };

  return (
    <div
      className="flex h-full flex-col"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={drop}
    >
      <header className="flex h-12 items-center justify-between border-b border-rule px-4">
        <span className="text-base font-bold">Wemble</span>
        <Button
          tone="quiet"
          onClick={() => {
            const next = theme === "paper" ? "booth" : "paper";
            applyTheme(next);
            setTheme(next);
          }}
        >
          {theme === "paper" ? <Moon size={14} aria-hidden /> : <Sun size={14} aria-hidden />}
          {theme === "paper" ? "booth theme" : "paper theme"}
        </Button>
      </header>
      <main className="mx-auto grid w-full max-w-[1080px] flex-1 grid-cols-[1fr_320px] content-start gap-8 overflow-auto px-4 py-8">
        <section>
          <h1 className="mb-3 text-xl font-bold">Jobs</h1>
          {jobs.isError && <p className="text-fail">{jobs.error.message}</p>}
          {jobs.isPending && <p className="text-soft">reading the jobs …</p>}
          {jobs.data?.length === 0 && <p className="text-soft">No job yet. Drop recordings on this page to begin the first one.</p>}
          {jobs.data && jobs.data.length > 0 && <JobTable jobs={jobs.data} />}
        </section>
        <aside className="space-y-4">
          <NewJob brief={brief} onBrief={setBrief} onFiles={(files) => void start(files)} over={over} />
          {problem && (
            <p role="alert" className="text-fail">
              {problem}
            </p>
          )}
          <Arrivals />
        </aside>
      </main>
    </div>
  );
}

function JobTable({ jobs }: { readonly jobs: readonly JobCard[] }) {
  return (
    <table className="w-full border-collapse">
      <thead>
        <tr className="border-b border-ink text-left text-xs text-soft">
          <th className="py-1 font-normal">name</th>
          <th className="py-1 font-normal">brief</th>
          <th className="py-1 font-normal">waiting for</th>
          <th className="py-1 text-right font-normal">clips</th>
          <th className="py-1 text-right font-normal">length</th>
        </tr>
      </thead>
      <tbody>
        {jobs.map((job) => (
          <tr key={job.id} className="border-b border-rule hover:bg-sheet">
            <td className="max-w-72 truncate py-2 text-base font-semibold">
              <Link href={`/jobs/${job.id}`} className="hover:underline">
                <bdi>{job.name}</bdi>
              </Link>
            </td>
            <td className="py-2 text-soft">{job.brief}</td>
            <td className={`py-2 ${job.waiting_for.includes("look at") ? "text-warn" : ""}`}>{job.waiting_for}</td>
            <td className="num py-2 text-right">{job.clips}</td>
            <td className="num py-2 text-right">{formatTime(Math.round(job.length_s * 10), 10, "clock", 1)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

interface NewJobProps {
  readonly brief: Brief;
  readonly onBrief: (brief: Brief) => void;
  readonly onFiles: (files: File[]) => void;
  readonly over: boolean;
}

function NewJob({ brief, onBrief, onFiles, over }: NewJobProps) {
  const files = useRef<HTMLInputElement>(null);
  const folder = useRef<HTMLInputElement>(null);
  return (
    <section className={`rounded-(--radius) border-2 border-dashed p-5 ${over ? "border-join bg-sheet" : "border-rule"}`}>
      <h2 className="mb-2 text-base font-bold">New job</h2>
      <label className="mb-2 flex items-center gap-2">
        brief
        <select className="rounded-(--radius) border border-rule bg-sheet px-1.5 py-0.5" value={brief} onChange={(event) => onBrief(event.target.value as Brief)}>
          <option value="voiceover">voiceover</option>
          <option value="drums">drums and samples</option>
          <option value="release">music release</option>
        </select>
      </label>
      <p className="mb-3 text-soft">Drop recordings or a folder anywhere on this page. They are copied; the originals are never changed.</p>
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
      <input
        ref={folder}
        type="file"
        multiple
        hidden
        aria-label="folder of recordings"
        {...{ webkitdirectory: "" }}
        onChange={(event) => onFiles(pickedFiles(event.target.files))}
      />
    </section>
  );
}
