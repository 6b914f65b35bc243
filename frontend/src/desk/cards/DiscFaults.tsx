import { CircleAlert, CircleCheck, TriangleAlert } from "lucide-react";
import type { ReleasePreview } from "../../api/types";
import { showPlace } from "../state/desk";
import { selectClip } from "../state/selection";

/** What is out of place on the disc: each with its figure, a click from its place. */
export function DiscFaults({ faults }: { readonly faults: ReleasePreview["faults"] }) {
  if (faults.length === 0) return <p className="flex items-center gap-1.5 text-fine"><CircleCheck size={14} aria-hidden /> nothing out of place</p>;
  const show = ({ clip_id, job_frame }: ReleasePreview["faults"][number]) => {
    if (clip_id) selectClip(clip_id);
    showPlace(job_frame);
  };
  return (
    <ul aria-label="disc checks" tabIndex={0} className="space-y-1">
      {faults.map((fault) => (
        <li key={fault.text} className={`flex gap-1.5 ${fault.stops ? "text-fail" : "text-warn"}`}>
          {fault.stops ? <CircleAlert size={14} aria-label="stops" className="mt-0.5 shrink-0" /> : <TriangleAlert size={14} aria-label="to know" className="mt-0.5 shrink-0" />}
          <button type="button" className="text-left underline" onClick={() => show(fault)}>{fault.text}</button>
        </li>
      ))}
    </ul>
  );
}
