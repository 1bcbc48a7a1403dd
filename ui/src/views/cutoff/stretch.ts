import type { Schemas, Study } from "../../api/client";
import type { Shown } from "../../app/scope";
import { asSet } from "../../parts/number";

/** What is told of the stretch that holds a cutoff, where a rule chose it and these rows tell of one. */
export function stretchOf(c: Shown, study: Study, split: string) {
  const found = c.part.stretch;
  if (!found || found.why || c.pending) return null;
  const rule = study.rules.find((r) => r.name === found.rule)?.title ?? found.rule;
  const rows = split === "all" ? "these rows" : `the ${split} rows`;
  return {
    low: found.low,
    high: found.high,
    title: `${rule}: ${rows} cannot separate the cutoffs ${ends(found)} from the best`,
  };
}

export function ends({ low, high }: Schemas["Stretch"]): string {
  if (low === null && high === null) return "of all scores";
  if (low === null) return `up to ${asSet(high ?? 1)}`;
  return high === null ? `from ${asSet(low)} on` : `from ${asSet(low)} to ${asSet(high)}`;
}
