import type { StepEntry } from "../../app/steps";

export const dossier: StepEntry = {
  step: "dossier",
  title: "Dossier",
  load: () => import("./DossierView").then((m) => m.DossierView),
};
