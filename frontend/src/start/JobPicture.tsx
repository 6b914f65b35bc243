import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import type { JobCard } from "../api/types";

const COLUMNS = 116;
const HEIGHT_PX = 34;

/** A job's sound, small: the loudest of each part, mirrored. */
export function JobPicture({ job }: { readonly job: JobCard }) {
  const picture = useQuery({ queryKey: ["picture", job.id, job.revision], queryFn: () => api.picture(job.id, job.revision, COLUMNS), enabled: job.clips > 0, staleTime: Infinity });
  const middle = HEIGHT_PX / 2;
  const lines = [...(picture.data ?? [])].map((size, x) => {
    const half = Math.max((size / 255) * (middle - 1), 0.5);
    return `M${x + 0.5} ${middle - half}V${middle + half}`;
  });
  return (
    <svg width={COLUMNS} height={HEIGHT_PX} aria-hidden className="block border border-rule bg-sheet">
      <path d={lines.join("")} className="stroke-wave" strokeWidth={1} fill="none" />
    </svg>
  );
}
