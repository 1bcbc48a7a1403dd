import { scaleLinear } from "d3-scale";
import { useId, useMemo, useRef } from "react";
import { Bars } from "../../charts/Bars";
import { Bracket } from "../../charts/Bracket";
import { Handle } from "../../charts/Handle";
import { Ruler } from "../../charts/Ruler";
import { SaveMenu } from "../../charts/SaveMenu";
import type { Interval, Scale } from "../../charts/scales";
import { type Counts, ends, flagged, histogram, nearest, place, type Tally } from "../../charts/tally";
import { colour } from "../../parts/marks";
import { asSet, count } from "../../parts/number";

export const STRIP = { width: 560, height: 100, middle: 52, pad: 10 };
const BINS = 64;

type Props = {
  tally: Tally;
  /** The counts at the cutoff; null while they are on their way. */
  counts: Counts | null;
  cutoff: number;
  position: number;
  name: string;
  /** What each part of a bar is filled with, where it is not an outcome of a cutoff between two classes. */
  fills?: Partial<Fills>;
  /** The ruler's ends, where all strips share one. */
  domain: Interval | null;
  /** Whether the height is the square root of the share, so that few rows can be seen. */
  rooted: boolean;
  /** The cutoffs that cannot be separated from the best, where a rule chose this one. */
  stretch?: { low: number | null; high: number | null; title: string } | null;
  /** A band for review, between its ends. */
  band?: Interval | null;
  onMove: (value: number) => void;
  onRelease: () => void;
  onNudge: (by: number) => void;
  onFocus: () => void;
};

/** Positives up, negatives down, each as a share of its class; what the cutoff gets wrong changes colour with it. */
export function Strip(props: Props) {
  const { tally, counts, cutoff, position, name, stretch, band, domain, rooted, fills } = props;
  const { onMove, onRelease, onNudge, onFocus } = props;
  const figure = useRef<SVGSVGElement>(null);
  const held = useRef(false);
  const about = useId();
  const [low, high] = ends(tally);
  const x = scaleLinear(domain ?? [low, high], [STRIP.pad, STRIP.width - STRIP.pad]).clamp(true);
  const at = x(cutoff);
  const follow = (event: React.PointerEvent) => {
    const box = figure.current?.getBoundingClientRect();
    if (!held.current || !box) return;
    const value = x.invert(((event.clientX - box.left) / box.width) * STRIP.width);
    onMove(place(tally, nearest(tally, value)));
  };
  const here = nearest(tally, cutoff);
  return (
    <div className="relative">
      <svg
        ref={figure}
        viewBox={`0 0 ${STRIP.width} ${STRIP.height}`}
        className="w-full handle select-none"
        data-strip={position}
        onPointerDown={(event) => {
          held.current = true;
          event.currentTarget.setPointerCapture(event.pointerId);
          follow(event);
        }}
        onPointerMove={follow}
        onPointerUp={() => {
          if (held.current) onRelease();
          held.current = false;
        }}
        onPointerCancel={() => {
          if (held.current) onRelease();
          held.current = false;
        }}
      >
        <title>{`Scores of ${name} by actual class`}</title>
        {band && (
          <rect
            x={x(band[0])}
            width={Math.max(1, x(band[1]) - x(band[0]))}
            y={STRIP.pad}
            height={STRIP.height - STRIP.pad - 15}
            fill="var(--color-ochre-soft)"
            data-band=""
          />
        )}
        <Scores
          tally={tally}
          counts={counts}
          x={x}
          rooted={rooted}
          fills={{ ...FILLS, caught: colour(position), ...fills }}
        />
        <line
          x1={STRIP.pad}
          x2={STRIP.width - STRIP.pad}
          y1={STRIP.middle}
          y2={STRIP.middle}
          stroke="var(--color-soft)"
        />
        {stretch && <Bracket low={stretch.low} high={stretch.high} x={x} y={STRIP.height - 23} title={stretch.title} />}
        <Ruler scale={x} side="bottom" at={STRIP.height - 15} ticks={6} text={asSet} />
        <line x1={at} x2={at} y1={8} y2={STRIP.height - 15} stroke="var(--color-ink)" strokeWidth={2} />
        <Handle
          label={`Cutoff of ${name}`}
          about={about}
          place={here}
          places={tally.tp.length}
          value={cutoff}
          ends={[low, high]}
          text={`at least ${asSet(cutoff)}${counts ? `: ${count(counts.tp + counts.fp)} rows flagged` : ""}`}
          transform={`translate(${at} 8)`}
          onFocus={onFocus}
          onStep={onNudge}
        />
        <text
          x={at + (at > STRIP.width - 70 ? -11 : 11)}
          y={14}
          textAnchor={at > STRIP.width - 70 ? "end" : "start"}
          style={{ fill: "var(--color-ink)", fontWeight: 650, fontSize: 13 }}
        >
          {`≥ ${asSet(cutoff)}`}
        </text>
        <desc id={about}>Arrow keys move it one step, Page keys ten.</desc>
      </svg>
      <span className="absolute right-0 top-0 opacity-0 focus-within:opacity-100 [div:hover>&]:opacity-100">
        <SaveMenu figure={figure} name={`cutoff-${name}`} rows={() => binned(tally)} />
      </span>
    </div>
  );
}

/** The rows of each class between places, as they are drawn. */
const binned = (tally: Tally) => [
  ["from", "to", "actual positive", "actual negative"],
  ...histogram(tally, BINS).map((b) => [place(tally, b.from), place(tally, b.to), b.rows.positive, b.rows.negative]),
];

/** What a share is drawn with instead of itself, so that its bar is as tall as its square root. */
const root = (share: number) => (share > 0 ? 1 / Math.sqrt(share) : 0);

type Fills = Record<"caught" | "missed" | "needless" | "left", string>;
const FILLS = { missed: "var(--color-missed)", needless: "var(--color-needless)", left: "var(--color-passed)" };

type BarsProps = { tally: Tally; counts: Counts | null; x: Scale; rooted: boolean; fills: Fills };

/** Of each bar, what is at or above the cutoff lies at the axis, by its exact count. */
function Scores({ tally, counts, x, rooted, fills }: BarsProps) {
  const { bins, tallest } = useMemo(() => {
    const bins = histogram(tally, BINS);
    const shares = bins.flatMap(({ rows }) => [rows.positive / tally.positives, rows.negative / tally.negatives]);
    return { bins, tallest: Math.max(...shares.filter(Number.isFinite), 1e-12) };
  }, [tally]);
  const share = (n: number, of: number) => (of > 0 ? n / of : 0);
  const each = bins.map((bin) => {
    const ends = { from: place(tally, bin.from), to: place(tally, bin.to) };
    const over = counts ? flagged(bin, counts) : { positive: 0, negative: 0 };
    const [up, down] = [share(bin.rows.positive, tally.positives), share(bin.rows.negative, tally.negatives)];
    const [caught, needless] = [share(over.positive, tally.positives), share(over.negative, tally.negatives)];
    const missed = counts ? fills.missed : "var(--color-faint)";
    const [tall, deep] = rooted ? [root(up), root(down)] : [1, 1];
    const above = [
      { key: "caught", size: caught * tall, fill: fills.caught },
      { key: "missed", size: (up - caught) * tall, fill: missed },
    ];
    const below = [
      { key: "needless", size: needless * deep, fill: fills.needless },
      { key: "left", size: (down - needless) * deep, fill: fills.left },
    ];
    return { above: { ...ends, parts: above }, below: { ...ends, parts: below } };
  });
  const unit = (STRIP.middle - 20) / (rooted ? Math.sqrt(tallest) : tallest);
  return (
    <>
      <Bars bars={each.map((e) => e.above)} x={x} axis={STRIP.middle} unit={unit} />
      <Bars bars={each.map((e) => e.below)} x={x} axis={STRIP.middle} unit={unit} down />
    </>
  );
}
