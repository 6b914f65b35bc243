/** The line of times under a lens, and under the join lens. */
import { rulerStepS, toPx, type Viewport } from "../../wave/geometry";

export const FOOT_PX = 20;
/** What a frame of the lens is called: its place in the job, in the kind of time that was chosen. */
export type PlaceLabel = (frame: number, decimals: number) => string;

export function drawLensRuler(ink: CanvasRenderingContext2D, view: Viewport, rateHz: number, topPx: number, lastFrame: number, colours: Readonly<Record<string, string>>, label: PlaceLabel): void {
  ink.fillStyle = colours["sheet"] ?? "";
  ink.fillRect(0, topPx, view.widthPx, FOOT_PX);
  ink.fillStyle = colours["rule"] ?? "";
  ink.fillRect(0, topPx, view.widthPx, 1);
  const stepS = rulerStepS(view.framesPerPx, rateHz, 110);
  const decimals = Math.max(0, Math.ceil(-Math.log10(stepS)));
  ink.font = '12px "Atkinson Hyperlegible Mono Variable", monospace';
  ink.textBaseline = "top";
  ink.fillStyle = colours["soft"] ?? "";
  for (let step = Math.max(Math.ceil(view.startFrame / rateHz / stepS), 0); ; step += 1) {
    const frame = step * stepS * rateHz;
    const x = Math.round(toPx(view, frame));
    if (x > view.widthPx || frame > lastFrame) break;
    ink.fillRect(x, topPx, 1, 5);
    ink.fillText(label(Math.round(frame), decimals), x + 4, topPx + 4);
  }
}
