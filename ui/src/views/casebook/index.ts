import type { StepEntry } from "../../app/steps";

export const casebook: StepEntry = {
  step: "casebook",
  title: "Casebook",
  load: () => import("./CasebookView").then((m) => m.CasebookView),
  wide: true,
  pins: true,
};
