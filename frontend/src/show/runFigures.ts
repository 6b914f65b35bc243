/** Figures of a run as they are read from two metres. */
import { formatTime } from "../time/format";
import type { SoundingNow } from "./messages";

const UNHEARD = 0.001;

export const db = (gain: number): string => (gain <= 0 ? "−∞ dB" : `${(20 * Math.log10(gain)).toFixed(1).replace("-", "−")} dB`);

/** Whether a sound is not heard now, nor on its way up. */
export const isUnheard = (one: Pick<SoundingNow, "gain" | "goal">): boolean => one.gain <= UNHEARD && one.goal <= UNHEARD;

/** How long a sound still sounds, passes to come counted. */
export const leftInWords = (one: SoundingNow, rateHz: number): string => (one.left === null ? "until let go" : `${tenths(one.left, rateHz)} left`);

/** Which pass of how many, and how much of it is left. */
export function passInWords(one: SoundingNow, rateHz: number): string {
  if (one.passes === null) return "";
  if (one.passLeft === null) return "behind its loop";
  const of = one.letGo ? ", the last" : one.passes === 0 ? "" : ` of ${one.passes}`;
  return `pass ${one.pass}${of} · ${tenths(one.passLeft, rateHz)} of it left`;
}

export const tenths = (frames: number, rateHz: number): string => formatTime(frames, rateHz, "clock", 1);
