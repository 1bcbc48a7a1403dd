import type { Parts, Study } from "../api/client";
import { Whisker } from "../charts/Whisker";
import { PENDING } from "../parts/basics";
import { shown } from "../parts/number";
import type { Shown } from "./scope";

type Pair = NonNullable<Parts["pairs"]>[number];
export type Difference = {
  value: number | null;
  low?: number | null;
  high?: number | null;
  why?: string | null;
  apart?: boolean;
  tested?: boolean;
};

/** Whether the rows that are read are those on which candidates are tested against each other. */
export const reported = ({ split, study }: { split: string; study: Study }) => split === study.holdout.report_on;

/** A candidate's number less another's, on the rows of both: which of a pair's differences, as `of` says. */
export function differenceOf(
  pairs: Pair[],
  c: Shown,
  from: Shown,
  of: (pair: Pair) => Pair["metrics"][string] | undefined,
  alpha: number,
): Difference {
  if (c === from) return { value: null };
  const pair = pairs.find((p) => [p.a, p.b].includes(c.result.name) && [p.a, p.b].includes(from.result.name));
  const d = pair && of(pair);
  if (!pair || d?.difference == null) return { value: null, why: d?.why ?? "not compared" };
  const sign = pair.a === c.result.name ? 1 : -1;
  const ends = [d.low, d.high].map((x) => (x == null ? null : sign * x));
  const [low, high] = sign > 0 ? ends : ends.toReversed();
  const tested = d.p_adjusted != null;
  return { value: sign * d.difference, low, high, apart: (d.p_adjusted ?? 1) <= alpha, tested, why: d.why };
}

type Props = {
  of: Difference;
  own: boolean;
  waiting: boolean;
  domain: [number, number] | null;
  color: string;
  written: boolean;
};

/** A difference, on a ruler with nought. */
export function Less({ of, own, waiting, domain, color, written }: Props) {
  if (own) return <span className="text-soft text-sm">reference</span>;
  if (waiting) return <span className="text-soft">{PENDING}</span>;
  if (of.value === null)
    return (
      <span className="text-soft" title={of.why ?? undefined}>
        —
      </span>
    );
  return (
    <span data-apart={of.apart ?? false} title={of.why ?? undefined}>
      <span className={`text-lg ${of.apart ? "font-semibold" : ""}`}>
        {of.value > 0 ? "+" : ""}
        {shown(of.value)}
      </span>
      <Whisker of={of} domain={domain} color={color} ring={!of.apart} at={0} />
      {!of.tested && <span className="block text-xs text-soft">not tested</span>}
      {written && of.low != null && (
        <span className="block text-xs text-soft whitespace-nowrap">
          {shown(of.low)} to {shown(of.high)}
        </span>
      )}
    </span>
  );
}
