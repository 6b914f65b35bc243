import { useEffect, useReducer, useRef, useState, type DragEvent } from "react";
import { Link } from "wouter";
import { useShallow } from "zustand/react/shallow";
import { audition } from "../../imports/audition";
import { AuditionList } from "../../imports/AuditionList";
import { ImportList } from "../../imports/ImportList";
import { droppedFiles } from "../../imports/gatherFiles";
import { importFiles, nameWhatWasLeft, useImports } from "../../imports/importFiles";
import { BRIEF_VIEWS } from "../briefs";
import { ClipList } from "../clips/ClipList";
import { FadeLens } from "../lenses/FadeLens";
import { JoinLens } from "../lenses/JoinLens";
import { OverlapLens } from "../lenses/OverlapLens";
import { Lens } from "../lenses/Lens";
import { SeamLens } from "../lenses/SeamLens";
import { MessageLine, UNFOLDED } from "./MessageLine";
import { useDeskFocus } from "./deskFocus";
import { TopBar } from "./TopBar";
import { Transport } from "../transport/Transport";
import { WalkBar } from "../walk/WalkBar";
import { commandFor } from "../commands/commands";
import { currentOverlap, currentPair } from "../state/clipEdits";
import { currentClip, desk, useDesk, useOpen } from "../state/desk";
import { importOnLanes } from "../state/lanes";
import { useSeam } from "../state/loops";
import { useSetting } from "../state/settings";
import { useCue } from "../state/show";
import { closeDesk, openDesk, reloadSoon } from "../state/session";

/** One job, opened. */
export function DeskPage({ id }: { readonly id: string }) {
  const opened = useDesk((state) => state.id === id);
  const [problem, setProblem] = useState<string | null>(null);
  useEffect(() => {
    nameWhatWasLeft(id);
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
  const { Middle, cards } = BRIEF_VIEWS[useOpen((desk) => desk.brief.name)];
  const Card = cards[step];
  const inOrder = useOpen((desk) => desk.brief.middle === "order");
  const empty = useOpen((desk) => Object.keys(desk.job.clips).length === 0);
  const [folds] = useSetting("folds", UNFOLDED);
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
  const page = useRef<HTMLDivElement>(null);
  useDeskFocus(page);
  const drop = (event: DragEvent) => {
    event.preventDefault();
    setOver(false);
    void droppedFiles(event.dataTransfer).then(({ files }) => (desk().brief.cue_a_file ? audition(id, files) : importOnLanes(id, files.length, () => importFiles(id, files))));
  };
  const came = useImports((state) => (state.jobId === id ? state.list.filter((arrival) => arrival.state === "done").length : 0));
  useEffect(() => {
    if (came > 0) reloadSoon();
  }, [came]);
  return (
    <div
      ref={page}
      tabIndex={-1}
      className="relative flex h-full min-h-[560px] min-w-[960px] flex-col outline-none"
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => event.currentTarget === event.target && setOver(false)}
      onDrop={drop}
    >
      <TopBar onTheme={redraw} />
      <main className="grid min-h-0 flex-1 grid-rows-[minmax(0,1fr)]" style={{ gridTemplateColumns: `${folds.list ? "0" : "216px"} minmax(0,1fr) ${folds.card ? "0" : "288px"}` }}>
        <div className={folds.list ? "" : "flex min-h-0 flex-col border-r border-rule"}>
          {!folds.list && <ClipList />}
          {!folds.list && !empty && <ImportList jobId={id} />}
        </div>
        <div className={`grid min-h-0 min-w-0 grid-cols-[minmax(0,1fr)] ${inOrder ? "grid-rows-[minmax(150px,1.15fr)_minmax(240px,1fr)]" : "grid-rows-[minmax(150px,0.8fr)_minmax(0,1fr)]"}`}>
          <section aria-label="strip" className="min-h-0 border-b border-rule">
            {empty ? <EmptyJob id={id} /> : <Middle />}
          </section>
          <div className="flex min-h-0 flex-col">
            {walking && <WalkBar />}
            <Lenses />
          </div>
        </div>
        <aside aria-label={`step: ${step}`} className={folds.card ? "" : "min-h-0 border-l border-rule"}>
          {!folds.card && <Card />}
        </aside>
      </main>
      <MessageLine />
      <AuditionList onTake={(jobId, files, uploads) => void importFiles(jobId, files, undefined, uploads)} />
      <Transport />
      {over && <div className="pointer-events-none absolute inset-3 z-30 grid place-items-center border-2 border-dashed border-join bg-paper/80 text-base font-bold">Drop recordings to import them into this job</div>}
    </div>
  );
}

/** A job without recordings: what to do, or how far its first ones are. */
function EmptyJob({ id }: { readonly id: string }) {
  const brief = useOpen((desk) => desk.brief);
  return (
    <div className="grid h-full place-content-center gap-3 bg-sheet p-4 text-center">
      <p className="text-base font-semibold">Drop recordings or a folder here.</p>
      <p className="text-soft">
        {brief.title}: {brief.takes} → {brief.gives}.
      </p>
      <div className="mx-auto w-96 text-left empty:hidden">
        <ImportList jobId={id} />
      </div>
    </div>
  );
}

/** Both edges of the current clip; or the selected cut, seen from both sides. */
function Lenses() {
  const joinLens = useOpen((desk) => desk.joinLens);
  const pair = useOpen(useShallow((desk) => currentPair(desk)));
  const over = useOpen(useShallow((desk) => currentOverlap(desk)));
  const step = useOpen((desk) => desk.step);
  const clip = useOpen(currentClip);
  const seam = useSeam();
  const cue = useCue();
  if (cue?.kind === "fade" || cue?.kind === "stop") return <FadeLens cue={cue} />;
  if (step === "mark" && clip && seam.loop && seam.clipId === clip.id) return <SeamLens clip={clip} loop={seam.loop} />;
  if (joinLens && pair) return <JoinLens leftId={pair[0]} rightId={pair[1]} />;
  if (joinLens && over) return <OverlapLens leftId={over[0]} rightId={over[1]} />;
  return (
    <div className="flex min-h-0 flex-1 divide-x divide-rule">
      <Lens side="head" />
      <Lens side="tail" />
    </div>
  );
}
