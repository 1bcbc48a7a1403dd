import { type ComponentType, createContext, useContext } from "react";
import type { PartKind, Schemas, Study } from "../api/client";

/** What can be pinned as an exhibit. */
export type View = Schemas["ExhibitOut"]["view"];

/** Of the drafted sentence: the lines it usually takes, how often it names each candidate, whether rows without an answer
 * add a line, and whether it is about one class against the rest. */
export type Says = {
  lines: (many: boolean) => number;
  names?: number;
  unanswered?: boolean;
  ofClass?: boolean;
  /** The view's own choices that it follows. */
  own?: readonly string[];
};

/** One step of a study, as its folder under views/ says it; without `load` it is not available yet. */
export type StepEntry = {
  step: string;
  title: string;
  load?: () => Promise<ComponentType>;
  /** The parts of the results that it shows besides matrices and metrics; and those of them that no cutoff changes. */
  reads?: readonly PartKind[];
  draws?: readonly PartKind[];
  says?: Says;
  /** Whether it needs the width: the dossier stands folded beside it until it is unfolded. */
  wide?: boolean;
  /** What its own choices are where the address does not say, as the study keeps them. */
  usual?: (study: Study) => Record<string, string>;
  /** Whether it can be pinned as an exhibit. */
  pins?: boolean;
};

/** The steps of a study, in the order the work is done. */
export type Steps = {
  all: StepEntry[];
  open: string[];
  entry: (step: string) => StepEntry | undefined;
  titleOf: (step: string) => string;
  canPin: (step: string) => step is View;
};

export function stepsOf(all: StepEntry[]): Steps {
  const entry = (step: string) => all.find((s) => s.step === step);
  return {
    all,
    open: all.flatMap((s) => (s.load ? [s.step] : [])),
    entry,
    titleOf: (step) => entry(step)?.title ?? step,
    canPin: (step): step is View => entry(step)?.pins ?? false,
  };
}

export const StepsContext = createContext<Steps>(stepsOf([]));
export const useSteps = () => useContext(StepsContext);
