import { scaleLinear } from "d3-scale";
import { useId, useMemo, useRef } from "react";
import { SaveMenu } from "../../charts/SaveMenu";
import { type Counts, ends, flagged, histogram, nearest, place, type Tally } from "../../charts/tally";
import { colour } from "../../parts/marks";
import { asSet, count } from "../../parts/number";

export const STRIP = { width: 560, height: 108, middle: 58, pad: 10 };
const BINS = 64;
const LARGE = 10; // small steps in a large one

type Props = {
  tally: Tally;
  /** The counts at the cutoff; null while they are on their way. */
  counts: Counts | null;
  cutoff: number;
  position: number;
  name: string;
  onMove: (value: number) => void;
  onRelease: () => void;
  onNudge: (by: number) => void;
  onFocus: () => void;
};

/** Positives up, negatives down, each as a share of its class; what the cutoff gets wrong changes colour with it. */
export function Strip({ tally, counts, cutoff, position, name, onMove, onRelease, onNudge, onFocus }: Props) {
  const figure = useRef<SVGSVGElement>(null);
  const held = useRef(false);
  const about = useId();
  const [low, high] = ends(tally);
  const x = scaleLinear([low, high], [STRIP.pad, STRIP.width - STRIP.pad]).clamp(true);
  const at = x(cutoff);
  const follow = (event: React.PointerEvent) => {
    const box = figure.current?.getBoundingClientRect();
    if (!held.current || !box) return;
    const value = x.invert(((event.clientX - box.left) / box.width) * STRIP.width);
    onMove(place(tally, nearest(tally, value)));
  };
  const here = nearest(tally, cutoff);
  const STEPS: Record<string, number> = {
    ArrowLeft: -1,
    ArrowDown: -1,
    ArrowRight: 1,
    ArrowUp: 1,
    PageDown: -LARGE,
    PageUp: LARGE,
    Home: -here,
    End: tally.tp.length - 1 - here,
  };
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
        <Bars tally={tally} counts={counts} color={colour(position)} x={x} />
        <line
          x1={STRIP.pad}
          x2={STRIP.width - STRIP.pad}
          y1={STRIP.middle}
          y2={STRIP.middle}
          stroke="var(--color-soft)"
        />
        {x.ticks(6).map((t) => (
          <text key={t} x={x(t)} y={STRIP.height - 2} textAnchor="middle" style={{ fontSize: 9.5 }}>
            {asSet(t)}
          </text>
        ))}
        <line x1={at} x2={at} y1={8} y2={STRIP.height - 12} stroke="var(--color-ink)" strokeWidth={2} />
        <g
          role="slider"
          tabIndex={0}
          aria-label={`Cutoff of ${name}`}
          aria-describedby={about}
          aria-valuenow={cutoff}
          aria-valuemin={low}
          aria-valuemax={high}
          aria-valuetext={
            counts
              ? `at least ${asSet(cutoff)}: ${count(counts.tp + counts.fp)} rows flagged`
              : `at least ${asSet(cutoff)}`
          }
          transform={`translate(${at} 8)`}
          onFocus={onFocus}
          onKeyDown={(event) => {
            const by = STEPS[event.key];
            if (by === undefined || event.ctrlKey || event.metaKey || event.altKey) return;
            event.preventDefault();
            if (by !== 0) onNudge(event.shiftKey && Math.abs(by) === 1 ? by * LARGE : by);
          }}
        >
          <path d="M-7,-6 h14 v9 l-7,7 l-7,-7 z" fill="var(--color-ink)" />
        </g>
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
      <span className="absolute right-0 -top-5">
        <SaveMenu figure={figure} name={`cutoff-${name}`} />
      </span>
    </div>
  );
}

type BarsProps = { tally: Tally; counts: Counts | null; color: string; x: (value: number) => number };

/** Of each bar, what is at or above the cutoff lies at the axis, by its exact count. */
function Bars({ tally, counts, color, x }: BarsProps) {
  const { bins, tallest } = useMemo(() => {
    const bins = histogram(tally, BINS);
    const shares = bins.flatMap(({ rows }) => [rows.positive / tally.positives, rows.negative / tally.negatives]);
    return { bins, tallest: Math.max(...shares.filter(Number.isFinite), 1e-12) };
  }, [tally]);
  const room = STRIP.middle - 22;
  const tall = (n: number, of: number) => (of > 0 ? (room * n) / of / tallest : 0);
  return bins.map((bin) => {
    const [left, right] = [x(place(tally, bin.from)), x(place(tally, bin.to))];
    const width = Math.max(0.5, right - left - 1);
    const over = counts ? flagged(bin, counts) : { positive: 0, negative: 0 };
    const [up, caught] = [tall(bin.rows.positive, tally.positives), tall(over.positive, tally.positives)];
    const [down, needless] = [tall(bin.rows.negative, tally.negatives), tall(over.negative, tally.negatives)];
    const y = STRIP.middle;
    const waiting = counts === null;
    const all = [
      { key: "caught", y: y - caught, height: caught, fill: color },
      { key: "missed", y: y - up, height: up - caught, fill: waiting ? "var(--color-faint)" : "var(--color-missed)" },
      { key: "needless", y, height: needless, fill: "var(--color-needless)" },
      { key: "left", y: y + needless, height: down - needless, fill: "var(--color-passed)" },
    ];
    return (
      <g key={bin.from}>
        {all.map(
          (bar) => bar.height > 0 && <rect key={bar.key} data-bar={bar.key} x={left} width={width} {...omit(bar)} />,
        )}
      </g>
    );
  });
}

const omit = ({ y, height, fill }: { y: number; height: number; fill: string }) => ({ y, height, fill });
