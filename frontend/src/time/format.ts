/** The one time format: h:mm:ss with as many decimals as asked, frames, disc frames, or bars; and what a typed time means. */

import type { Grid } from "../api/types";
import { formatBars, parseBars } from "./grid";

export type TimeStyle = "clock" | "frames" | "disc" | "bars";
/** A compact disc counts 75 frames a second. */
const DISC_FRAMES_A_SECOND = 75;

export function formatTime(frame: number, rateHz: number, style: TimeStyle = "clock", decimals = 3): string {
  if (style === "frames") return `${frame}f`;
  if (style === "disc") return formatDisc(frame, rateHz);
  const sign = frame < 0 ? "−" : "";
  const scale = 10 ** decimals;
  const units = Math.round((Math.abs(frame) / rateHz) * scale);
  const seconds = Math.floor(units / scale);
  const rest = decimals > 0 ? `.${String(units % scale).padStart(decimals, "0")}` : "";
  const s = String(seconds % 60).padStart(2, "0") + rest;
  const minutes = Math.floor(seconds / 60);
  const hours = Math.floor(minutes / 60);
  return hours > 0 ? `${sign}${hours}:${String(minutes % 60).padStart(2, "0")}:${s}` : `${sign}${minutes}:${s}`;
}

/** mm:ss:ff, at the disc frame that a place lies in. */
function formatDisc(frame: number, rateHz: number): string {
  const units = Math.floor((Math.abs(frame) * DISC_FRAMES_A_SECOND) / rateHz + 1e-9);
  const two = (value: number) => String(value).padStart(2, "0");
  const seconds = Math.floor(units / DISC_FRAMES_A_SECOND);
  return `${frame < 0 ? "−" : ""}${two(Math.floor(seconds / 60))}:${two(seconds % 60)}:${two(units % DISC_FRAMES_A_SECOND)}`;
}

/** What mm:ss:ff means: the first frame of that disc frame; null for anything else. */
function parseDisc(text: string, rateHz: number): number | null {
  const [, minutes, seconds, units] = /^(\d+):(\d\d):(\d\d)$/.exec(text.trim()) ?? [];
  if (units === undefined || Number(units) >= DISC_FRAMES_A_SECOND || Number(seconds) >= 60) return null;
  return Math.ceil(((Number(minutes) * 60 + Number(seconds)) * DISC_FRAMES_A_SECOND + Number(units)) * (rateHz / DISC_FRAMES_A_SECOND));
}

/** A length: seconds under a minute, else the clock. */
export function formatLength(frames: number, rateHz: number): string {
  const seconds = frames / rateHz;
  return seconds < 60 ? seconds.toFixed(2) : formatTime(frames, rateHz, "clock", 1);
}

/** "1:02.5", "62.5", "45000f", "+5ms", "-10f": a frame, or null. A leading sign is relative to `from`. */
export function parseTime(text: string, rateHz: number, from: number): number | null {
  const trimmed = text.trim().replace("−", "-");
  const match = /^([+-])?(?:(\d+):)?(?:(\d+):)?(\d+(?:\.\d+)?)\s*(ms|s|f)?$/.exec(trimmed);
  if (!match) return null;
  const [, sign, first, second, last, unit] = match;
  if ((unit === "ms" || unit === "f") && first !== undefined) return null;
  const amount = Number(last);
  const minutes = Number(second ?? first ?? 0) + (second !== undefined ? 60 * Number(first) : 0);
  let frames = (minutes * 60 + amount) * rateHz;
  if (unit === "f") frames = amount;
  if (unit === "ms") frames = (amount * rateHz) / 1000;
  if (sign === undefined) return Math.round(frames);
  return Math.round(from + (sign === "-" ? -frames : frames));
}

/** A place in the job in the style that was chosen; bars need a tempo. */
export function formatPlace(job: { readonly rate_hz: number; readonly grid: Grid | null }, frame: number, style: TimeStyle, decimals = 3): string {
  const rate = job.rate_hz || 48_000;
  return style === "bars" && job.grid ? formatBars(job.grid, frame, rate) : formatTime(frame, rate, style, decimals);
}

export const HOW_TO_TYPE_TIME = "A time is typed as 1:02.5, 45000f, +5ms or 3b2.";

/** What a typed place in the job means: a time, frames, or bars; mm:ss:ff while places are shown so. */
export function parsePlace(job: { readonly rate_hz: number; readonly grid: Grid | null }, text: string, from: number, style: TimeStyle = "clock"): number | null {
  if (style === "disc" && /^\d+:\d\d:\d\d$/.test(text.trim())) return parseDisc(text, job.rate_hz || 48_000);
  const bars = job.grid ? parseBars(job.grid, text, job.rate_hz) : null;
  return bars ?? parseTime(text, job.rate_hz || 48_000, from);
}
