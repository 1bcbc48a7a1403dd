import type { StepEntry } from "../../app/steps";

export const matrix: StepEntry = {
  step: "matrix",
  title: "Matrix",
  load: () => import("./MatrixView").then((m) => m.MatrixView),
  pins: () => true,
};
