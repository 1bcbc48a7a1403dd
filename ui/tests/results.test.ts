import { describe, expect, it } from "vitest";
import type { Parts } from "../src/api/client";
import { putTogether } from "../src/app/results";

const part = (split: string, found: object, more: object = {}) =>
  ({ candidates: [{ name: "A", splits: { [split]: found } }], ...more }) as unknown as Parts;

describe("parts put together", () => {
  const lines = part("test", { rows: 9, per_class: { rust: { actual_rows: 4 }, healthy: { actual_rows: 5 } } });
  const curves = part("test", { per_class: { rust: { roc: { fpr: [0, 1] } } } });
  const best = { candidates: [{ name: "A" }], best: { test: {} } } as unknown as Parts;
  it("hold what each of them holds, class by class", () => {
    const whole = putTogether([lines, curves, best]);
    expect(whole.candidates[0]?.splits.test).toEqual({
      rows: 9,
      per_class: { rust: { actual_rows: 4, roc: { fpr: [0, 1] } }, healthy: { actual_rows: 5 } },
    });
    expect(whole.best).toEqual({ test: {} });
  });
  it("hold nothing of what was not asked for", () => {
    const whole = putTogether([lines]);
    expect("gates" in whole).toBe(false);
    expect(whole.candidates[0]?.splits.test).not.toHaveProperty("roc");
  });
  it("know of a candidate what any of them tells, and its cutoff from the first", () => {
    const told = (cutoff: number, more: object) =>
      ({ candidates: [{ name: "A", cutoff: { value: cutoff }, splits: {}, ...more }] }) as unknown as Parts;
    const whole = putTogether([told(0.4, {}), told(0.5, { recalibration: { learned_on: "tuning" } })]);
    expect(whole.candidates[0]).toMatchObject({ cutoff: { value: 0.4 }, recalibration: { learned_on: "tuning" } });
  });
  it("leave the parts as they were", () => {
    putTogether([lines, curves]);
    expect(lines.candidates?.[0]?.splits?.test?.per_class?.rust).toEqual({ actual_rows: 4 });
  });
});
