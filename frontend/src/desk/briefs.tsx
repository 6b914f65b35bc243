/** What each brief puts in the middle and on its cards. The one place of the interface that knows the briefs apart. */
import type { ComponentType } from "react";
import type { Brief } from "../api/types";
import { FindCard } from "./cards/find/FindCard";
import { Events } from "./cards/mark/Events";
import { LoopCard } from "./cards/mark/LoopCard";
import { MarkCard } from "./cards/mark/MarkCard";
import { TestBench } from "./cards/mark/bench/TestBench";
import { OnAir } from "./cards/mark/OnAir";
import { ReleaseSend } from "./cards/send/ReleaseSend";
import { SendCard } from "./cards/send/SendCard";
import { ShowSend } from "./cards/send/ShowSend";
import { CueShape } from "./cards/shape/CueShape";
import { KitShape } from "./cards/shape/KitShape";
import { ReleaseShape } from "./cards/shape/ReleaseShape";
import { TalkShape } from "./cards/shape/TalkShape";
import { ShapeCard } from "./cards/shape/ShapeCard";
import type { Step } from "./state/desk";
import { OrderOrStrip } from "./order/OrderOrStrip";
import { Strip } from "./strip/Strip";
import { WallOrStrip } from "./wall/WallOrStrip";

interface BriefViews {
  readonly Middle: ComponentType;
  readonly cards: Readonly<Record<Step, ComponentType>>;
}

const BY_HAND: BriefViews = { Middle: Strip, cards: { find: FindCard, shape: ShapeCard, mark: MarkCard, send: SendCard } };

const ShapeHits = () => (
  <ShapeCard>
    <KitShape />
  </ShapeCard>
);

const MarkHits = () => (
  <MarkCard>
    <TestBench />
    <LoopCard />
  </MarkCard>
);

const MarkSongs = () => (
  <MarkCard>
    <OnAir />
  </MarkCard>
);

const MarkShow = () => (
  <MarkCard>
    <Events />
    <LoopCard />
  </MarkCard>
);

const ShowMiddle = () => <OrderOrStrip strip={<Strip />} />;

const HitsMiddle = () => <WallOrStrip strip={<Strip />} />;

export const BRIEF_VIEWS: Readonly<Record<Brief, BriefViews>> = {
  voiceover: BY_HAND,
  podcast: { ...BY_HAND, cards: { ...BY_HAND.cards, shape: TalkShape } },
  drums: { Middle: HitsMiddle, cards: { ...BY_HAND.cards, shape: ShapeHits, mark: MarkHits } },
  show: { Middle: ShowMiddle, cards: { ...BY_HAND.cards, shape: CueShape, mark: MarkShow, send: ShowSend } },
  release: { ...BY_HAND, cards: { ...BY_HAND.cards, shape: ReleaseShape, mark: MarkSongs, send: ReleaseSend } },
};
