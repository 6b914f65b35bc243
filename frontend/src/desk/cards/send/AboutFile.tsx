import { type ReactNode } from "react";
import type { SendRequest, Tags } from "../../../api/types";
import { Num } from "../../../ui/Num";
import { useOpen } from "../../state/desk";
import { PictureChoice } from "../PictureChoice";

type Part = Pick<SendRequest, "tags" | "chapters" | "shortest_chapter_s" | "limiter" | "loudness_lufs">;

interface Props {
  readonly asked: Part;
  readonly onChange: (part: Partial<Part>) => void;
}

const NO_TAGS: Tags = { title: "", artist: "", album: "", number: "", year: "", genre: "", comment: "", cover: "", id3_minor: 4, isrc: "", barcode: "" };
const FIELDS: readonly (readonly [keyof Tags & string, string])[] = [
  ["title", "title"],
  ["artist", "by"],
  ["album", "series"],
  ["number", "number"],
  ["year", "year"],
  ["genre", "kind"],
  ["isrc", "ISRC"],
  ["barcode", "barcode"],
  ["comment", "comment"],
];
const input = "min-w-0 rounded-(--radius) border border-rule bg-sheet px-1.5 py-0.5";

/** What goes with one file: its loudness, a limiter as the last step, tags and a cover, chapters. */
export function AboutFile({ asked, onChange }: Props) {
  const sections = useOpen((desk) => Object.values(desk.job.marks).filter((mark) => mark.kind === "section").length);
  const { tags, limiter } = asked;
  return (
    <div className="space-y-1.5">
      <Check on={asked.loudness_lufs !== null && asked.loudness_lufs !== undefined} onChange={(on) => onChange({ loudness_lufs: on ? -16 : null })}>
        loudness{" "}
        {asked.loudness_lufs !== null && asked.loudness_lufs !== undefined ? (
          <>
            of the file: <Num label="loudness of the file" value={asked.loudness_lufs} unit="LUFS" lowest={-50} highest={-5} step={0.5} decimals={1} onChange={(loudness_lufs) => onChange({ loudness_lufs })} />
          </>
        ) : (
          "as it is"
        )}
      </Check>
      <Check on={limiter !== null} onChange={(on) => onChange({ limiter: on ? { ceiling_db: -4, true_peak: false, look_ahead_ms: 5, release_ms: 100 } : null })}>
        limit{" "}
        {limiter && (
          <>
            to <Num label="ceiling of the limiter" value={limiter.ceiling_db ?? -4} unit="dB" lowest={-40} highest={0} step={0.5} decimals={1} onChange={(ceiling_db) => onChange({ limiter: { ...limiter, ceiling_db } })} />,{" "}
            <label className="inline-flex items-center gap-1.5">
              <input type="checkbox" className="accent-(--ink)" checked={limiter.true_peak ?? false} onChange={(event) => onChange({ limiter: { ...limiter, true_peak: event.target.checked } })} /> between samples too
            </label>
          </>
        )}
      </Check>
      <Check on={asked.chapters} onChange={(chapters) => onChange({ chapters })}>
        chapters{sections ? ` from ${sections} marks` : " (a section mark makes one)"}
        {asked.chapters && (
          <>
            , none under <Num label="shortest chapter" value={asked.shortest_chapter_s} unit="s" lowest={0} highest={600} step={1} onChange={(shortest_chapter_s) => onChange({ shortest_chapter_s })} />
          </>
        )}
      </Check>
      <Check on={tags !== null} onChange={(on) => onChange({ tags: on ? NO_TAGS : null })}>
        tags
      </Check>
      {tags && <TagFields tags={{ ...NO_TAGS, ...tags }} onChange={(part) => onChange({ tags: { ...NO_TAGS, ...tags, ...part } })} />}
    </div>
  );
}

function Check({ on, onChange, children }: { readonly on: boolean; readonly onChange: (on: boolean) => void; readonly children: ReactNode }) {
  return (
    <label className="flex items-baseline gap-2">
      <input type="checkbox" className="accent-(--ink)" checked={on} onChange={(event) => onChange(event.target.checked)} />
      <span>{children}</span>
    </label>
  );
}

function TagFields({ tags, onChange }: { readonly tags: Tags; readonly onChange: (part: Partial<Tags>) => void }) {
  return (
    <div className="grid grid-cols-[auto_minmax(0,1fr)] items-center gap-x-3 gap-y-1 pl-6">
      {FIELDS.map(([name, label]) => (
        <div key={name} className="contents">
          <label htmlFor={`tag-${name}`} className="text-soft">{label}</label>
          <input id={`tag-${name}`} className={input} value={tags[name]} onChange={(event) => onChange({ [name]: event.target.value })} />
        </div>
      ))}
      <span className="text-soft">cover</span>
      <PictureChoice name={tags.cover} of="the cover" onChange={(cover) => onChange({ cover })} />
      <label htmlFor="id3" className="text-soft">ID3</label>
      <select id="id3" className={input} value={tags.id3_minor} onChange={(event) => onChange({ id3_minor: Number(event.target.value) })}>
        <option value={4}>version 2.4</option>
        <option value={3}>version 2.3, for older players</option>
      </select>
    </div>
  );
}
