import type { StepEntry } from "../../app/steps";

export const headToHead: StepEntry = {
  step: "head-to-head",
  title: "Head-to-head",
  load: () => import("./HeadToHeadView").then((m) => m.HeadToHeadView),
  says: { lines: () => 3, own: ["pair"] },
  pins: true,
};
