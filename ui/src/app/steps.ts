/** The steps of a study, in the order the work is done. Those without a view are not available yet. */
export type Step = "intake" | "roster" | "matrix" | "curves" | "cutoff" | "dossier";

export const STEPS: { title: string; step?: Step }[] = [
  { title: "Intake", step: "intake" },
  { title: "Roster", step: "roster" },
  { title: "Matrix", step: "matrix" },
  { title: "Curves", step: "curves" },
  { title: "Cutoff", step: "cutoff" },
  { title: "Calibration" },
  { title: "Slices" },
  { title: "Casebook" },
  { title: "Head-to-head" },
  { title: "Dossier", step: "dossier" },
];

export const OPEN_STEPS = STEPS.flatMap((s) => (s.step ? [s.step] : []));
export const PINNABLE = ["roster", "matrix", "curves", "cutoff"] as const;
export type View = (typeof PINNABLE)[number];
/** Whether a step can be pinned as an exhibit: of three classes or more there is no cutoff to show. */
export const canPin = (step: string, many: boolean): step is View => isView(step) && !(many && step === "cutoff");
export const isView = (step: string): step is View => (PINNABLE as readonly string[]).includes(step);
export const titleOf = (step: string) => STEPS.find((s) => s.step === step)?.title ?? step;
