/** The curve through points, as the core defines it: monotone pieces of cubics, flat beyond the ends. For drawing only. */
export type Point = readonly [x: number, y: number];

export function through(points: readonly Point[], at: number): number {
  const first = points[0];
  const last = points.at(-1);
  if (!first || !last) return 0;
  if (at <= first[0] || points.length === 1) return first[1];
  if (at >= last[0]) return last[1];
  const n = points.findIndex(([x]) => x > at) - 1;
  const [[x0, y0], [x1, y1]] = [points[n] as Point, points[n + 1] as Point];
  const h = x1 - x0;
  const t = (at - x0) / h;
  const [m0, m1] = [slope(points, n), slope(points, n + 1)];
  return y0 * (1 + 2 * t) * (1 - t) ** 2 + h * m0 * t * (1 - t) ** 2 + y1 * t * t * (3 - 2 * t) + h * m1 * t * t * (t - 1);
}

/** The slope at a point: the weighted harmonic mean of its neighbours' (Fritsch and Butland), nought at a turn. */
function slope(points: readonly Point[], n: number): number {
  const step = (k: number) => {
    const [a, b] = [points[k] as Point, points[k + 1] as Point];
    return { h: b[0] - a[0], d: (b[1] - a[1]) / (b[0] - a[0]) };
  };
  if (points.length === 2) return step(0).d;
  if (n === 0) return endSlope(step(0), step(1));
  if (n === points.length - 1) return endSlope(step(n - 1), step(n - 2));
  const [left, right] = [step(n - 1), step(n)];
  if (left.d * right.d <= 0) return 0;
  const [w0, w1] = [2 * right.h + left.h, right.h + 2 * left.h];
  return (w0 + w1) / (w0 / left.d + w1 / right.d);
}

function endSlope(near: { h: number; d: number }, far: { h: number; d: number }): number {
  const m = ((2 * near.h + far.h) * near.d - near.h * far.d) / (near.h + far.h);
  if (Math.sign(m) !== Math.sign(near.d)) return 0;
  return Math.sign(near.d) !== Math.sign(far.d) && Math.abs(m) > 3 * Math.abs(near.d) ? 3 * near.d : m;
}
