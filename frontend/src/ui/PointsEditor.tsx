import { useState, type KeyboardEvent, type PointerEvent } from "react";
import { through, type Point } from "../wave/points";

interface Props {
  readonly label: string;
  readonly points: readonly Point[];
  /** Points that are always there, before and after. */
  readonly ends?: readonly [Point, Point];
  readonly x: readonly [number, number];
  readonly y: readonly [number, number];
  /** What a point says of itself, such as "−6.0 dB at 0:12.400". */
  readonly say: (point: Point) => string;
  readonly onChange: (points: Point[]) => void;
}

const [WIDTH, HEIGHT] = [254, 96];

/** A curve through points: a click adds one, a drag or the arrows move it, Delete takes it away. */
export function PointsEditor({ label, points, ends, x, y, say, onChange }: Props) {
  const [held, setHeld] = useState<{ readonly index: number; readonly point: Point } | null>(null);
  const shown = held ? points.map((point, n) => (n === held.index ? held.point : point)) : [...points];
  const px = (point: Point): [number, number] => [((point[0] - x[0]) / (x[1] - x[0])) * WIDTH, HEIGHT - ((point[1] - y[0]) / (y[1] - y[0])) * HEIGHT];
  const all = ends ? [ends[0], ...shown, ends[1]] : shown;
  const path = Array.from({ length: 65 }, (_, n) => {
    const at = x[0] + ((x[1] - x[0]) * n) / 64;
    const [left, top] = px([at, all.length ? through(all, at) : 0]);
    return `${n === 0 ? "M" : "L"}${left.toFixed(1)} ${top.toFixed(1)}`;
  }).join("");
  const at = (event: PointerEvent<Element>): Point => {
    const box = (event.currentTarget.closest("svg") as SVGSVGElement).getBoundingClientRect();
    const [across, up] = [(event.clientX - box.left) / box.width, 1 - (event.clientY - box.top) / box.height];
    return [x[0] + across * (x[1] - x[0]), y[0] + up * (y[1] - y[0])];
  };
  /** Keep a point between its neighbours and inside the picture. */
  const kept = (index: number, [left, up]: Point): Point => {
    const slack = (x[1] - x[0]) / 500;
    const low = (points[index - 1]?.[0] ?? x[0]) + slack;
    const high = (points[index + 1]?.[0] ?? x[1]) - slack;
    return [Math.min(Math.max(left, low), high), Math.min(Math.max(up, y[0]), y[1])];
  };
  const put = (index: number, point: Point) => onChange(points.map((one, n) => (n === index ? kept(index, point) : one)));
  const add = (event: PointerEvent<SVGRectElement>) => {
    const point = at(event);
    const index = points.filter(([left]) => left < point[0]).length;
    const next = [...points.slice(0, index), point, ...points.slice(index)];
    if (next.every((one, n) => n === 0 || one[0] - (next[n - 1]?.[0] ?? 0) > (x[1] - x[0]) / 200)) onChange(next);
  };
  const onKeyDown = (event: KeyboardEvent, index: number, point: Point) => {
    const step = event.shiftKey ? 10 : 1;
    const move = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
    if (event.key === "Delete" || event.key === "Backspace") onChange(points.filter((_, n) => n !== index));
    else if (move) put(index, [point[0] + ((move[0] ?? 0) * step * (x[1] - x[0])) / 200, point[1] + ((move[1] ?? 0) * step * (y[1] - y[0])) / 100]);
    else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return (
    <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} role="group" aria-label={label} className="w-full touch-none overflow-visible rounded-(--radius) border border-rule bg-sheet">
      <rect width={WIDTH} height={HEIGHT} fill="transparent" onPointerDown={add} />
      {y[0] < 0 && y[1] > 0 && <line x1={0} x2={WIDTH} y1={px([x[0], 0])[1]} y2={px([x[0], 0])[1]} stroke="var(--rule)" />}
      <path d={path} fill="none" stroke="var(--join)" strokeWidth={2} pointerEvents="none" />
      {shown.map((point, index) => (
        <circle
          key={index}
          role="slider"
          tabIndex={0}
          aria-label={`point ${index + 1} of ${label}`}
          aria-valuenow={Math.round(point[1] * 100) / 100}
          aria-valuemin={y[0]}
          aria-valuemax={y[1]}
          aria-valuetext={say(point)}
          cx={px(point)[0]}
          cy={px(point)[1]}
          r={5}
          fill="var(--sheet)"
          stroke="var(--join)"
          strokeWidth={2}
          className="cursor-move"
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId);
            setHeld({ index, point });
          }}
          onPointerMove={(event) => held?.index === index && setHeld({ index, point: kept(index, at(event)) })}
          onPointerUp={() => {
            if (held) put(index, held.point);
            setHeld(null);
          }}
          onPointerCancel={() => setHeld(null)}
          onKeyDown={(event) => onKeyDown(event, index, point)}
        >
          <title>{say(point)}</title>
        </circle>
      ))}
    </svg>
  );
}
