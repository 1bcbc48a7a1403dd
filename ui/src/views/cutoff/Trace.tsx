import { scaleLinear } from "d3-scale";
import { useMemo, useRef } from "react";
import type { Parts } from "../../api/client";
import { useParts } from "../../api/queries";
import { metricOf, type Shown, useOwn, useScope } from "../../app/scope";
import { Line, type Spot } from "../../charts/Line";
import { Ruler } from "../../charts/Ruler";
import { SaveMenu } from "../../charts/SaveMenu";
import { domainOf, type Interval, type Scale } from "../../charts/scales";
import { type Counts, cost, countsAt, countsOf, LIVE, live, type Prices, place, type Tally } from "../../charts/tally";
import { colour, dash } from "../../parts/marks";
import { asSet, count, shown } from "../../parts/number";
import { type Held, useMoving } from "./held";
import { usePrices } from "./prices";
import { STRIP } from "./Strip";

const COST = "cost";
const HEIGHT = 128;
const [TOP, BOTTOM] = [10, 108];
const POINTS = 400; // about so many are drawn of a line
const BENEFIT = "net_benefit";
const FLOOR = -0.05; // net benefits below are worse than any that is chosen
const STEP = 0.01; // between the cutoffs of a sweep
const isLive = (name: string) => (LIVE as readonly string[]).includes(name);

type Traced = { c: Shown; tally: Tally };
type Props = { scored: Traced[]; classes: Shown[]; domain: Interval; held: Held };

/** A metric or the cost of a row by cutoff, for every candidate, with where each cutoff stands: what can be counted
 * on the page at every place of a handle, any other metric of counts as the server sweeps it. */
export function Trace({ scored, classes, domain, held }: Props) {
  const { study, split, slice, metric, few } = useScope();
  const counted = study.metrics.filter((m) => m.needs === "counts").map((m) => m.name);
  const here = LIVE.filter((name) => counted.includes(name));
  const probable = scored.some(({ c }) => c.result.splits[split]?.metrics.brier?.value != null);
  const others = counted.filter((name) => !isLive(name));
  const names: [string, ...string[]] = [COST, ...here, ...(probable ? [BENEFIT] : []), ...others];
  const [name, choose] = useOwn("trace", names);
  const [prices] = usePrices();
  const figure = useRef<SVGSVGElement>(null);
  const swept = name !== COST && !isLive(name);
  const kinds = name === BENEFIT ? (["net_benefit"] as const) : (["sweep"] as const);
  const more = name === BENEFIT ? {} : { step: STEP };
  const asked = useParts(study.id, swept && !few ? { kinds, split, cutoffs: "", within: slice, ...more } : null);
  const benefit = name === BENEFIT ? benefits(asked.data, scored, split) : null;
  const lines = useMemo(
    () =>
      scored.map(({ c, tally }) => ({
        c,
        tally,
        points: !swept
          ? traced(tally, name, prices)
          : name === BENEFIT
            ? (benefits(asked.data, [{ c, tally }], split)?.lines[0] ?? [])
            : sweptOf(asked.data, c, split, name),
      })),
    [scored, name, prices, swept, asked.data, split],
  );
  const level = classes.flatMap((c) => {
    if (name === BENEFIT) return [];
    const n = c.part.outcomes;
    const y = name === COST ? n && value(name, n, prices) : metricOf(c.part, name).value;
    return y == null || few ? [] : [{ c, y }];
  });
  const told = [...lines.flatMap((l) => l.points.map((p) => p.y)), ...level.map((l) => l.y)];
  const rate = told.every((v) => v >= -1 && v <= 1);
  const reach =
    name === COST || name === BENEFIT || !rate ? domainOf([0, ...told]) : ([Math.min(0, ...told), 1] as Interval);
  if (few || (!swept && (!reach || told.length === 0))) return null;
  const x = scaleLinear(domain, [STRIP.pad, STRIP.width - STRIP.pad]).clamp(true);
  const [low, high] = reach ?? [0, 1];
  const y = scaleLinear([name === COST ? Math.max(low, 0) : low, high], [BOTTOM, TOP]);
  const titleOf = (one: string) => (one === COST ? "cost" : one === BENEFIT ? "net benefit" : metric(one).title);
  const title = name === COST ? "cost a thousand rows" : titleOf(name);
  const saved = () => [
    ["candidate", "split", ...slice.map(() => "slice"), "cutoff", name],
    ...[
      ...lines.map(({ c, points }) => ({ who: c.name, points })),
      ...(benefit ? [{ who: "acting on every row", points: benefit.all }] : []),
    ].flatMap(({ who, points }) => points.map((p) => [who, split, ...slice, p.x, p.y])),
    ...level.map(({ c, y: at }) => [c.name, split, ...slice, null, at]),
  ];
  return (
    <section aria-label="Trace" className="px-3.5 pt-2 pb-1">
      <header className="flex items-baseline gap-3 text-sm text-soft">
        <h2 className="sr-only">{title} by cutoff</h2>
        <label className="flex items-baseline gap-1.5">
          <select
            aria-label="Traced"
            className="border border-rule bg-sheet rounded-md px-1.5 py-0.5 text-ink"
            value={name}
            onChange={(e) => choose(e.target.value)}
          >
            {names.map((one) => (
              <option key={one} value={one}>
                {titleOf(one)}
              </option>
            ))}
          </select>
          by cutoff, {split === "all" ? "all rows" : split}
        </label>
        <span className="flex-1" />
        <SaveMenu figure={figure} name={`${name}-by-cutoff`} rows={saved} />
      </header>
      <svg
        ref={figure}
        viewBox={`0 0 ${STRIP.width} ${HEIGHT}`}
        className="w-full"
        data-part="trace"
        data-metric={name}
      >
        <title>{`${title} by cutoff`}</title>
        {y.ticks(3).map((v) => (
          <g key={v}>
            <line x1={STRIP.pad} x2={STRIP.width - STRIP.pad} y1={y(v)} y2={y(v)} stroke="var(--color-light)" />
            <text x={STRIP.width - STRIP.pad} y={y(v) - 3} textAnchor="end">
              {v >= 10 ? count(v) : asSet(v)}
            </text>
          </g>
        ))}
        {benefit && (
          <g data-part="acting-on-all">
            <Line points={benefit.all} x={x} y={y} color="var(--color-soft)" dash="2 3" />
            <text x={STRIP.width / 2} y={TOP + 4} textAnchor="middle">
              dotted: acting on every row
            </text>
          </g>
        )}
        {level.map(({ c, y: at }) => (
          <g key={c.position} data-level={c.letter}>
            <line
              x1={STRIP.pad}
              x2={STRIP.width - STRIP.pad}
              y1={y(at)}
              y2={y(at)}
              stroke={colour(c.position)}
              strokeDasharray={dash(c.position)}
            />
            <text x={STRIP.pad + 4} y={y(at) - 3} style={{ fill: colour(c.position), fontWeight: 700 }}>
              {c.letter}
            </text>
          </g>
        ))}
        {lines.map(({ c, points }) => (
          <Line key={c.position} points={points} x={x} y={y} color={colour(c.position)} dash={dash(c.position)} />
        ))}
        {lines.map(({ c, tally }) => (
          <Ring key={c.position} c={c} tally={tally} name={name} prices={prices} x={x} y={y} held={held} />
        ))}
        <Ruler scale={x} side="bottom" at={BOTTOM} ticks={6} text={asSet} />
      </svg>
    </section>
  );
}

/** What each threshold is worth (net benefit, in true positives a row), and what acting on every row would be: down to
 * a little below nought, which is what acting on none is worth. */
function benefits(parts: Parts | undefined, scored: Traced[], split: string) {
  const found = scored.map(
    ({ c }) => parts?.candidates?.find((one) => one.name === c.result.name)?.splits?.[split]?.net_benefit,
  );
  const first = found.find((one) => one);
  if (!first) return null;
  const line = (at: number[], value: number[]) =>
    at.flatMap((x, i): Spot[] => ((value[i] ?? 0) >= FLOOR ? [{ x, y: value[i] ?? 0 }] : []));
  return {
    lines: found.map((one) => (one ? line(one.threshold, one.net_benefit) : [])),
    all: line(first.threshold, first.all),
  };
}

/** A metric at the cutoffs of the server's sweep. */
function sweptOf(parts: Parts | undefined, c: Shown, split: string, name: string): Spot[] {
  const sweep = parts?.candidates?.find((one) => one.name === c.result.name)?.splits?.[split]?.sweep;
  const at = sweep?.cutoff;
  const told = sweep?.[name];
  if (!Array.isArray(at) || !told || Array.isArray(told)) return [];
  return at.flatMap((x, i) => {
    const y = told.value[i];
    return y == null ? [] : [{ x, y }];
  });
}

/** A traced number: a rate, or what 1,000 rows cost. */
function value(name: string, n: Counts, prices: Prices): number | null {
  if (name !== COST) return isLive(name) ? live(name, n) : null;
  const row = cost(n, prices);
  return row === null ? null : 1000 * row;
}

/** The line at every place where a handle can stand, or at so many of them that none is missed by the eye. */
function traced(t: Tally, name: string, prices: Prices): Spot[] {
  const step = Math.max(1, Math.floor(t.tp.length / POINTS));
  return t.tp.flatMap((_, k) => {
    if (k % step !== 0 && k !== t.tp.length - 1) return [];
    const n = countsAt(t, k);
    const y = value(name, n, prices);
    return y === null ? [] : [{ x: place(t, k), y }];
  });
}

type RingProps = { c: Shown; tally: Tally; name: string; prices: Prices; x: Scale; y: Scale; held: Held };

function Ring({ c, tally, name, prices, x, y, held }: RingProps) {
  const moving = useMoving(held, c.position);
  const cutoff = moving ?? c.shownCutoff ?? 0;
  const n = moving === null && !c.pending && c.part.outcomes ? c.part.outcomes : countsOf(tally, cutoff);
  const kept =
    moving === null && !c.pending && name !== COST && name !== BENEFIT && !isLive(name)
      ? metricOf(c.part, name).value
      : null;
  const at = kept ?? (n && value(name, n, prices));
  if (at == null) return null;
  return (
    <g data-ring={c.letter} data-at={cutoff}>
      <title>{`${c.name} at ≥ ${asSet(cutoff)}: ${shown(at)}`}</title>
      <circle cx={x(cutoff)} cy={y(at)} r={4} fill="var(--color-sheet)" stroke={colour(c.position)} strokeWidth={2} />
      <text x={x(cutoff) + 7} y={y(at) - 5} style={{ fill: colour(c.position), fontWeight: 700 }}>
        {c.letter}
      </text>
    </g>
  );
}
