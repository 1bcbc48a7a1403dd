import type { StepEntry } from "../../app/steps";

export const calibration: StepEntry = {
  step: "calibration",
  title: "Calibration",
  load: () => import("./CalibrationView").then((m) => m.CalibrationView),
  draws: ["calibration", "recalibration"],
  says: { lines: () => 3, names: 1, ofClass: true, own: ["by"] },
  pins: true,
};
