import type { Schemas } from "../api/client";

/** Counts at each distinct score from the highest down, as the server sends them. */
export type Tally = Schemas["TallyOut"];

export type Counts = { tp: number; fp: number; fn: number; tn: number };

/** How many distinct scores are at or above a cutoff, by bisection. */
export function above(t: Tally, cutoff: number): number {
  let [low, high] = [0, t.score.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((t.score[middle] as number) >= cutoff) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** The four outcomes with the cutoff there: read from the cumulative counts, never counted again. */
export function countsAt(t: Tally, cutoff: number): Counts {
  const i = above(t, cutoff) - 1;
  const tp = t.tp[i] ?? 0;
  const fp = t.fp[i] ?? 0;
  return { tp, fp, fn: t.positives - tp, tn: t.negatives - fp };
}

const share = (k: number, n: number) => (n > 0 ? k / n : null);

export const liveRates = ({ tp, fp, fn }: Counts) => ({
  recall: share(tp, tp + fn),
  precision: share(tp, tp + fp),
  f1: share(2 * tp, 2 * tp + fp + fn),
});

/** Rows of each class in equal bins over [low, high], from the cumulative counts. */
export function histogram(t: Tally, low: number, high: number, bins: number) {
  const pos = new Float64Array(bins);
  const neg = new Float64Array(bins);
  for (let i = 0; i < t.score.length; i++) {
    const at = Math.min(bins - 1, Math.max(0, Math.floor(((t.score[i] as number) - low) / ((high - low) / bins))));
    pos[at] = (pos[at] as number) + (t.tp[i] as number) - (t.tp[i - 1] ?? 0);
    neg[at] = (neg[at] as number) + (t.fp[i] as number) - (t.fp[i - 1] ?? 0);
  }
  return { pos, neg };
}
