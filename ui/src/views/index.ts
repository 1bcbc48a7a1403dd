import type { StepEntry } from "../app/steps";
import { calibration } from "./calibration";
import { casebook } from "./casebook";
import { curves } from "./curves";
import { cutoff } from "./cutoff";
import { dossier } from "./dossier";
import { headToHead } from "./head-to-head";
import { intake } from "./intake";
import { matrix } from "./matrix";
import { roster } from "./roster";
import { slices } from "./slices";

/** The steps of a study, in the order the work is done. */
export const STEPS: StepEntry[] = [
  intake,
  roster,
  matrix,
  curves,
  cutoff,
  calibration,
  slices,
  casebook,
  headToHead,
  dossier,
];
