import type { StepEntry } from "../../app/steps";

export const matrix: StepEntry = {
  step: "matrix",
  title: "Matrix",
  load: () => import("./MatrixView").then((m) => m.MatrixView),
  says: { lines: (many) => (many ? 4 : 3), unanswered: true },
  usual: ({ across }): Record<string, string> => (across === "actual" ? { across } : {}),
  pins: true,
};
