import type { ReactNode } from "react";
import { Button } from "../../ui/Button";
import { useSetting } from "../state/settings";
import { RunningOrder } from "./RunningOrder";

const INITIAL = { strip: false };

/** The running order in the strip's place, until the strip is asked for. */
export function OrderOrStrip({ strip }: { readonly strip: ReactNode }) {
  const [settings, keep] = useSetting("order", INITIAL);
  if (!settings.strip) return <RunningOrder onStrip={() => keep({ strip: true })} />;
  return (
    <div className="relative h-full">
      {strip}
      <Button className="absolute top-8 right-2 z-10 text-xs" onClick={() => keep({ strip: false })}>
        running order
      </Button>
    </div>
  );
}
