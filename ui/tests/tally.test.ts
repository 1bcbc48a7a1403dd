import { describe, expect, it } from "vitest";
import { countsOf, ends, flagged, histogram, nearest, place, type Tally } from "../src/charts/tally";

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
    expect(countsOf(t, 0.5)).toEqual({ tp: 2, fp: 1, fn: 2, tn: 1 });
    expect(countsOf(t, 0.51)).toEqual({ tp: 1, fp: 0, fn: 3, tn: 2 });
    expect(countsOf(t, 0)).toEqual({ tp: 3, fp: 2, fn: 1, tn: 0 });
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
