import type { Metric } from "../../api/client";
import { Figure } from "../../app/Figure";
import { metricOf, type Shown, useScope } from "../../app/scope";
import type { Interval } from "../../charts/scales";
import { type Counts, cost, countsOf, live, liveEnds, type Tally } from "../../charts/tally";
import { PENDING } from "../../parts/basics";
import { count, shown } from "../../parts/number";
import { type Held, useHandle } from "./held";
import { inOrder, priced, usePrices } from "./prices";
import { Strip } from "./Strip";
import { StripHead } from "./StripHead";
import { stretchOf } from "./stretch";

/** What stands under each strip. */
const TOLD = [
  ["recall", "recall"],
  ["precision", "precision"],
  ["flagged_share", "flagged"],
  ["f1", "F1"],
] as const;

type Props = {
  c: Shown;
  tally: Tally;
  /** The normal quantile of the confidence, where intervals rest on counts alone. */
  z: number | null;
  /** The cost of a row at this cutoff, where the server has told it. */
  costs: Metric | null;
  held: Held;
  domain: Interval | null;
  rooted: boolean;
  /** A band for review on its scores. */
  band: Interval | null;
  onFocus: () => void;
};

/** The counts in the results, where these are at the cutoff that is shown. */
const measured = (c: Shown): Counts | null => (c.pending ? null : (c.part.outcomes ?? null));

/**
 * One candidate's strip with all that belongs to it. All of it is at one cutoff: counts come from the results where
 * these are at hand for it, and from the tally where the handle moves or they are on their way; so do the intervals
 * that rest on counts alone, and what does not is pending meanwhile.
 */
export function One({ c, tally, z, costs, held, domain, rooted, band, onFocus }: Props) {
  const { study, split, words, few, keep } = useScope();
  const { position, shownCutoff } = c;
  const rest = { position, kept: shownCutoff ?? 0, keep: (to: number) => keep(position, to), tally };
  const { cutoff, moves, move, release, nudge } = useHandle(held, rest);
  const still = !moves && !c.pending;
  const [prices] = usePrices();
  const counts = still ? measured(c) : (countsOf(tally, cutoff) ?? null);
  const thousand = (x: number | null | undefined) => (x == null ? shown(null) : count(Math.round(1000 * x)));
  const moved = counts && !few ? cost(counts, prices) : null;
  const told = still ? costs : null;
  return (
    <section
      aria-label={`Cutoff of ${c.name}`}
      className="px-3.5 pt-2 pb-2"
      data-live={c.letter}
      data-moving={!still}
      data-at={cutoff}
    >
      <StripHead
        c={c}
        cutoff={cutoff}
        onSet={(to) => {
          move(to);
          release();
        }}
      >
        <Outcomes counts={counts} words={words} of={ERRING} />
      </StripHead>
      <p className="text-xs text-soft flex gap-3 h-4">
        <span className="truncate flex-1">
          <span title={cutoff === c.cutoff ? c.cutoff_chosen : undefined} data-part="chosen">
            {cutoff === c.cutoff ? c.cutoff_chosen : "not kept"}
          </span>
          <Unanswered tally={tally} />
        </span>
        <Outcomes counts={counts} words={words} of={PASSED} />
      </p>
      <Strip
        tally={tally}
        counts={counts}
        cutoff={cutoff}
        position={c.position}
        name={c.name}
        domain={domain}
        rooted={rooted}
        band={band}
        onMove={move}
        onRelease={release}
        onNudge={nudge}
        onFocus={onFocus}
        stretch={stretchOf(c, study, split)}
      />
      <dl className="grid grid-cols-[repeat(4,minmax(0,1fr))_5.6rem] gap-x-1 text-sm leading-snug">
        {TOLD.map(([name, title]) => (
          <Rate key={name} c={c} name={name} title={title} still={still} counts={few ? null : counts} z={z} />
        ))}
        <div>
          <dt className="text-soft inline" title={`of 1,000 rows: ${priced(prices, words)}`}>
            cost{" "}
          </dt>
          <dd className="font-semibold inline">
            {counts && told ? (
              <Figure
                candidate={c.name}
                metric="cost"
                value={told}
                of="cost"
                besides={{ prices: inOrder(prices) }}
                text={thousand(told.value)}
              />
            ) : (
              <span data-metric="cost">{counts ? thousand(moved) : PENDING}</span>
            )}
          </dd>
          <dd className="text-soft text-xs whitespace-nowrap tracking-tight" data-interval="cost">
            {told ? told.low != null && `${thousand(told.low)} to ${thousand(told.high)}` : !few && PENDING}
          </dd>
        </div>
      </dl>
    </section>
  );
}

type Outcome = "tp" | "fn" | "fp" | "tn";
const ERRING: Outcome[] = ["tp", "fn", "fp"];
const PASSED: Outcome[] = ["tn"];
const TONE: Record<Outcome, string> = { tp: "", fn: "text-scarlet", fp: "text-ochre", tn: "" };

type OutcomesProps = { counts: Counts | null; words: Record<Outcome, string>; of: Outcome[] };

function Outcomes({ counts, words, of }: OutcomesProps) {
  return (
    <span className={`whitespace-nowrap text-soft ${of.length > 1 ? "text-sm" : "text-xs"}`}>
      {of.map((key, i) => (
        <span key={key}>
          {i > 0 && ", "}
          <span className={TONE[key]}>
            <b className={`font-semibold ${TONE[key] || "text-ink"}`} data-live-count={key}>
              {counts ? count(counts[key]) : PENDING}
            </b>{" "}
            {words[key]}
          </span>
        </span>
      ))}
    </span>
  );
}

type RateProps = {
  c: Shown;
  name: (typeof TOLD)[number][0];
  title: string;
  still: boolean;
  counts: Counts | null;
  z: number | null;
};

/** A rate with its interval, and what became of it since it was chosen. */
function Rate({ c, name, title, still, counts, z }: RateProps) {
  const { study, split, pending, few } = useScope();
  const m = metricOf(c.part, name);
  const drift = split === study.holdout.report_on ? c.result.drift?.[name] : undefined;
  const ends = still ? (m.low == null ? null : [m.low, m.high ?? null]) : counts && liveEnds(name, counts, z);
  return (
    <div className="min-w-0">
      <dt className="text-soft inline">{title} </dt>
      <dd className="inline">
        {still ? (
          <Figure candidate={c.name} metric={name} value={m} className="font-semibold" />
        ) : (
          <b className="font-semibold" data-metric={name}>
            {counts ? shown(live(name, counts)) : few ? shown(null) : PENDING}
          </b>
        )}
      </dd>
      <dd className="text-soft text-xs" data-interval={name}>
        {ends ? `${shown(ends[0])} to ${shown(ends[1])}` : still || few ? " " : PENDING}
      </dd>
      {drift && (
        <dd className="text-xs text-soft whitespace-nowrap tracking-tight" data-drift={name}>
          {still && !pending ? <Drifted c={c} name={name} d={drift} since={study.holdout.tune_on ?? ""} /> : PENDING}
        </dd>
      )}
    </div>
  );
}

/** A ring where the difference cannot be told from nought, a dot where it can. */
type DriftedProps = { c: Shown; name: string; d: NonNullable<Shown["result"]["drift"]>[string]; since: string };

function Drifted({ c, name, d, since }: DriftedProps) {
  if (d.difference == null) return null;
  const apart = d.low != null && d.high != null && (d.low > 0 || d.high < 0);
  const gap = `${d.difference > 0 ? "+" : ""}${shown(d.difference)}`;
  const said = `since ${since} ${gap}, ${apart ? "separated from nought" : "not separated from nought"}`;
  return (
    <span data-apart={apart} title={d.why ? `${said}: ${d.why}` : said}>
      <span aria-hidden="true">{apart ? "●" : "○"} </span>
      <span className="sr-only">{said}: </span>
      <Figure
        candidate={c.name}
        metric={name}
        value={{ value: d.difference, low: d.low, high: d.high }}
        of="drift"
        besides={{}}
        text={d.low == null ? gap : `${shown(d.low)} to ${shown(d.high)}`}
      />
    </span>
  );
}

/** Rows without an answer, which no cutoff flags. */
function Unanswered({ tally }: { tally: Tally }) {
  const n = tally.unanswered_positive + tally.unanswered_negative;
  if (n === 0) return null;
  return (
    <>
      {" "}
      · {count(n)} without an answer: {count(tally.unanswered_positive)} of these missed
    </>
  );
}
