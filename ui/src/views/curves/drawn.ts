import type { SplitResult } from "../../app/scope";
import type { Point } from "../../charts/CurveChart";

export type Kind = "roc" | "pr";
export const AREA = { roc: "roc_auc", pr: "average_precision" } as const;

/** What curves are drawn from: a part, or what it tells of one class against the rest. */
export type Drawn = Pick<SplitResult, "roc" | "pr" | "gain" | "roc_band" | "pr_band">;
type Series = (number | null)[] | undefined;

const points = (x: Series, y: Series, cutoff?: Series): Point[] =>
  (x ?? []).map((value, i) => ({ x: value ?? 0, y: y?.[i] ?? 0, cutoff: cutoff?.[i] ?? null }));

/** The points of a curve as they are drawn, each with its cutoff where it has one. */
export const drawn = (part: { roc?: Record<string, Series>; pr?: Record<string, Series> }, kind: Kind): Point[] =>
  kind === "roc"
    ? points(part.roc?.fpr, part.roc?.tpr, part.roc?.cutoff)
    : points(part.pr?.recall, part.pr?.precision, part.pr?.cutoff);

/** Recall, or lift, against the share of rows that is flagged. */
export function gained({ gain }: Drawn, of: "recall" | "lift"): Point[] {
  return (gain?.flagged_share ?? []).flatMap((x, i) => {
    const y = gain?.[of][i];
    return y == null ? [] : [{ x, y, cutoff: gain?.cutoff[i] ?? null }];
  });
}
