import type { Schemas } from "../api/client";

/** Counts at each place where a handle can stand, from the lowest up, as the server counts them. */
export type Tally = Schemas["TallyOut"];

export type Counts = { tp: number; fp: number; fn: number; tn: number };

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
  return { tp, fp, fn: t.positives - tp, tn: t.negatives - fp - t.unanswered_negative };
}

/** The outcomes at a cutoff, or null where it stands between places. */
export function countsOf(t: Tally, cutoff: number): Counts | null {
  const k = nearest(t, cutoff);
  return place(t, k) === cutoff ? countsAt(t, k) : null;
}

const share = (k: number, n: number) => (n > 0 ? k / n : null);

export const liveRates = ({ tp, fp, fn }: Counts) => ({
  recall: share(tp, tp + fn),
  precision: share(tp, tp + fp),
  f1: share(2 * tp, 2 * tp + fp + fn),
});

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
