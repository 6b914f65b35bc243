import { CardTabs } from "../../../ui/CardTabs";
import { useSetting } from "../../state/settings";
import { CueCard } from "./CueCard";
import { ShapeCard } from "./ShapeCard";

const INITIAL = { tab: "cue" };

/** Step 2 of a show: the cue in hand, or the edges of its sound. */
export function CueShape() {
  const [settings, keep] = useSetting("cue_shape", INITIAL);
  return <CardTabs label="what to shape" value={settings.tab} onChange={(tab) => keep({ tab })} tabs={[["cue", "the cue", <CueCard key="cue" />], ["edges", "edges of its sound", <ShapeCard key="edges" />]]} />;
}
