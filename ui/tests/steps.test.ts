import { describe, expect, it } from "vitest";
import { type StepEntry, stepsOf } from "../src/app/steps";
import { STEPS } from "../src/views";

const thresholds: StepEntry = {
  step: "thresholds",
  title: "Thresholds",
  load: async () => () => null,
  pins: true,
};

describe("a view more", () => {
  const steps = stepsOf([...STEPS.slice(0, 2), thresholds, ...STEPS.slice(2)]);
  it("is open, titled and pinned by its entry alone", () => {
    expect(steps.open.indexOf("thresholds")).toBe(2);
    expect(steps.titleOf("thresholds")).toBe("Thresholds");
    expect(steps.canPin("thresholds")).toBe(true);
  });
});

describe("the steps", () => {
  const steps = stepsOf(STEPS);
  it("have each an address of their own", () => {
    expect(new Set(STEPS.map((s) => s.step)).size).toBe(STEPS.length);
  });
  it("are not open, nor pinned, before there is a view", () => {
    const some = stepsOf([...STEPS, { step: "later", title: "Later" }]);
    expect(some.open).not.toContain("later");
    expect(some.canPin("later")).toBe(false);
    expect(steps.canPin("nothing")).toBe(false);
  });
  it("that read results can all be pinned", () => {
    for (const step of ["roster", "matrix", "curves", "cutoff", "calibration", "slices", "casebook", "head-to-head"])
      expect(steps.canPin(step)).toBe(true);
    expect(steps.canPin("intake")).toBe(false);
  });
});
