/** A sound of a run as it is shown. */
import type { SoundingNow } from "./messages";
import type { Sounding } from "./run";

export function soundingNow(one: Sounding, now: number): SoundingNow {
  const piece = one.newest;
  const looping = one.loop !== null && !one.last;
  return {
    id: one.id,
    cue: one.cue,
    gain: one.ramp.at(now),
    goal: one.ramp.after,
    left: one.timeLeft(now),
    passLeft: looping ? Math.max(one.start + piece.at + piece.length - now, 0) : null,
    pass: one.passNumber,
    passes: one.loop ? one.loop.passes : null,
    loop: one.loop,
    letGo: one.letGo,
    stops: one.stopAt !== null,
    events: one.planned.events.flatMap((event, number) => {
      if (one.fired.has(number)) return [];
      const inside = one.pieces.find(({ frame, length }) => frame <= event.frame && event.frame <= frame + length);
      return inside ? [[number, one.start + inside.at + event.frame - inside.frame - now] as const] : [];
    }),
  };
}
