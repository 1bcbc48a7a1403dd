import type { StepEntry } from "../../app/steps";

export const matrix: StepEntry = {
  step: "matrix",
  title: "Matrix",
  load: () => import("./MatrixView").then((m) => m.MatrixView),
  says: { lines: (many) => (many ? 4 : 3), unanswered: true },
  pins: () => true,
};
