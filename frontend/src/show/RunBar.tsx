import { Maximize, Volume2 } from "lucide-react";
import { useEffect, useState } from "react";
import { Link } from "wouter";
import { Button } from "../ui/Button";
import { formatTime } from "../time/format";
import { saveLog } from "./performanceLog";
import { db } from "./runFigures";
import { setDevice, useStage } from "./stage";

/** The line over a performance: the clock, the time since it began, what it needs, where the sound goes. */
export function RunBar({ id }: { readonly id: string }) {
  const name = useStage((stage) => stage.name);
  const began = useStage((stage) => stage.began);
  const unlocked = useStage((stage) => stage.unlocked);
  const now = useClock();
  return (
    <header className="flex h-[3.5em] shrink-0 items-center gap-4 border-b border-rule px-6 whitespace-nowrap">
      <Link href={`/jobs/${id}`} className="text-soft underline" onClick={(event) => unlocked && !confirm("Leave the performance? Everything that sounds stops at once.") && event.preventDefault()}>
        desk
      </Link>
      <h1 className="max-w-[18em] min-w-0 truncate text-[1.25em] font-bold">{name}</h1>
      <time className="num text-[1.625em]">{now.toLocaleTimeString("en-GB")}</time>
      <span className="text-soft">
        since it began <span className="num text-[1.25em] text-ink">{began === null ? "–" : formatTime(Math.max(now.getTime() - began, 0), 1000, "clock", 0)}</span>
      </span>
      <Loaded />
      <span className="ml-auto" />
      <Delays />
      <Outputs />
      <Log />
      <Button tone="quiet" onClick={() => void (document.fullscreenElement ? document.exitFullscreen() : document.documentElement.requestFullscreen())}>
        <Maximize size={16} aria-hidden /> full screen
      </Button>
    </header>
  );
}

function useClock(): Date {
  const [now, setNow] = useState(() => new Date());
  useEffect(() => {
    const timer = setInterval(() => setNow(new Date()), 250);
    return () => clearInterval(timer);
  }, []);
  return now;
}

/** Whether the show still needs the server, and events that nobody took. */
function Loaded() {
  const loaded = useStage((stage) => stage.loaded);
  const problem = useStage((stage) => stage.loadProblem);
  const missing = useStage((stage) => stage.status?.missing ?? 0);
  const unlocked = useStage((stage) => stage.unlocked);
  const { address, answers } = useStage((stage) => stage.lightDesk);
  const rate = useStage((stage) => stage.show?.plan.rate_hz ?? 48_000);
  return (
    <span className="flex items-center gap-3" role="status">
      {loaded >= 1 ? <span className="text-fine" title="the show needs no server any more">{unlocked ? "all loaded" : "all loaded: it needs no server"}</span> : <span className={problem ? "text-warn" : "text-soft"}>{problem ? "loading stopped at" : "loading"} {Math.floor(100 * loaded)} %</span>}
      {loaded < 1 && problem && <span className="max-w-[24em] truncate text-warn" title={problem}>{problem}</span>}
      {missing > 0 && <strong className="text-fail">{(missing / rate).toFixed(2)} s came too late</strong>}
      {address && answers === false && <strong className="text-warn">the light desk does not answer</strong>}
    </span>
  );
}

function Delays() {
  const delay = useStage((stage) => stage.delayMs);
  const output = useStage((stage) => stage.outputMs);
  const unlocked = useStage((stage) => stage.unlocked);
  const peak = useStage((stage) => stage.status?.peak ?? 0);
  if (!unlocked) return null;
  return (
    <>
      <span className={`num w-[5em] text-right ${peak > 1 ? "text-fail" : "text-soft"}`} title="the loudest sample of this moment">{db(peak)}</span>
      <span className="num text-soft" title="From GO to its first sample, as measured, and on to the device, as the browser says">
        GO {delay === null ? "–" : delay.toFixed(0)} + {output.toFixed(0)} ms
      </span>
    </>
  );
}

/** Outputs to choose from, where the browser lets. */
function Outputs() {
  const device = useStage((stage) => stage.device);
  const [outputs, setOutputs] = useState<readonly MediaDeviceInfo[]>([]);
  useEffect(() => {
    if (!("setSinkId" in AudioContext.prototype)) return;
    void navigator.mediaDevices?.enumerateDevices().then((all) => setOutputs(all.filter(({ kind, deviceId }) => kind === "audiooutput" && deviceId))).catch(() => undefined);
  }, []);
  if (outputs.length < 2) return null;
  return (
    <label className="flex items-center gap-1 text-soft">
      <Volume2 size={16} aria-label="output" />
      <select className="max-w-40 bg-transparent" value={device} onChange={(event) => void setDevice(event.target.value)}>
        <option value="">usual output</option>
        {outputs.map(({ deviceId, label }, n) => (
          <option key={deviceId} value={deviceId}>{label || `output ${n + 1}`}</option>
        ))}
      </select>
    </label>
  );
}

/** The log of the performance, as a file. */
function Log() {
  const count = useStage((stage) => stage.log.length);
  if (count === 0) return null;
  const save = () => {
    const { name, show, log } = useStage.getState();
    if (show) saveLog(name, show.plan, log);
  };
  return <Button tone="quiet" onClick={save}>save the log</Button>;
}
