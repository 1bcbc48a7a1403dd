import type { StepEntry } from "../../app/steps";

export const curves: StepEntry = {
  step: "curves",
  title: "Curves",
  load: () => import("./CurvesView").then((m) => m.CurvesView),
  draws: ["curves", "bands"],
  says: { lines: () => 3, ofClass: true },
  pins: true,
};
