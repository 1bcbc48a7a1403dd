import type { Schemas } from "../../api/client";
import { ofClass, type Shown } from "../../app/scope";
import type { Stretch } from "../../charts/Band";
import type { Spot } from "../../charts/Line";

export type Calibration = Schemas["CalibrationResult"];
export type Bins = Schemas["CalibrationBins"];
export type Told = { c: Shown; found: Calibration };

/** What is told of a candidate's probabilities: of two classes, or of one against the rest. */
export const calibrationOf = (c: Shown, of: string): Calibration | undefined =>
  (of ? ofClass(c.part, of)?.calibration : c.part.calibration) ?? undefined;

/** The monotone fit as a line: level over each of its blocks. */
export function fitted({ isotonic: fit }: Calibration): Spot[] {
  return fit.observed.flatMap((y, i) => [
    { x: fit.from[i] ?? 0, y },
    { x: fit.to[i] ?? 0, y },
  ]);
}

/** The fit less the probability that was given. */
export const gaps = (found: Calibration): Spot[] => fitted(found).map(({ x, y }) => ({ x, y: y - x }));

export type Which = "chance" | "whole";

/**
 * A band of the fit. What chance leaves stands point by point at the runs. What holds the whole curve goes in steps: a
 * curve that never falls lies above what lies under it at the runs before, and under what lies above it at those after.
 */
export function band({ isotonic: fit }: Calibration, which: Which): Stretch[] | null {
  const { runs, consistency, confidence } = fit;
  if (which === "chance")
    return (runs.mean_score ?? []).map((x, i) => ({ x, low: consistency.low[i] ?? 0, high: consistency.high[i] ?? 1 }));
  if (!confidence) return null;
  const [from, to] = [runs.from ?? [], runs.to ?? []];
  const [low, high] = [(i: number) => confidence.low[i] ?? 0, (i: number) => confidence.high[i] ?? 1];
  const steps = from.flatMap((x, i) => [
    { x, low: low(i - 1), high: high(i) },
    { x, low: low(i - 1), high: high(i + 1) },
    { x: to[i] ?? x, low: low(i - 1), high: high(i + 1) },
    { x: to[i] ?? x, low: low(i), high: high(i + 1) },
  ]);
  return [{ x: 0, low: 0, high: high(0) }, ...steps, { x: 1, low: low(from.length - 1), high: 1 }];
}

/** Stretches where the band that holds the whole curve lies to one side of the promise: between the two. */
export function proven(found: Calibration): Stretch[][] {
  const steps = band(found, "whole") ?? [];
  return steps.flatMap(({ x: from, low, high }, i) => {
    const to = steps[i + 1]?.x ?? from; // both sides are level from one step to the next
    const under = [Math.max(from, high), to].map((x) => ({ x, low: high, high: x }));
    const over = [from, Math.min(to, low)].map((x) => ({ x, low: x, high: low }));
    return [under, over].filter(([first, last]) => (first?.x ?? 0) < (last?.x ?? 0));
  });
}

export type Bin = {
  key: number;
  from: number;
  to: number;
  rows: number;
  mean: number;
  seen: number;
  low: number;
  high: number;
  chance: [number, number];
};

/** The bins that have rows. */
export function binsOf(bins: Bins): Bin[] {
  return bins.rows.flatMap((rows, key) => {
    const [mean, seen, low, high] = [bins.mean_score, bins.observed, bins.low, bins.high].map((of) => of[key] ?? null);
    if (mean == null || seen == null || low == null || high == null) return [];
    const chance: [number, number] = [bins.consistency_low[key] ?? 0, bins.consistency_high[key] ?? 1];
    return [{ key, from: bins.low_edge[key] ?? 0, to: bins.high_edge[key] ?? 1, rows, mean, seen, low, high, chance }];
  });
}

/** How far off the bin is that lies farthest off with its whole interval; 0 where none does. */
export const farthest = ({ found }: Told): number =>
  Math.max(
    0,
    ...binsOf(found.equal_mass).map((b) => (b.mean < b.low || b.mean > b.high ? Math.abs(b.mean - b.seen) : 0)),
  );
