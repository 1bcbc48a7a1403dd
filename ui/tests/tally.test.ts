import { describe, expect, it } from "vitest";
import {
  cost,
  countsOf,
  ends,
  flagged,
  histogram,
  LIVE,
  live,
  liveEnds,
  nearest,
  place,
  type Tally,
  wilson,
} from "../src/charts/tally";

/** A tally counted the plain way, at hundredths from 0 to 1. */
function tallyOf(rows: { score: number | null; positive: boolean; weight?: number }[]): Tally {
  const sum = (keep: (row: (typeof rows)[number]) => boolean) =>
    rows.filter(keep).reduce((all, row) => all + (row.weight ?? 1), 0);
  const places = Array.from({ length: 101 }, (_, k) => k / 100);
  const reach = (positive: boolean) =>
    places.map((at) => sum((r) => r.positive === positive && r.score !== null && r.score >= at));
  return {
    position: 1,
    first: 0,
    digits: 2,
    tp: reach(true),
    fp: reach(false),
    positives: sum((r) => r.positive),
    negatives: sum((r) => !r.positive),
    unanswered_positive: sum((r) => r.positive && r.score === null),
    unanswered_negative: sum((r) => !r.positive && r.score === null),
  };
}

const rows = [
  { score: 0.5, positive: true },
  { score: 0.5, positive: false },
  { score: 0.49, positive: true },
  { score: 1, positive: true },
  { score: 0, positive: false },
  { score: null, positive: true },
  { score: null, positive: false },
];

describe("the live counts", () => {
  const t = tallyOf(rows);
  it("flag what stands exactly at the cutoff, and never a row without an answer", () => {
    expect(countsOf(t, 0.5)).toEqual({ tp: 2, fp: 1, fn: 2, tn: 1, unanswered_negative: 1 });
    expect(countsOf(t, 0.51)).toEqual({ tp: 1, fp: 0, fn: 3, tn: 2, unanswered_negative: 1 });
    expect(countsOf(t, 0)).toEqual({ tp: 3, fp: 2, fn: 1, tn: 0, unanswered_negative: 1 });
  });
  it("are not known between places", () => expect(countsOf(t, 0.505)).toBeNull());
  it("stand at one rounded division each", () => {
    expect(ends(t)).toEqual([0, 1]);
    for (let k = 0; k <= 100; k++) expect(nearest(t, place(t, k))).toBe(k);
    expect(nearest(t, -5)).toBe(0);
    expect(nearest(t, 5)).toBe(100);
    const wide: Tally = { ...t, first: -2, digits: -2 };
    expect(place(wide, 1)).toBe(-100);
    expect(nearest(wide, -100)).toBe(1);
  });
});

describe("the bars of a strip", () => {
  it.each([1, 7, 64, 100])("hold every scored row once, in %d bins", (bins) => {
    const t = tallyOf(rows);
    const all = histogram(t, bins);
    expect(all.reduce((sum, b) => sum + b.rows.positive, 0)).toBe(3);
    expect(all.reduce((sum, b) => sum + b.rows.negative, 0)).toBe(2);
  });
  it.each([0, 0.3, 0.49, 0.5, 0.51, 1])("are coloured by exact counts at %d, weights and all", (cutoff) => {
    const weighed = rows.map((row, i) => ({ ...row, weight: 0.5 + i }));
    for (const some of [rows, weighed]) {
      const t = tallyOf(some);
      const counts = countsOf(t, cutoff);
      if (!counts) throw new Error("no place");
      for (const bins of [3, 64]) {
        const over = histogram(t, bins).map((bin) => flagged(bin, counts));
        expect(over.reduce((sum, o) => sum + o.positive, 0)).toBeCloseTo(counts.tp, 9);
        expect(over.reduce((sum, o) => sum + o.negative, 0)).toBeCloseTo(counts.fp, 9);
      }
    }
  });
});

describe("what is read off the counts while a handle moves", () => {
  const n = { tp: 27, fp: 9, fn: 3, tn: 58, unanswered_negative: 3 };
  it("is each metric by its definition, with unanswered negatives among the rows and not rightly left", () => {
    const told = Object.fromEntries(LIVE.map((name) => [name, live(name, n)]));
    expect(told).toEqual({
      recall: 27 / 30,
      precision: 27 / 36,
      specificity: 58 / 70,
      flagged_share: 36 / 100,
      accuracy: 85 / 100,
      f1: 54 / 66,
      youden_j: 27 / 30 + 58 / 70 - 1,
    });
    expect(cost(n, { needless: 2, missed: 10, caught: 0, left: 0 })).toBe(0.48);
    expect(cost(n, { needless: 2, missed: 10, caught: 1, left: 0.1 })).toBeCloseTo(0.48 + 0.27 + 0.061, 12);
  });
  it("is nothing where a denominator is 0", () => {
    const none = { tp: 0, fp: 0, fn: 0, tn: 4, unanswered_negative: 0 };
    expect(live("recall", none)).toBeNull();
    expect(live("precision", none)).toBeNull();
    expect(live("youden_j", none)).toBeNull();
    expect(liveEnds("precision", none, 1.96)).toBeNull();
  });
  it("has Wilson's interval, as published: 81 of 263 gives 0.2553 to 0.3662", () => {
    expect(wilson(81, 263, 1.959963984540054)?.map((x) => x.toFixed(4))).toEqual(["0.2553", "0.3662"]);
    expect(wilson(0, 12, 1.96)?.[0]).toBe(0);
    expect(wilson(12, 12, 1.96)?.[1]).toBe(1);
    expect(liveEnds("recall", n, null)).toBeNull();
    const [low, high] = wilson(27, 39, 1.96) ?? [0, 0];
    expect(liveEnds("f1", n, 1.96)).toEqual([(2 * low) / (1 + low), (2 * high) / (1 + high)]);
  });
});
