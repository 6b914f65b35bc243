import type { MouseEvent } from "react";

interface Props {
  readonly values: readonly number[];
  readonly lowest: number;
  readonly highest: number;
  readonly label: string;
  /** A place on it was clicked: which value lies there. */
  readonly onPick?: (at: number) => void;
}

const HEIGHT = 28;
const COLUMNS = 220;

/** The lowest and highest value of each column of a picture, for values that may be many more than columns. */
function columnsOf(values: readonly number[], columns: number): readonly (readonly [number, number])[] {
  const count = Math.min(columns, values.length);
  return Array.from({ length: count }, (_, column) => {
    const part = values.slice(Math.floor((column * values.length) / count), Math.max(Math.floor(((column + 1) * values.length) / count), Math.floor((column * values.length) / count) + 1));
    return [Math.min(...part), Math.max(...part)] as const;
  });
}

/** A small curve of a figure along time. */
export function Curve({ values, lowest, highest, label, onPick }: Props) {
  const y = (value: number) => (HEIGHT - 1) * (1 - (Math.min(Math.max(value, lowest), highest) - lowest) / (highest - lowest)) + 0.5;
  const columns = columnsOf(values, COLUMNS);
  const x = (column: number) => ((column + 0.5) * COLUMNS) / columns.length;
  const path = columns.map(([low, high], column) => `${column === 0 ? "M" : "L"}${x(column).toFixed(1)} ${y(high).toFixed(1)}L${x(column).toFixed(1)} ${y(low).toFixed(1)}`).join("");
  const pick = (event: MouseEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    onPick?.(Math.min(Math.floor(((event.clientX - box.left) / box.width) * values.length), values.length - 1));
  };
  return (
    <svg role="img" aria-label={label} viewBox={`0 0 ${COLUMNS} ${HEIGHT}`} preserveAspectRatio="none" className={`h-7 w-full bg-sheet ${onPick ? "cursor-pointer" : ""}`} onClick={pick}>
      <path d={path} fill="none" stroke="var(--wave)" strokeWidth={1.2} vectorEffect="non-scaling-stroke" />
    </svg>
  );
}
