import type { StepEntry } from "../../app/steps";

export const cutoff: StepEntry = {
  step: "cutoff",
  title: "Cutoff",
  load: () => import("./CutoffView").then((m) => m.CutoffView),
  reads: ["choice", "optimism", "drift"],
  says: { lines: (many) => (many ? 3 : 2), names: 1, ofClass: true },
  pins: true,
};
