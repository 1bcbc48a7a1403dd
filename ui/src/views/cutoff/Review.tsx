import { Slider } from "radix-ui";
import { useState } from "react";
import { useParts } from "../../api/queries";
import { Figure } from "../../app/Figure";
import { InFront } from "../../app/InFront";
import { type Shown, useScope } from "../../app/scope";
import type { Interval } from "../../charts/scales";
import { countsOf, nearest, place, type Tally, wilson } from "../../charts/tally";
import { NumberField } from "../../parts/NumberField";
import { asSet, count, shown } from "../../parts/number";

type Props = { scored: { c: Shown; tally: Tally }[]; z: number | null };
type Told = { value: number | null; ends: Interval | null };

const SIDES = [
  ["below", "left", "bg-passed"],
  ["between", "looked at", "bg-ochre-soft"],
  ["above", "flagged", "bg-ink text-sheet"],
] as const;

/** The band in an address: its ends, where there are two in order. */
export function bandOf(text: string | undefined): Interval | null {
  const [low, high] = (text ?? "").split(":").map((t) => (t === "" ? Number.NaN : Number(t)));
  return low !== undefined && high !== undefined && low <= high ? [low, high] : null;
}

const placesOf = (t: Tally, [from = 0, to = 0]: number[]): Interval => [place(t, from), place(t, to)];

/** A band between two cutoffs in which someone looks: how many rows that is, and what is decided around it. */
export function Review({ scored, z }: Props) {
  const { study, split, slice, own, setOwn, positive, few } = useScope();
  // what the hand holds, until the address says something else than when it took hold
  const [taken, hold] = useState<{ from: string | undefined; band: Interval } | null>(null);
  const held = taken && taken.from === own.band ? taken.band : null;
  if (taken && !held) hold(null); // or it would stand again once the address comes back to where it was
  const kept = bandOf(own.band);
  const band = held ?? kept;
  const front = scored.find(({ c }) => c.letter === own.front) ?? scored[0];
  const designed = z === null;
  const asked = useParts(
    study.id,
    kept && designed ? { kinds: ["review"], split, cutoffs: "", within: slice, band: kept } : null,
  );
  if (!front || few) return null;
  const { c, tally } = front;
  const set = (to: Interval | null) => setOwn({ band: to?.join(":") ?? null });
  if (!band)
    return (
      <p className="text-sm">
        <button
          type="button"
          className="link"
          onClick={() => {
            const high = c.shownCutoff ?? 0.5;
            set([Number((high / 2).toPrecision(3)), high]);
          }}
        >
          a band for review
        </button>{" "}
        <span className="kbd">b</span>
      </p>
    );
  const [low, high] = band;
  const [at, over] = [countsOf(tally, low), countsOf(tally, high)];
  const found =
    designed && !held
      ? asked.data?.candidates?.find((x) => x.name === c.result.name)?.splits?.[split]?.bands?.[0]
      : null;
  const rows = at && over && sidesOf(tally, at, over);
  const whole = tally.positives + tally.negatives;
  const share = (k: number, n: number, exact?: { low?: number | null; high?: number | null }): Told => ({
    value: n > 0 ? k / n : null,
    ends: z !== null ? wilson(k, n, z) : exact?.low != null ? [exact.low, exact.high ?? 1] : null,
  });
  return (
    <section aria-label="A band for review" data-band={c.letter}>
      <header className="flex items-baseline gap-2 flex-wrap">
        <h2 className="text-lg">A band for review</h2>
        <button type="button" className="link text-sm text-soft" onClick={() => set(null)}>
          none
        </button>
      </header>
      <p className="flex items-center gap-1.5 text-sm text-soft my-1 flex-wrap">
        <InFront of={scored.map((s) => s.c)} front={c} />
        <NumberField
          label="Band from"
          value={low}
          allowed={(x) => x <= high}
          onSet={(x) => x !== null && set([x, high])}
        />
        to
        <NumberField
          label="Band up to"
          value={high}
          allowed={(x) => x >= low}
          onSet={(x) => x !== null && set([low, x])}
        />
      </p>
      {!rows && (
        <p className="text-sm text-soft">The ends stand between the places that are counted here: set rounder ones.</p>
      )}
      {rows && (
        <>
          <Slider.Root
            className="relative flex items-center h-5 touch-none select-none"
            min={0}
            max={tally.tp.length - 1}
            value={band.map((x) => nearest(tally, x))}
            onValueChange={(at) => hold({ from: own.band, band: placesOf(tally, at) })}
            onValueCommit={(at) => set(placesOf(tally, at))}
          >
            <Slider.Track className="relative h-px flex-1 bg-rule">
              <Slider.Range className="absolute -top-1 h-2 bg-ochre-soft border-y border-ochre" />
            </Slider.Track>
            {["Lower end of the band", "Upper end of the band"].map((label, i) => (
              <Slider.Thumb
                key={label}
                aria-label={label}
                aria-valuetext={asSet(band[i] ?? 0)}
                className="block w-2.5 h-4 bg-ink rounded-[2px] handle"
              />
            ))}
          </Slider.Root>
          <div className="flex h-5 text-xs font-semibold leading-5 text-center" aria-hidden="true">
            {SIDES.map(([side, , fill], i) => {
              const n = rows[i]?.rows ?? 0;
              return (
                n > 0 && (
                  <span key={side} className={`${fill} overflow-hidden`} style={{ flex: n }} title={side}>
                    {n / whole > 0.12 && count(n)}
                  </span>
                )
              );
            })}
          </div>
          <table className="w-full text-sm tabular-nums mt-1">
            <thead>
              <tr className="text-xs text-soft text-right">
                <td />
                <th className="font-normal">rows</th>
                <th className="font-normal truncate max-w-16 pl-2" title={positive}>
                  {positive}
                </th>
                <th className="font-normal">share of the rows</th>
              </tr>
            </thead>
            <tbody>
              {SIDES.map(([side, what], i) => {
                const r = rows[i];
                const of = share(r?.rows ?? 0, whole, found?.[side]?.share);
                return (
                  <tr key={side} className="border-t border-light text-right" data-side={side}>
                    <th scope="row" className="font-normal text-left text-soft py-0.5">
                      <span title={what}>{side}</span>
                    </th>
                    <td className="font-semibold pl-1.5">{count(r?.rows ?? 0)}</td>
                    <td className={`pl-1.5 ${side === "below" ? "text-scarlet" : ""}`}>{count(r?.positives ?? 0)}</td>
                    <td className="pl-2 leading-tight">
                      <Unfolding c={c} metric={side} value={of.value} band={held ? null : kept} />
                      <span className="block text-xs text-soft whitespace-nowrap">
                        {of.ends && `${shown(of.ends[0])} to ${shown(of.ends[1])}`}
                      </span>
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
          <dl className="text-sm mt-1.5 grid grid-cols-[1fr_auto_auto] gap-x-2 tabular-nums">
            {decided(rows, tally).map(([name, title, k, n]) => {
              const m = share(k, n, found?.metrics?.[name]);
              return (
                <div key={name} className="contents" data-decided={name}>
                  <dt className="text-soft">{title}</dt>
                  <dd className="font-semibold">
                    <Unfolding c={c} metric={name} value={m.value} band={held ? null : kept} />
                  </dd>
                  <dd className="text-xs text-soft leading-5">
                    {m.ends && `${shown(m.ends[0])} to ${shown(m.ends[1])}`}
                  </dd>
                </div>
              );
            })}
          </dl>
        </>
      )}
    </section>
  );
}

type UnfoldingProps = { c: Shown; metric: string; value: number | null; band: Interval | null };

/** A share around the band; one that is still moved does not unfold. */
function Unfolding({ c, metric, value, band }: UnfoldingProps) {
  if (!band || value === null) return <span data-metric={metric}>{shown(value)}</span>;
  return <Figure candidate={c.name} metric={metric} value={{ value }} of="band" besides={{ band }} />;
}

type Side = { rows: number; positives: number };

function sidesOf(t: Tally, at: { tp: number; fp: number }, over: { tp: number; fp: number }): [Side, Side, Side] {
  const [p, n] = [t.positives - t.unanswered_positive, t.negatives - t.unanswered_negative];
  const side = (tp: number, fp: number): Side => ({ rows: tp + fp, positives: tp });
  return [side(p - at.tp, n - at.fp), side(at.tp - over.tp, at.fp - over.fp), side(over.tp, over.fp)];
}

/** What is decided around the band: each share with its two counts, by the name it has in the results. */
function decided([below, between, above]: [Side, Side, Side], t: Tally): [string, string, number, number][] {
  return [
    ["precision_above", "precision above", above.positives, above.rows],
    ["npv_below", "rightly left below", below.rows - below.positives, below.rows],
    ["recall_with_review", "recall, if who looks is right", above.positives + between.positives, t.positives],
    [
      "accuracy_decided",
      "right outside of it",
      above.positives + below.rows - below.positives,
      above.rows + below.rows,
    ],
  ];
}
