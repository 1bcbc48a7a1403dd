import { useMemo, useRef } from "react";
import { useParts, useTallies } from "../../api/queries";
import { Drafted } from "../../app/Drafted";
import { Figure } from "../../app/Figure";
import { metricOf, type Shown, useOwn, useScope } from "../../app/scope";
import { CurveChart, type Series } from "../../charts/CurveChart";
import type { Interval } from "../../charts/scales";
import { type Counts, countsAt, countsOf, place, type Tally, wilson } from "../../charts/tally";
import { Fault, ViewHead } from "../../parts/basics";
import { Choice } from "../../parts/Choice";
import { colour, dash } from "../../parts/marks";
import { count, named, shown } from "../../parts/number";
import { Held, useHandle, useMoving } from "./held";
import { Strip } from "./Strip";
import { StripHead } from "./StripHead";
import { leastOf, leastText } from "./withheld";

/** Right answers that are withheld are no errors of the answers that are given; wrong ones that are given are. */
const FILLS = { missed: "var(--color-faint)", needless: "var(--color-missed)", left: "var(--color-passed)" };
const UNIT: Interval = [0, 1];

/** Of three classes and more: answers with too little probability are withheld, and what is left of them. */
export function ManyCutoff() {
  const { study, split, slice, chosen, of, called, own, setOwn } = useScope();
  const [by, choose] = useOwn("by", ["largest", "class"]);
  const asked = useTallies(study.id, split, slice, by === "class" ? of : "");
  const held = useRef(new Held()).current;
  const least = leastOf(own.least);
  const keep = (letter: string, to: number) => setOwn({ least: leastText({ ...least, [letter]: to }) || null });
  const tallies = new Map((asked.data?.tallies ?? []).map((t) => [t.position, t]));
  const scored = chosen.flatMap((c) => {
    const tally = tallies.get(c.position);
    return tally ? [{ c, tally, kept: least[c.letter] ?? 0 }] : [];
  });
  const without = chosen.filter((c) => asked.data && !tallies.has(c.position));
  return (
    <>
      <ViewHead title="Cutoff" note="answers with less probability than the handle says are withheld" />
      <Drafted view="cutoff" />
      <div className="flex items-baseline gap-2 text-sm text-soft mb-2 flex-wrap">
        withhold by
        <Choice
          name="withhold by"
          value={by}
          options={[
            ["largest", "the largest probability"],
            ["class", `the answer “${called(of)}” alone`],
          ]}
          onChange={choose}
        />
        {by === "class" && <span>other answers stay; the class is chosen above</span>}
      </div>
      <Fault error={asked.error} again={() => void asked.refetch()} />
      <div className="@container">
        <div className="grid gap-x-5 gap-y-4 items-start grid-cols-1 @[780px]:grid-cols-[minmax(0,1fr)_minmax(0,380px)]">
          <div className="min-w-0">
            <div
              className="border border-rule bg-sheet rounded-[4px] divide-y divide-rule"
              hidden={Boolean(asked.data) && scored.length === 0}
            >
              {!asked.data &&
                !asked.error &&
                chosen.flatMap((c) =>
                  c.gives === "probabilities" ? [<div key={c.position} className="h-[168px]" aria-busy="true" />] : [],
                )}
              {scored.map((s) => (
                <OneOfMany
                  key={s.c.position}
                  {...s}
                  z={study.z}
                  held={held}
                  ofClass={by === "class"}
                  keep={(to) => keep(s.c.letter, to)}
                />
              ))}
            </div>
            {scored.length > 0 && (
              <p className="text-sm text-soft font-serif italic mt-1">
                Above the line: right answers, below: wrong ones, by their probability; height: the square root of the
                share of each. Coloured: given. Pale: withheld.
              </p>
            )}
            {without.length > 0 && (
              <p className="text-sm text-soft mt-2">
                {named(without.map((c) => c.name))} {without.length === 1 ? "gives" : "give"} no probabilities: nothing
                can be withheld by them.
              </p>
            )}
          </div>
          {by === "largest" && scored.length > 0 && <Left scored={scored} held={held} />}
        </div>
      </div>
    </>
  );
}

type One = {
  c: Shown;
  tally: Tally;
  kept: number;
  z: number | null;
  held: Held;
  ofClass: boolean;
  keep: (to: number) => void;
};

function OneOfMany({ c, tally, kept, z, held, ofClass, keep }: One) {
  const { of, few } = useScope();
  const { cutoff, moves, move, release, nudge } = useHandle(held, { position: c.position, kept, keep, tally });
  const n = countsOf(tally, cutoff);
  const exact = useExact(c, z === null && !moves && !few ? cutoff : null, ofClass ? of : "");
  return (
    <section
      aria-label={`Cutoff of ${c.name}`}
      className="px-3.5 pt-2 pb-2"
      data-live={c.letter}
      data-at={cutoff}
      data-moving={moves}
    >
      <StripHead c={c} cutoff={cutoff} allowed={(x) => x >= 0 && x <= 1} onSet={keep}>
        {n && (
          <span className="text-sm text-soft whitespace-nowrap">
            <b className="font-semibold text-ink" data-live-count="tp">
              {count(n.tp)}
            </b>{" "}
            right,{" "}
            <b className="font-semibold text-scarlet" data-live-count="fp">
              {count(n.fp)}
            </b>{" "}
            <span className="text-scarlet">wrong</span>, <span data-live-count="withheld">{count(n.fn + n.tn)}</span>{" "}
            withheld
          </span>
        )}
      </StripHead>
      <Strip
        tally={tally}
        counts={n}
        cutoff={cutoff}
        position={c.position}
        name={c.name}
        domain={UNIT}
        rooted
        fills={FILLS}
        onMove={move}
        onRelease={release}
        onNudge={nudge}
        onFocus={() => {}}
      />
      <dl className="grid grid-cols-[minmax(0,1fr)_minmax(0,1.5fr)_minmax(0,1fr)] gap-x-2 text-sm leading-snug">
        {sharesOf(c, tally, n, ofClass ? of : "").map(([name, title, k, rows]) => {
          const found = exact?.[name];
          const ends = z !== null ? wilson(k, rows, z) : found?.low != null ? [found.low, found.high ?? 1] : null;
          return (
            <div key={name}>
              <dt className="text-soft inline">{title} </dt>
              <dd className="inline font-semibold">
                {moves || few || rows <= 0 ? (
                  <span data-metric={name}>{shown(few || rows <= 0 ? null : k / rows)}</span>
                ) : (
                  <Figure
                    candidate={c.name}
                    metric={name}
                    value={{ value: k / rows }}
                    of={ofClass ? `withheld ${of}` : "withheld"}
                    besides={{ least: `${c.position}:${cutoff}` }}
                  />
                )}
              </dd>
              <dd className="text-xs text-soft h-4" data-interval={name}>
                {!few && ends && `${shown(ends[0])} to ${shown(ends[1])}`}
              </dd>
            </div>
          );
        })}
        <Unanswered n={n} />
      </dl>
    </section>
  );
}

type Exact = Record<string, { low?: number | null; high?: number | null }>;

/** The server's intervals at a cutoff, where rows have weights or groups. */
function useExact(c: Shown, cutoff: number | null, of: string): Exact | null {
  const { study, split, slice } = useScope();
  const asked = useParts(
    study.id,
    cutoff === null
      ? null
      : { kinds: ["withheld"], split, cutoffs: "", within: slice, least: `${c.position}:${cutoff}` },
  );
  const part = asked.data?.candidates?.find((x) => x.name === c.result.name)?.splits?.[split];
  const told = of ? part?.per_class?.[of]?.withheld : part?.withheld;
  return told && told.least === cutoff ? told.metrics : null;
}

/** What is told of the answers that are given: by its name, with the two counts of each share. */
function sharesOf(c: Shown, t: Tally, n: Counts | null, of: string): [string, string, number, number][] {
  if (!n) return [];
  const given = n.tp + n.fp;
  if (!of)
    return [
      ["share_answered", "answered", given, t.positives + t.negatives],
      ["selective_accuracy", "right among them", n.tp, given],
    ];
  return [
    ["share_answered", "answered", c.part.rows - (n.fn + n.tn) - t.unanswered_negative, c.part.rows],
    ["precision", "precision", n.tp, given],
    ["recall", "recall", n.tp, c.part.per_class?.[of]?.actual_rows ?? 0],
  ];
}

function Unanswered({ n }: { n: Counts | null }) {
  if (!n?.unanswered_negative) return null;
  return <div className="text-xs text-soft">{count(n.unanswered_negative)} have no answer at any cutoff</div>;
}

/** How many of the answers are right, by the share of rows that are answered. */
function Left({ scored, held }: { scored: { c: Shown; tally: Tally; kept: number }[]; held: Held }) {
  const { study, split, slice, baselines, few } = useScope();
  const asked = useParts(study.id, { kinds: ["sweep"], split, cutoffs: "", within: slice, step: 0.05 });
  const risk = new Map(
    (asked.data?.candidates ?? []).map((c) => [c.name, c.splits?.[split]?.risk_area?.value ?? null]),
  );
  const lines = useMemo(() => scored.map(({ tally }) => leftOf(tally)), [scored]);
  const moving = useMoving(held, scored[0]?.c.position ?? 0);
  if (few) return null;
  const series: Series[] = scored.map(({ c, tally, kept }, i) => {
    const n = countsOf(tally, (i === 0 ? moving : null) ?? kept);
    const points = lines[i] ?? [];
    return {
      key: c.position,
      letter: c.letter,
      name: c.name,
      color: colour(c.position),
      dash: dash(c.position),
      area: risk.get(c.result.name) ?? null,
      drawn: points,
      exact: points,
      at: n && spot(tally, n, kept),
    };
  });
  const base = baselines[0] ? metricOf(baselines[0].part, "accuracy").value : null;
  return (
    <div className="min-w-0" data-part="left">
      <CurveChart
        title="Surer answers, fewer of them"
        x="Share answered"
        y="Right among them"
        areaName="risk area"
        lower
        series={series}
        reference={{ from: [0, base ?? 0], to: [1, base ?? 0], label: baselines[0]?.label }}
      />
      <p className="text-sm text-soft font-serif italic">
        The risk area is the share of wrong answers among those at least as sure, averaged over the rows: less is
        better. It has no interval here, and no test.
      </p>
    </div>
  );
}

const spot = (t: Tally, n: Counts, cutoff: number) =>
  n.tp + n.fp > 0 ? { x: (n.tp + n.fp) / (t.positives + t.negatives), y: n.tp / (n.tp + n.fp), cutoff } : null;

/** The curve at every place where a handle can stand. */
const leftOf = (t: Tally) =>
  t.tp.flatMap((_, k) => {
    const p = spot(t, countsAt(t, k), place(t, k));
    return p ? [p] : [];
  });
