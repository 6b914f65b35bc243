import { useOpen } from "../../state/desk";
import { HitCard } from "./HitCard";
import { SoundCard } from "./SoundCard";

/** Step 1: the card of the search that is chosen. */
export function FindCard() {
  const findBy = useOpen((desk) => desk.findBy);
  return findBy === "hits" ? <HitCard /> : <SoundCard />;
}
