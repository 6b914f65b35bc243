/** How loud what is said on a lane is along time, drawn over its sound. */
import { toPx, type Viewport } from "../../wave/geometry";

/** (job frame, LUFS over 3 s), in order. */
export type VoiceCurve = readonly (readonly [number, number])[];

const LOUDEST_LUFS = -8;
const SOFTEST_LUFS = -44;
/** Points that lie further apart than this belong to two stretches of talk. */
const APART_S = 4;

/** The stretches of a curve that touch a view, as points in pixels; `null` begins a new stretch. */
export function stretches(curve: VoiceCurve, view: Viewport, rateHz: number, topPx: number, heightPx: number): (readonly [number, number] | null)[] {
  const out: (readonly [number, number] | null)[] = [];
  let before: number | null = null;
  for (const [frame, lufs] of curve) {
    const part = (Math.min(Math.max(lufs, SOFTEST_LUFS), LOUDEST_LUFS) - SOFTEST_LUFS) / (LOUDEST_LUFS - SOFTEST_LUFS);
    if (before === null || frame - before > APART_S * rateHz) out.push(null);
    out.push([toPx(view, frame), topPx + heightPx * (1 - part)]);
    before = frame;
  }
  return out;
}

export function drawVoice(ink: CanvasRenderingContext2D, curve: VoiceCurve, view: Viewport, rateHz: number, topPx: number, heightPx: number, colour: string): void {
  ink.strokeStyle = colour;
  ink.lineWidth = 2;
  ink.beginPath();
  let starts = true;
  for (const point of stretches(curve, view, rateHz, topPx, heightPx)) {
    if (point === null) starts = true;
    else if (point[0] > -view.widthPx && point[0] < 2 * view.widthPx) {
      if (starts) ink.moveTo(...point);
      else ink.lineTo(...point);
      starts = false;
    }
  }
  ink.stroke();
  ink.lineWidth = 1;
}
