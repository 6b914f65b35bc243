import { X } from "lucide-react";
import { useEffect, useReducer, useState, type DragEvent } from "react";
import { Link } from "wouter";
import { useShallow } from "zustand/react/shallow";
import { Arrivals } from "../ui/Arrivals";
import { bringIn, droppedFiles, useArrivals } from "../ui/bringIn";
import { Button } from "../ui/Button";
import { pairInHand } from "./byHand";
import { ClipList } from "./ClipList";
import { commandFor } from "./commands";
import { FindCard } from "./FindCard";
import { HeadWall } from "./HeadWall";
import { HitCard } from "./HitCard";
import { useHits } from "./hits";
import { JoinLens } from "./JoinLens";
import { Lens } from "./Lens";
import { MarkCard } from "./MarkCard";
import { useSeam } from "./loops";
import { SeamLens } from "./SeamLens";
import { SendCard } from "./SendCard";
import { ShapeCard } from "./ShapeCard";
import { clipInHand, closeDesk, dismiss, openDesk, reload, reloadSoon, useDesk, useOpen } from "./state";
import { Strip } from "./Strip";
import { TopBar } from "./TopBar";
import { Transport } from "./Transport";
import { WalkBar } from "./WalkBar";

/** One job, opened. */
export function DeskPage({ id }: { readonly id: string }) {
  const opened = useDesk((state) => state.id === id);
  const [problem, setProblem] = useState<string | null>(null);
  useEffect(() => {
    openDesk(id).catch((error: unknown) => setProblem(error instanceof Error ? error.message : String(error)));
    return closeDesk;
  }, [id]);
  if (problem) {
    return (
      <main className="grid h-full place-items-center">
        <div className="space-y-3 text-center">
          <p role="alert" className="text-base">
            {problem}
          </p>
          <Link href="/" className="underline">
            all jobs
          </Link>
        </div>
      </main>
    );
  }
  if (!opened) return <main className="grid h-full place-items-center text-soft">opening …</main>;
  return <Desk id={id} />;
}

function Desk({ id }: { readonly id: string }) {
  const step = useOpen((desk) => desk.step);
  const name = useOpen((desk) => desk.job.name);
  const walking = useOpen((desk) => desk.walking);
  const findBy = useOpen((desk) => desk.findBy);
  const [over, setOver] = useState(false);
  const [, redraw] = useReducer((n: number) => n + 1, 0);
  useEffect(() => {
    document.title = `${name} · Wemble`;
  }, [name]);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const command = commandFor(event);
      if (!command) return;
      event.preventDefault();
      command.run();
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  const drop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    void droppedFiles(event.dataTransfer).then((files) => bringIn(id, files));
  };
  const came = useArrivals((state) => (state.jobId === id ? state.list.filter((arrival) => arrival.state === "done").length : 0));
  useEffect(() => {
    if (came > 0) reloadSoon();
  }, [came]);
  return (
    <div
      className="relative flex h-full flex-col"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => event.currentTarget === event.target && setOver(false)}
      onDrop={drop}
    >
      <TopBar onTheme={redraw} />
      <main className="grid min-h-0 flex-1 grid-cols-[216px_minmax(0,1fr)_288px] grid-rows-[minmax(0,1fr)]">
        <ClipList />
        <div className="grid min-h-0 min-w-0 grid-cols-[minmax(0,1fr)] grid-rows-[minmax(150px,0.8fr)_minmax(0,1fr)]">
          <section aria-label="strip" className="min-h-0 border-b border-rule">
            <Overview />
          </section>
          <div className="flex min-h-0 flex-col">
            {walking && <WalkBar />}
            <Lenses />
          </div>
        </div>
        <aside aria-label={`step: ${step}`} className="min-h-0 border-l border-rule">
          {step === "find" && (findBy === "hits" ? <HitCard /> : <FindCard />)}
          {step === "shape" && <ShapeCard />}
          {step === "mark" && <MarkCard />}
          {step === "send" && <SendCard />}
        </aside>
      </main>
      <Transport />
      <Notices />
      <div className="absolute right-4 bottom-18 w-96 shadow-float">
        <Arrivals jobId={id} />
      </div>
      {over && <div className="pointer-events-none absolute inset-3 z-30 grid place-items-center border-2 border-dashed border-join bg-paper/80 text-base font-bold">Drop recordings to bring them into this job</div>}
    </div>
  );
}

/** The strip; for drums the head wall in its place, until the strip is asked for, or as long as there is a take to be cut. */
function Overview() {
  const hits = useOpen((desk) => desk.job.brief === "drums" && desk.findBy === "hits");
  const uncut = useOpen((desk) => Object.values(desk.job.clips).every((clip) => clip.finding_id === null && clip.head_frame === 0 && clip.tail_frame === desk.job.sources[clip.source_id]?.frames));
  const alone = useOpen((desk) => Object.keys(desk.job.clips).length === 1);
  const takes = useHits((state) => state.recipe?.many ?? false);
  const [strip, setStrip] = useState(false);
  if (!hits || (uncut && (takes || alone))) return <Strip />;
  if (!strip) return <HeadWall onStrip={() => setStrip(true)} />;
  return (
    <div className="relative h-full">
      <Strip />
      <Button className="absolute top-8 right-2 z-10 text-xs" onClick={() => setStrip(false)}>
        heads
      </Button>
    </div>
  );
}

/** Both edges of the clip in hand; or the cut that is in hand, seen from both sides. */
function Lenses() {
  const joinLens = useOpen((desk) => desk.joinLens);
  const pair = useOpen(useShallow((desk) => pairInHand(desk)));
  const step = useOpen((desk) => desk.step);
  const clip = useOpen(clipInHand);
  const seam = useSeam();
  if (step === "mark" && clip && seam.loop && seam.clipId === clip.id) return <SeamLens clip={clip} loop={seam.loop} />;
  if (joinLens && pair) return <JoinLens leftId={pair[0]} rightId={pair[1]} />;
  return (
    <div className="flex min-h-0 flex-1 divide-x divide-rule">
      <Lens side="head" />
      <Lens side="tail" />
    </div>
  );
}

/** What was said of the last edit, or what went wrong; a stale one can be done again on the newest state. */
/** What is told goes by itself, as it lies over the lenses; what went wrong stays until it is read. */
const TOLD_FOR_MS = 10_000;

function Notices() {
  const notice = useOpen((desk) => desk.notice);
  useEffect(() => {
    if (notice?.tone !== "told") return;
    const later = setTimeout(dismiss, TOLD_FOR_MS);
    return () => clearTimeout(later);
  }, [notice]);
  if (!notice) return null;
  return (
    <div
      role={notice.tone === "wrong" ? "alert" : "status"}
      className={`absolute bottom-18 left-1/2 z-30 flex max-w-[640px] -translate-x-1/2 items-center gap-3 rounded-(--radius) border bg-sheet px-3 py-2 shadow-float ${notice.tone === "wrong" ? "border-fail" : "border-rule"}`}
    >
      <span>{notice.text}</span>
      {notice.again && (
        <>
          <Button onClick={() => void reload()}>Show the newest</Button>
          <Button tone="strong" onClick={() => void notice.again?.()}>
            Do it on the newest
          </Button>
        </>
      )}
      <button type="button" aria-label="dismiss" className="p-1" onClick={dismiss}>
        <X size={14} />
      </button>
    </div>
  );
}
