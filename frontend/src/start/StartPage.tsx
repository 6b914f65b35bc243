import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Moon, Sun } from "lucide-react";
import { useEffect, useMemo, useState, type DragEvent } from "react";
import { useLocation } from "wouter";
import { api } from "../api/client";
import type { Brief } from "../api/types";
import { ImportList } from "../imports/ImportList";
import { droppedFiles, type Gathered } from "../imports/gatherFiles";
import { importFiles } from "../imports/importFiles";
import { Button } from "../ui/Button";
import { applyTheme, currentTheme } from "../ui/theme";
import { Bin } from "./Bin";
import { JobList } from "./JobList";
import { arranged, type JobOrder } from "./jobOrder";
import { NewJob } from "./NewJob";
import { formatBytes } from "../ui/figures";
import { useLost } from "../ui/lost";

const SEARCH_FROM = 6;
const LITTLE_ROOM_BYTES = 2e9;

/** The jobs and what each is waiting for; a new one by dropping files anywhere. */
export function StartPage() {
  const lost = useLost((state) => state.text);
  const page = useQuery({ queryKey: ["jobs"], queryFn: api.jobs, refetchOnMount: "always", refetchInterval: ({ state }) => (state.data?.jobs.some((job) => job.waits_for === "busy") ? 1500 : false) });
  const queries = useQueryClient();
  const [, go] = useLocation();
  const [over, setOver] = useState(false);
  const [theme, setTheme] = useState(currentTheme());
  const [problem, setProblem] = useState<string | null>(null);
  const [brief, setBrief] = useState<Brief>("voiceover");
  const [like, setLike] = useState("");
  const [typed, setTyped] = useState("");
  const [order, setOrder] = useState<JobOrder>("opened");
  const jobs = page.data?.jobs;
  const shown = useMemo(() => arranged(jobs ?? [], typed, order), [jobs, typed, order]);

  useEffect(() => {
    document.title = "Wemble";
  }, []);

  const refresh = () => queries.invalidateQueries({ queryKey: ["jobs"] });
  const tried = async (act: () => Promise<unknown>) => {
    setProblem(null);
    try {
      await act();
    } catch (error) {
      setProblem(error instanceof Error ? error.message : String(error));
    }
    await refresh();
  };
  const start = ({ name, files }: Gathered) =>
    tried(async () => {
      if (files.length === 0) throw new Error("There is no audio in that folder. Wemble takes WAV, AIFF, FLAC, Ogg, MP3 and M4A.");
      const id = like ? (await api.nextJob(like)).id : await api.makeJob(name.slice(0, 200) || "New job", brief);
      let opened = false;
      await importFiles(id, files, () => {
        if (!opened) go(`/jobs/${id}`); // the rest is imported while the first can be worked on
        opened = true;
      });
    });
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
      onDragLeave={(event) => !event.currentTarget.contains(event.relatedTarget as Node | null) && setOver(false)}
      onDrop={drop}
    >
      <header className="flex h-12 shrink-0 items-center justify-between border-b border-rule px-4">
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
      <main className="min-h-0 flex-1 overflow-auto">
        <div className="mx-auto grid w-full max-w-[1240px] grid-cols-[minmax(0,1fr)] content-start gap-x-8 gap-y-6 px-4 py-6 lg:grid-cols-[minmax(0,1fr)_320px]">
          <section aria-label="jobs">
            <div className="mb-2 flex flex-wrap items-center gap-3">
              <h1 className="text-xl font-bold">Jobs</h1>
              {(jobs?.length ?? 0) >= SEARCH_FROM && (
                <>
                  <input aria-label="search jobs" type="search" placeholder="search" className="w-48 rounded-(--radius) border border-rule bg-sheet px-2 py-0.5" value={typed} onChange={(event) => setTyped(event.target.value)} />
                  <label className="flex items-center gap-1.5 text-soft">
                    by
                    <select className="rounded-(--radius) border border-rule bg-sheet px-1 py-0.5 text-ink" value={order} onChange={(event) => setOrder(event.target.value as JobOrder)}>
                      <option value="opened">last opened</option>
                      <option value="name">name</option>
                      <option value="size">size on disk</option>
                      <option value="length">length</option>
                    </select>
                  </label>
                </>
              )}
            </div>
            {lost && (
              <p role="alert" className="text-fail">
                {lost}
              </p>
            )}
            {page.isError && (
              <p role="alert" className="text-fail">
                {page.error.message}
              </p>
            )}
            {page.isPending && <p className="text-soft">loading jobs …</p>}
            {jobs?.length === 0 && <FirstVisit />}
            {jobs && jobs.length > 0 && shown.length === 0 && <p className="text-soft">No job matches “{typed}”.</p>}
            {shown.length > 0 && <JobList jobs={shown} onAct={(act) => void tried(act)} />}
            {page.data && page.data.removed.length + page.data.removed_deliveries.length > 0 && <Bin removed={page.data.removed} deliveries={page.data.removed_deliveries} onAct={(act) => void tried(act)} />}
          </section>
          <aside className="space-y-4">
            {page.data && <NewJob briefs={page.data.briefs} jobs={jobs ?? []} brief={brief} onBrief={(next) => (setBrief(next), setLike(""))} like={like} onLike={setLike} onFiles={(gathered) => void start(gathered)} over={over} />}
            {problem && (
              <p role="alert" className="text-fail">
                {problem}
              </p>
            )}
            <ImportList />
            {page.data && (
              <p className={`text-xs ${page.data.free_bytes < LITTLE_ROOM_BYTES ? "text-warn" : "text-soft"}`}>
                {formatBytes(page.data.free_bytes)} free on this disk{page.data.free_bytes < LITTLE_ROOM_BYTES && "; make room before you import more"}.
              </p>
            )}
          </aside>
        </div>
      </main>
    </div>
  );
}

function FirstVisit() {
  return (
    <div className="max-w-[60ch] space-y-2 rounded-(--radius) border border-rule bg-sheet p-5">
      <p className="text-base font-semibold">Drop a recording to see its edges.</p>
      <p className="text-soft">
        Choose a brief on this page, then drop a file or a folder. Wemble finds where the sound starts and ends, cuts with room, and shows head and tail side by side. To try it on made-up recordings, start it
        with <span className="num">wemble serve --demo</span>.
      </p>
    </div>
  );
}
