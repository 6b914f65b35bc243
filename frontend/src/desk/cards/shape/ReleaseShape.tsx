import { CardTabs } from "../../../ui/CardTabs";
import { useSetting } from "../../state/settings";
import { ShapeCard } from "./ShapeCard";
import { Tracks } from "./Tracks";

const INITIAL = { tab: "tracks" };

/** Step 2 of a release: its tracks, or the edges of its pieces one by one. */
export function ReleaseShape() {
  const [settings, keep] = useSetting("release_shape", INITIAL);
  return <CardTabs label="what to shape" value={settings.tab} onChange={(tab) => keep({ tab })} tabs={[["tracks", "tracks", <Tracks key="tracks" />], ["edges", "edges of the pieces", <ShapeCard key="edges" />]]} />;
}
