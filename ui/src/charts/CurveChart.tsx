import { useMemo, useState } from "react";
import { asSet, shown } from "../parts/number";
import { Band, type Stretch } from "./Band";
import { EndLabels } from "./EndLabels";
import { Line } from "./Line";
import { type Plane, Plot } from "./Plot";
import { Places } from "./pointer";

export type Point = { x: number; y: number; cutoff: number | null };
export type Series = {
  key: number;
  letter: string;
  name: string;
  color: string;
  dash: string;
  area: number | null;
  drawn: Point[];
  exact: Point[];
  at: Point | null;
  /** Whether it stands behind the others. */
  faint?: boolean;
  /** What the line may be at each of its points, where that is told of it. */
  band?: Stretch[] | null;
};

/** What stands as a point alone: a candidate that gives classes, with the intervals of both its rates. */
export type Alone = {
  key: number;
  letter: string;
  name: string;
  color: string;
  x: Ends;
  y: Ends;
};
type Ends = { value: number; low?: number | null; high?: number | null };

type Props = {
  title: string;
  x: string;
  y: string;
  areaName: string;
  series: Series[];
  steps?: boolean;
  /** Whether less of the area is better. */
  lower?: boolean;
  alone?: Alone[];
  /** How far the upright axis goes, where it is no share. */
  top?: number;
  /** The line that is spoken of where the pointer speaks of none. */
  spoken?: number | null;
  onSpoken?: (key: number) => void;
  reference: { from: [number, number]; to: [number, number]; label?: string };
  /** Told of the cutoff that a ring was dragged to. */
  onCutoff?: (key: number, cutoff: number) => void;
};

const WITHIN = 40; // units of the figure, from the pointer to a line

/** A curve each, named at the side, with the cutoff of the point under the pointer. */
export function CurveChart({
  title,
  x,
  y,
  areaName,
  series,
  steps,
  lower = false,
  alone = [],
  top = 1,
  spoken: chosen = null,
  onSpoken,
  reference,
  onCutoff,
}: Props) {
  const [near, setNear] = useState<{ s: Series; p: Point } | null>(null);
  const [front, setFront] = useState<number | null>(null);
  const places = useMemo(() => new Places(series.map((s) => s.exact)), [series]);
  const ranked = [...series]
    .filter((s) => s.area !== null)
    .sort((a, b) => ((b.area ?? 0) - (a.area ?? 0)) * (lower ? -1 : 1));
  const point = (at: { x: number; y: number } | null, plane: Plane) => {
    const found = at && places.nearest(at, plane.x, plane.y, WITHIN);
    const s = found && series[found.line];
    const p = s?.exact[found?.point ?? 0];
    setNear(s && p ? { s, p } : null);
  };
  const spoken = front ?? (near && series.length > 4 ? near.s.key : null);
  return (
    <div>
      <Plot
        title={title}
        label={`${title}: ${ranked.map((s) => `${s.name} ${areaName} ${shown(s.area)}`).join(", ")}`}
        x={{ name: x, domain: UNIT }}
        y={{ name: y, domain: [0, top] }}
        onPoint={point}
        rows={() => [
          ["candidate", x, y, "cutoff"],
          ...series.flatMap((s) => s.exact.map((p) => [s.name, p.x, p.y, p.cutoff])),
          ...alone.map((a) => [a.name, a.x.value, a.y.value, null]),
        ]}
        beside={({ right, top, bottom }) => (
          <EndLabels
            title={areaName}
            x={right + 10}
            top={top}
            bottom={bottom}
            front={spoken}
            onFront={setFront}
            onChoose={onSpoken}
            chosen={chosen}
            endings={ranked.map((s) => ({ ...s, text: shown(s.area), at: top }))}
          />
        )}
      >
        {(plane) => (
          <>
            <line
              x1={plane.x(reference.from[0])}
              y1={plane.y(reference.from[1])}
              x2={plane.x(reference.to[0])}
              y2={plane.y(reference.to[1])}
              stroke="var(--color-faint)"
              strokeDasharray="2 3"
            />
            {reference.label && (
              <text x={plane.left + 8} y={plane.y(reference.from[1]) - 5}>
                {reference.label}
              </text>
            )}
            {series.map(
              (s) =>
                s.band &&
                s.key === (spoken ?? chosen) && (
                  <g key={s.key} data-band={s.letter}>
                    <Band points={s.band} x={plane.x} y={plane.y} fill={s.color} opacity={0.16} />
                  </g>
                ),
            )}
            {alone.map((a) => (
              <Cross key={a.key} of={a} plane={plane} />
            ))}
            {series.map((s) => (
              <Line
                key={s.key}
                points={s.drawn}
                x={plane.x}
                y={plane.y}
                color={s.color}
                dash={s.dash}
                steps={steps}
                faint={spoken !== null ? spoken !== s.key : (s.faint ?? false)}
              />
            ))}
            {series.map((s) => s.at && <Ring key={s.key} s={s} at={s.at} plane={plane} onCutoff={onCutoff} />)}
            {near && (
              <circle pointerEvents="none" cx={plane.x(near.p.x)} cy={plane.y(near.p.y)} r={4.5} fill={near.s.color} />
            )}
          </>
        )}
      </Plot>
      <p className="text-sm h-5 truncate" data-part="under-pointer" aria-live="off">
        {near ? (
          <>
            <b className="font-semibold">
              {near.s.letter} {near.s.name}
            </b>{" "}
            {near.p.cutoff === null ? "above every score" : `cutoff ≥ ${asSet(near.p.cutoff)}`} · {x.toLowerCase()}{" "}
            {shown(near.p.x)} · {y.toLowerCase()} {shown(near.p.y)}
          </>
        ) : (
          <span className="text-soft">
            {series.some((s) => s.at) && "Rings: cutoffs. "}Point at a line for its cutoff; drag a box to go nearer.
          </span>
        )}
      </p>
    </div>
  );
}

const UNIT: [number, number] = [0, 1];

const WING = 5;

/** A point with the interval of either rate, its letter beside it. */
function Cross({ of: { letter, name, color, x, y }, plane }: { of: Alone; plane: Plane }) {
  const [cx, cy] = [plane.x(x.value), plane.y(y.value)];
  const across = x.low != null && x.high != null ? [plane.x(x.low), plane.x(x.high)] : [cx - WING, cx + WING];
  const up = y.low != null && y.high != null ? [plane.y(y.low), plane.y(y.high)] : [cy + WING, cy - WING];
  return (
    <g data-alone={letter} stroke={color} strokeWidth={1.6}>
      <title>{`${name}, classes only`}</title>
      <line x1={across[0]} x2={across[1]} y1={cy} y2={cy} />
      <line x1={cx} x2={cx} y1={up[0]} y2={up[1]} />
      <rect x={cx - 3.2} y={cy - 3.2} width={6.4} height={6.4} fill={color} stroke="none" />
      <text x={cx + 8} y={cy - 6} stroke="none" style={{ fill: color, fontWeight: 700 }}>
        {letter}
      </text>
    </g>
  );
}

type RingProps = { s: Series; at: Point; plane: Plane; onCutoff?: (key: number, cutoff: number) => void };

/** Where a cutoff stands on its line; dragged along it, it asks for the cutoff that it is let go of at. */
function Ring({ s, at, plane, onCutoff }: RingProps) {
  const [to, setTo] = useState<Point | null>(null);
  const here = to ?? at;
  const nearest = (event: React.PointerEvent<SVGCircleElement>): Point | null => {
    const figure = event.currentTarget.ownerSVGElement;
    if (!figure) return null;
    const [box, size] = [figure.getBoundingClientRect(), figure.viewBox.baseVal];
    const x = ((event.clientX - box.left) / box.width) * size.width;
    const y = ((event.clientY - box.top) / box.height) * size.height;
    let [best, least] = [null as Point | null, Number.POSITIVE_INFINITY];
    for (const p of s.exact) {
      const d = (plane.x(p.x) - x) ** 2 + (plane.y(p.y) - y) ** 2;
      if (p.cutoff !== null && d < least) [best, least] = [p, d];
    }
    return best;
  };
  const release = () => {
    if (to?.cutoff != null) onCutoff?.(s.key, to.cutoff);
    setTo(null);
  };
  return (
    <circle
      data-ring={s.letter}
      cx={plane.x(here.x)}
      cy={plane.y(here.y)}
      r={to ? 5.5 : 4}
      fill="var(--color-sheet)"
      stroke={s.color}
      strokeWidth={2}
      style={onCutoff ? { cursor: "grab" } : undefined}
      onPointerDown={(event) => {
        if (!onCutoff || event.button !== 0) return;
        event.stopPropagation();
        event.currentTarget.setPointerCapture(event.pointerId);
        setTo(at);
      }}
      onPointerMove={(event) => to && setTo(nearest(event))}
      onPointerUp={release}
      onPointerCancel={() => setTo(null)}
    >
      <title>{`${s.name} at its cutoff ≥ ${here.cutoff === null ? "" : asSet(here.cutoff)}`}</title>
    </circle>
  );
}
