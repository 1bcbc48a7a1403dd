import type { StepEntry } from "../../app/steps";

export const roster: StepEntry = {
  step: "roster",
  title: "Roster",
  load: () => import("./RosterView").then((m) => m.RosterView),
  reads: ["best", "quoted", "findings"],
  usual: ({ headline, candidates }) => ({
    metrics: headline.join(","),
    against: (candidates.find((c) => c.runs_now) ?? candidates[0])?.letter ?? "A",
  }),
  pins: true,
};
