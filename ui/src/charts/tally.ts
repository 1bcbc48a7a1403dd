import type { Schemas } from "../api/client";
import type { Interval } from "./scales";

/** Counts at each place where a handle can stand, from the lowest up, as the server counts them. */
export type Tally = Schemas["TallyOut"];

/** Outcomes; `unanswered_negative` are negatives that nobody flags and that are not rightly left either. */
export type Counts = { tp: number; fp: number; fn: number; tn: number; unanswered_negative: number };

const scale = (digits: number) => 10 ** Math.abs(digits);

/** The k-th place: one correctly rounded division, the same number that the server counts at. */
export const place = (t: Tally, k: number) =>
  t.digits >= 0 ? (t.first + k) / scale(t.digits) : (t.first + k) * scale(t.digits);

/** The lowest and the highest place. */
export const ends = (t: Tally): [number, number] => [place(t, 0), place(t, t.tp.length - 1)];

/** Which place is nearest to a cutoff. */
export function nearest(t: Tally, cutoff: number): number {
  const k = Math.round(t.digits >= 0 ? cutoff * scale(t.digits) : cutoff / scale(t.digits)) - t.first;
  return Math.min(t.tp.length - 1, Math.max(0, k));
}

/** The outcomes with the cutoff at a place: read, never counted again. Rows without an answer are flagged by nobody. */
export function countsAt(t: Tally, k: number): Counts {
  const tp = t.tp[k] ?? 0;
  const fp = t.fp[k] ?? 0;
  const { unanswered_negative } = t;
  return { tp, fp, fn: t.positives - tp, tn: t.negatives - fp - unanswered_negative, unanswered_negative };
}

/** The outcomes at a cutoff, or null where it stands between places. */
export function countsOf(t: Tally, cutoff: number): Counts | null {
  const k = nearest(t, cutoff);
  return place(t, k) === cutoff ? countsAt(t, k) : null;
}

const share = (k: number, n: number) => (n > 0 ? k / n : null);
const rowsOf = ({ tp, fp, fn, tn, unanswered_negative }: Counts) => tp + fp + fn + tn + unanswered_negative;
/** What each outcome costs: a needless flag, a miss, a catch, a row rightly left. */
export type Prices = { needless: number; missed: number; caught: number; left: number };

/** What is read off the counts alone, by the names that metrics have; null where a denominator is 0. */
const OF_COUNTS: Record<string, (n: Counts) => number | null> = {
  recall: ({ tp, fn }) => share(tp, tp + fn),
  precision: ({ tp, fp }) => share(tp, tp + fp),
  specificity: (n) => share(n.tn, n.tn + n.fp + n.unanswered_negative),
  flagged_share: (n) => share(n.tp + n.fp, rowsOf(n)),
  accuracy: (n) => share(n.tp + n.tn, rowsOf(n)),
  f1: ({ tp, fp, fn }) => share(2 * tp, 2 * tp + fp + fn),
  youden_j: (n) => sum(OF_COUNTS.recall?.(n), OF_COUNTS.specificity?.(n), -1),
};
const sum = (a: number | null | undefined, b: number | null | undefined, c: number) =>
  a == null || b == null ? null : a + b + c;

export const LIVE = Object.keys(OF_COUNTS);
export const live = (name: string, n: Counts) => OF_COUNTS[name]?.(n) ?? null;

/** What errors cost a row. */
export const cost = (n: Counts, { needless, missed, caught, left }: Prices) => {
  const rows = rowsOf(n);
  return rows > 0
    ? (needless * n.fp + missed * n.fn + caught * n.tp + left * (n.tn + n.unanswered_negative)) / rows
    : null;
};

/** Wilson's interval of k among n; z is the normal quantile of the confidence. */
export function wilson(k: number, n: number, z: number): Interval | null {
  if (n <= 0) return null;
  const p = k / n;
  const middle = p + (z * z) / (2 * n);
  const reach = z * Math.sqrt((p * (1 - p)) / n + (z * z) / (4 * n * n));
  const over = 1 + (z * z) / n;
  return [k === 0 ? 0 : (middle - reach) / over, k === n ? 1 : (middle + reach) / over];
}

/** The intervals that need the counts alone, as the server makes them of rows without weights and groups. */
const ENDS: Record<string, (n: Counts, z: number) => Interval | null> = {
  recall: ({ tp, fn }, z) => wilson(tp, tp + fn, z),
  precision: ({ tp, fp }, z) => wilson(tp, tp + fp, z),
  flagged_share: (n, z) => wilson(n.tp + n.fp, rowsOf(n), z),
  f1: ({ tp, fp, fn }, z) => {
    const ends = wilson(tp, tp + fp + fn, z); // F1 is a monotone function of TP / (TP + FP + FN)
    return ends && (ends.map((x) => (2 * x) / (1 + x)) as Interval);
  },
};
export const liveEnds = (name: string, n: Counts, z: number | null) =>
  z === null ? null : (ENDS[name]?.(n, z) ?? null);

export type Sides = { positive: number; negative: number };
export type Bin = { from: number; to: number; rows: Sides; higher: Sides };

/** Rows of each class between places, in about so many bins of one width, and the rows above each. The last bin holds
 * the highest score too. */
export function histogram(t: Tally, bins: number): Bin[] {
  const last = t.tp.length - 1;
  const width = Math.max(1, Math.ceil(last / bins));
  const reach = (k: number): Sides => ({ positive: t.tp[k] ?? 0, negative: t.fp[k] ?? 0 });
  const out: Bin[] = [];
  for (let from = 0; from < last; from += width) {
    const to = Math.min(last, from + width);
    const [whole, higher] = [reach(from), to === last ? { positive: 0, negative: 0 } : reach(to)];
    const rows = { positive: whole.positive - higher.positive, negative: whole.negative - higher.negative };
    out.push({ from, to, rows, higher });
  }
  return out;
}

const within = (n: number, most: number) => Math.min(most, Math.max(0, n));

/** Of a bin's rows, those at or above the cutoff: exact, from the counts at the cutoff. */
export const flagged = ({ rows, higher }: Bin, at: Counts): Sides => ({
  positive: within(at.tp - higher.positive, rows.positive),
  negative: within(at.fp - higher.negative, rows.negative),
});
