import type { StepEntry } from "../../app/steps";

export const intake: StepEntry = {
  step: "intake",
  title: "Intake",
  load: () => import("./IntakeView").then((m) => m.IntakeView),
};
