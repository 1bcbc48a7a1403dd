import { describe, expect, it } from "vitest";
import { type StepEntry, stepsOf } from "../src/app/steps";
import { STEPS } from "../src/views";

const thresholds: StepEntry = {
  step: "thresholds",
  title: "Thresholds",
  load: async () => () => null,
  pins: (many) => !many,
};

describe("a view more", () => {
  const steps = stepsOf([...STEPS.slice(0, 2), thresholds, ...STEPS.slice(2)]);
  it("is open, titled and pinned by its entry alone", () => {
    expect(steps.open.indexOf("thresholds")).toBe(2);
    expect(steps.titleOf("thresholds")).toBe("Thresholds");
    expect(steps.canPin("thresholds", false)).toBe(true);
    expect(steps.canPin("thresholds", true)).toBe(false);
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
    expect(some.canPin("later", false)).toBe(false);
    expect(steps.canPin("nothing", false)).toBe(false);
  });
  it("that read results can all be pinned, of two classes and of many", () => {
    for (const step of ["roster", "matrix", "curves", "cutoff", "calibration"])
      for (const many of [false, true]) expect(steps.canPin(step, many)).toBe(true);
    expect(steps.canPin("intake", false)).toBe(false);
  });
});
