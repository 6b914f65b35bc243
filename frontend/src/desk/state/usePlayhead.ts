import { useEffect, useState } from "react";
import { player, useOpen } from "./desk";

/** The frame that sounds now while playing, else where the cursor stands. Changes at most once a frame. */
export function usePlayhead(): number {
  const playing = useOpen((desk) => desk.playing);
  const cursorFrame = useOpen((desk) => desk.cursorFrame);
  const [frame, setFrame] = useState(cursorFrame);
  useEffect(() => {
    if (!playing) return;
    let request = 0;
    const tick = () => {
      setFrame(Math.round(player.position() ?? cursorFrame));
      request = requestAnimationFrame(tick);
    };
    tick();
    return () => cancelAnimationFrame(request);
  }, [playing, cursorFrame]);
  return playing ? frame : cursorFrame;
}
