import type { StepEntry } from "../../app/steps";

export const slices: StepEntry = {
  step: "slices",
  title: "Slices",
  load: () => import("./SlicesView").then((m) => m.SlicesView),
  reads: ["classes"],
  says: { lines: () => 3, own: ["by", "and", "metric", "read", "front"], ofClass: true },
  pins: true,
};
