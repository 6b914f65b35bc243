import { Tabs } from "radix-ui";
import { useSetting } from "../../state/settings";
import { ShapeCard } from "./ShapeCard";
import { Tracks } from "./Tracks";

const INITIAL = { tab: "tracks" };

/** Step 2 of a release: its tracks, or the edges of its pieces one by one. */
export function ReleaseShape() {
  const [settings, keep] = useSetting("releaseShape", INITIAL);
  const tab = "border-b-2 border-transparent pb-1.5 text-soft data-[state=active]:border-ink data-[state=active]:font-bold data-[state=active]:text-ink";
  return (
    <Tabs.Root value={settings.tab} onValueChange={(tab) => keep({ tab })} className="flex h-full flex-col">
      <Tabs.List aria-label="what to shape" className="flex gap-4 border-b border-rule px-4 pt-3">
        <Tabs.Trigger value="tracks" className={tab}>tracks</Tabs.Trigger>
        <Tabs.Trigger value="edges" className={tab}>edges of the pieces</Tabs.Trigger>
      </Tabs.List>
      <Tabs.Content value="tracks" className="min-h-0 flex-1"><Tracks /></Tabs.Content>
      <Tabs.Content value="edges" className="min-h-0 flex-1"><ShapeCard /></Tabs.Content>
    </Tabs.Root>
  );
}
