import { Minus, Plus } from "lucide-react";
import type { Pad } from "../../../model/pads";

export const STEPS = 16;

interface Props {
  readonly rows: readonly Pad[];
  /** The steps that are on, as `stepKey` writes them. */
  readonly on: ReadonlySet<string>;
  /** What can be added as a row. */
  readonly current: Pad | undefined;
  readonly onToggle: (key: string) => void;
  readonly onRows: (rows: readonly Pad[]) => void;
}

export const stepKey = (hitKey: string, step: number): string => `${hitKey} ${step}`;

/** Whether a pad sounds at a step: what was set for any of its hits counts. */
export const isOn = (on: ReadonlySet<string>, pad: Pad, step: number): boolean => pad.takes.some((take) => on.has(stepKey(take.key, step)));

/** Sixteen steps for each of some pads. */
export function Pattern({ rows, on, current, onToggle, onRows }: Props) {
  const addable = current !== undefined && !rows.includes(current);
  return (
    <div>
      <table className="w-full border-collapse" aria-label="pattern of sixteen steps">
        <tbody>
          {rows.map((pad) => (
            <tr key={pad.id}>
              <th scope="row" className="w-20 max-w-20 text-left text-xs font-normal">
                <span className="flex items-center gap-0.5">
                  <button type="button" aria-label={`take ${pad.name} out of the pattern`} title="take out of the pattern" className="text-soft hover:text-ink" onClick={() => onRows(rows.filter((row) => row !== pad))}>
                    <Minus size={11} aria-hidden />
                  </button>
                  <bdi className="truncate" title={pad.name}>{pad.name}</bdi>
                </span>
              </th>
              {Array.from({ length: STEPS }, (_, step) => {
                const sounds = isOn(on, pad, step);
                return (
                  <td key={step} className={step % 4 === 0 ? "pl-0.5" : ""}>
                    <button type="button" role="switch" aria-checked={sounds} aria-label={`${pad.name}, step ${step + 1}`} className={`block h-3.5 w-full min-w-2 rounded-[2px] border ${sounds ? "border-ink bg-ink" : "border-rule bg-sheet hover:border-ink"}`} onClick={() => onToggle(stepKey(pad.takes.find((take) => on.has(stepKey(take.key, step)))?.key ?? pad.id, step))} />
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
      {addable && (
        <button type="button" className="flex items-center gap-1 py-0.5 text-xs underline" onClick={() => onRows([...rows, current])}>
          <Plus size={11} aria-hidden /> add {current.name}
        </button>
      )}
    </div>
  );
}
