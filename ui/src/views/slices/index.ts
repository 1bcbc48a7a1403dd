import type { StepEntry } from "../../app/steps";

export const slices: StepEntry = {
  step: "slices",
  title: "Slices",
  load: () => import("./SlicesView").then((m) => m.SlicesView),
  reads: ["classes"],
  says: { lines: () => 3, names: 1 / 4, own: ["by", "and", "metric", "read", "front"], ofClass: true },
  pins: true,
};
