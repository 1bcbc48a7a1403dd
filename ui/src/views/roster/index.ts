import type { StepEntry } from "../../app/steps";

export const roster: StepEntry = {
  step: "roster",
  title: "Roster",
  load: () => import("./RosterView").then((m) => m.RosterView),
  reads: ["best", "quoted", "findings"],
  pins: () => true,
};
