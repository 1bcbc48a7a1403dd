import { describe, expect, it } from "vitest";
import {
  band,
  binsOf,
  type Calibration,
  farthest,
  fitted,
  gaps,
  proven,
  type Told,
} from "../src/views/calibration/read";

const bins = {
  low_edge: [0, 0.5],
  high_edge: [0.5, 1],
  rows: [40, 0],
  mean_score: [0.3, null],
  observed: [0.1, null],
  low: [0.05, null],
  high: [0.2, null],
  consistency_low: [0.2, null],
  consistency_high: [0.4, null],
};
const found = {
  equal_mass: bins,
  equal_width: bins,
  isotonic: {
    from: [0.1, 0.5],
    to: [0.4, 0.9],
    observed: [0.05, 0.3],
    runs: { from: [0.1, 0.5], to: [0.4, 0.9], mean_score: [0.25, 0.7] },
    consistency: { low: [0.2, 0.6], high: [0.3, 0.8] },
    confidence: { low: [0.01, 0.2], high: [0.15, 0.4] },
  },
} as unknown as Calibration;

describe("what is drawn of a calibration", () => {
  it("is level over each block of the fit", () =>
    expect(fitted(found)).toEqual([
      { x: 0.1, y: 0.05 },
      { x: 0.4, y: 0.05 },
      { x: 0.5, y: 0.3 },
      { x: 0.9, y: 0.3 },
    ]));
  it("is the share less the probability", () => expect(gaps(found)[1]?.y).toBeCloseTo(-0.35));
  it("stands point by point where chance is told of", () =>
    expect(band(found, "chance")).toEqual([
      { x: 0.25, low: 0.2, high: 0.3 },
      { x: 0.7, low: 0.6, high: 0.8 },
    ]));
  it("goes in steps where the whole curve is held, and says nothing outside of the scores", () => {
    const steps = band(found, "whole") ?? [];
    expect(steps[0]).toEqual({ x: 0, low: 0, high: 0.15 });
    expect(steps.at(-1)).toEqual({ x: 1, low: 0.2, high: 1 });
    const inside = steps.filter(({ x }) => x === 0.4);
    expect(inside).toEqual([
      { x: 0.4, low: 0, high: 0.4 },
      { x: 0.4, low: 0.01, high: 0.4 },
    ]);
    expect(band({ ...found, isotonic: { ...found.isotonic, confidence: null } }, "whole")).toBeNull();
  });
  it("is hatched where the whole band leaves the promise alone", () => {
    expect(proven(found)).toEqual([
      [
        { x: 0.4, low: 0.4, high: 0.4 },
        { x: 0.5, low: 0.4, high: 0.5 },
      ],
    ]);
    const under = { ...found.isotonic, confidence: { low: [0.3, 0.95], high: [1, 1] } };
    expect(proven({ ...found, isotonic: under }).map(([a, b]) => [a?.x, b?.x])).toEqual([[0.9, 0.95]]);
  });
  it("leaves empty bins out, and knows how far the others lie off", () => {
    expect(binsOf(bins as never).map((b) => [b.rows, b.mean, b.seen, b.chance])).toEqual([[40, 0.3, 0.1, [0.2, 0.4]]]);
    expect(farthest({ found } as Told)).toBeCloseTo(0.2);
  });
});
