import { api } from "../../../api/client";
import type { Preview, SendRequest } from "../../../api/types";
import { Button } from "../../../ui/Button";
import { Progress } from "../../../ui/Progress";
import { follow, stop, workStore } from "../../state/work";

/** What a single file gives when it is decoded again. */
export type Heard = Pick<NonNullable<Preview["tried"]>, "integrated_lufs" | "true_peak_db" | "clipped">;

const useTrial = workStore();

/** Before sending: what the encoder will give back, found out without writing a file to keep. */
export function Trial({ request, tried, onTried }: { readonly request: SendRequest; readonly tried: Heard | null; readonly onTried: () => void }) {
  const work = useTrial();
  if (work.taskId) return <Progress name="hearing what the encoder gives back" part={work.part} onStop={() => void stop(useTrial)} />;
  if (tried) return <p aria-live="polite"><HeardAgain heard={tried} /></p>;
  return (
    <Button className="w-full" title="encodes and decodes once, without sending: loudness, true peak, clipped samples" onClick={() => void follow(useTrial, (id, revision) => api.tryOut(id, revision, request)).then((task) => task && onTried())}>
      measure what the encoder gives back
    </Button>
  );
}

export function HeardAgain({ heard }: { readonly heard: Heard }) {
  const figure = (value: number, unit: string) => <span className="num">{value.toFixed(1).replace("-", "−")} {unit}</span>;
  return (
    <>
      {" "}
      Decoded again: {heard.integrated_lufs === null ? "too soft to measure" : figure(heard.integrated_lufs, "LUFS")}, true peak {figure(heard.true_peak_db, "dB")}
      {heard.clipped > 0 && <span className="text-fail">, {heard.clipped} samples clipped</span>}.
    </>
  );
}
