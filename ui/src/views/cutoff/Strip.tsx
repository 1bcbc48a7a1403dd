import { scaleLinear } from "d3-scale";
import { memo, useId, useRef } from "react";
import { colour } from "../../app/scope";
import { SaveMenu } from "../../charts/SaveMenu";
import { histogram, type Tally } from "../../charts/tally";
import { shown } from "../../parts/number";

export const STRIP = { width: 560, height: 108, middle: 58, pad: 10 };
const BINS = 64;

type Props = {
  tally: Tally;
  domain: [number, number];
  cutoff: number;
  position: number;
  name: string;
  step: number;
  onMove: (value: number) => void;
  onRelease: () => void;
  onFocus: () => void;
};

/** Positives up, negatives down, each as a share of its class; what the cutoff gets wrong changes colour with it. */
export function Strip({ tally, domain, cutoff, position, name, step, onMove, onRelease, onFocus }: Props) {
  const figure = useRef<SVGSVGElement>(null);
  const held = useRef(false);
  const clip = useId();
  const x = scaleLinear(domain, [STRIP.pad, STRIP.width - STRIP.pad]).clamp(true);
  const at = x(cutoff);
  const follow = (event: React.PointerEvent) => {
    const box = figure.current?.getBoundingClientRect();
    if (!held.current || !box) return;
    const value = x.invert(((event.clientX - box.left) / box.width) * STRIP.width);
    onMove(Number((Math.round(value / step) * step).toPrecision(12)));
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
          held.current = false;
        }}
      >
        <title>{`Scores of ${name} by actual class`}</title>
        <clipPath id={`${clip}l`}>
          <rect x={0} y={0} width={at} height={STRIP.height} />
        </clipPath>
        <clipPath id={`${clip}r`}>
          <rect x={at} y={0} width={STRIP.width - at} height={STRIP.height} />
        </clipPath>
        <g clipPath={`url(#${clip}l)`}>
          <Bars tally={tally} domain={domain} up="var(--color-missed)" down="var(--color-passed)" />
        </g>
        <g clipPath={`url(#${clip}r)`}>
          <Bars tally={tally} domain={domain} up={colour(position)} down="var(--color-needless)" />
        </g>
        <line
          x1={STRIP.pad}
          x2={STRIP.width - STRIP.pad}
          y1={STRIP.middle}
          y2={STRIP.middle}
          stroke="var(--color-soft)"
        />
        {x.ticks(6).map((t) => (
          <text key={t} x={x(t)} y={STRIP.height - 2} textAnchor="middle" style={{ fontSize: 9.5 }}>
            {t}
          </text>
        ))}
        <line x1={at} x2={at} y1={8} y2={STRIP.height - 12} stroke="var(--color-ink)" strokeWidth={2} />
        <g
          role="slider"
          tabIndex={0}
          aria-label={`Cutoff of ${name}`}
          aria-valuenow={cutoff}
          aria-valuemin={domain[0]}
          aria-valuemax={domain[1]}
          aria-valuetext={`at least ${shown(cutoff)}`}
          transform={`translate(${at} 8)`}
          onFocus={onFocus}
        >
          <path d="M-7,-6 h14 v9 l-7,7 l-7,-7 z" fill="var(--color-ink)" />
        </g>
        <text
          x={at + (at > STRIP.width - 70 ? -11 : 11)}
          y={14}
          textAnchor={at > STRIP.width - 70 ? "end" : "start"}
          style={{ fill: "var(--color-ink)", fontWeight: 650, fontSize: 13 }}
        >
          {`≥ ${shown(cutoff)}`}
        </text>
      </svg>
      <span className="absolute right-0 -top-5">
        <SaveMenu figure={figure} name={`cutoff-${name}`} />
      </span>
    </div>
  );
}

const Bars = memo(
  ({ tally, domain, up, down }: { tally: Tally; domain: [number, number]; up: string; down: string }) => {
    const { pos, neg } = histogram(tally, domain[0], domain[1], BINS);
    const tallest = Math.max(...[...pos].map((n) => n / tally.positives), ...[...neg].map((n) => n / tally.negatives));
    const room = STRIP.middle - 22;
    const width = (STRIP.width - 2 * STRIP.pad) / BINS;
    const bars = [];
    for (let i = 0; i < BINS; i++) {
      const left = STRIP.pad + i * width;
      const high = (room * (pos[i] ?? 0)) / tally.positives / tallest;
      const low = (room * (neg[i] ?? 0)) / tally.negatives / tallest;
      if (high > 0)
        bars.push(<rect key={`p${left}`} x={left} y={STRIP.middle - high} width={width - 1} height={high} fill={up} />);
      if (low > 0)
        bars.push(<rect key={`n${left}`} x={left} y={STRIP.middle} width={width - 1} height={low} fill={down} />);
    }
    return bars;
  },
);
