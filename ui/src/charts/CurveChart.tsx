import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import { useMemo, useRef, useState } from "react";
import { colour, dash } from "../parts/marks";
import { asSet, shown } from "../parts/number";
import { SaveMenu } from "./SaveMenu";

export type Point = { x: number; y: number; cutoff: number | null };
export type Series = {
  position: number;
  letter: string;
  name: string;
  area: number | null;
  drawn: Point[];
  exact: Point[];
  at: Point | null;
};

type Props = {
  title: string;
  x: string;
  y: string;
  areaName: string;
  series: Series[];
  reference: { from: [number, number]; to: [number, number]; label?: string };
};

const [W, H, LEFT, RIGHT, TOP, BOTTOM] = [404, 372, 38, 86, 12, 38];
const MOST_ENDS = 14; // labels that find room beside the square
const TICKS = [0, 0.2, 0.4, 0.6, 0.8, 1];

/** A curve for each candidate, named at its end, with the cutoff of the point under the pointer. */
export function CurveChart({ title, x: xName, y: yName, areaName, series, reference }: Props) {
  const figure = useRef<SVGSVGElement>(null);
  const x = scaleLinear([0, 1], [LEFT, W - RIGHT]);
  const y = scaleLinear([0, 1], [H - BOTTOM, TOP]);
  const [near, setNear] = useState<{ s: Series; p: Point } | null>(null);
  const path = line<Point>(
    (p) => x(p.x),
    (p) => y(p.y),
  );
  const paths = useMemo(() => series.map((s) => path(s.drawn) ?? ""), [series, path]);
  const ranked = [...series].filter((s) => s.area !== null).sort((a, b) => (b.area ?? 0) - (a.area ?? 0));
  const ends = ranked.length <= MOST_ENDS ? ranked : ranked.slice(0, MOST_ENDS - 1);
  const left = ranked.length - ends.length;

  const point = (event: React.PointerEvent) => {
    const box = figure.current?.getBoundingClientRect();
    if (!box) return;
    const [px, py] = [((event.clientX - box.left) / box.width) * W, ((event.clientY - box.top) / box.height) * H];
    let best: { s: Series; p: Point; d: number } | null = null;
    for (const s of series)
      for (const p of s.exact) {
        const d = (x(p.x) - px) ** 2 + (y(p.y) - py) ** 2;
        if (!best || d < best.d) best = { s, p, d };
      }
    setNear(best && best.d < 40 ** 2 ? best : null);
  };

  return (
    <section aria-label={title}>
      <header className="flex items-baseline justify-between">
        <h2 className="text-lg">{title}</h2>
        <SaveMenu figure={figure} name={title.toLowerCase()} />
      </header>
      <svg
        ref={figure}
        viewBox={`0 0 ${W} ${H}`}
        className="w-full"
        role="img"
        aria-label={`${title}: ${ranked.map((s) => `${s.name} ${areaName} ${shown(s.area)}`).join(", ")}`}
        onPointerMove={point}
        onPointerLeave={() => setNear(null)}
      >
        <rect
          x={LEFT}
          y={TOP}
          width={W - LEFT - RIGHT}
          height={H - TOP - BOTTOM}
          fill="var(--color-sheet)"
          stroke="var(--color-rule)"
        />
        {TICKS.map((t) => (
          <g key={t}>
            <line x1={x(t)} x2={x(t)} y1={TOP} y2={H - BOTTOM} stroke="var(--color-light)" />
            <line y1={y(t)} y2={y(t)} x1={LEFT} x2={W - RIGHT} stroke="var(--color-light)" />
            <text x={x(t)} y={H - BOTTOM + 15} textAnchor="middle">
              {t}
            </text>
            <text x={LEFT - 6} y={y(t) + 4} textAnchor="end">
              {t}
            </text>
          </g>
        ))}
        <text x={(LEFT + W - RIGHT) / 2} y={H - 6} textAnchor="middle">
          {xName}
        </text>
        <text x={-(TOP + H - BOTTOM) / 2} y={9} textAnchor="middle" transform="rotate(-90)">
          {yName}
        </text>
        <line
          x1={x(reference.from[0])}
          y1={y(reference.from[1])}
          x2={x(reference.to[0])}
          y2={y(reference.to[1])}
          stroke="var(--color-faint)"
          strokeDasharray="2 3"
        />
        {reference.label && (
          <text x={x(reference.from[0]) + 5} y={y(reference.from[1]) - 5}>
            {reference.label}
          </text>
        )}
        {series.map((s, i) => (
          <path
            key={s.position}
            d={paths[i]}
            fill="none"
            stroke={colour(s.position)}
            strokeWidth={1.7}
            strokeDasharray={dash(s.position)}
          />
        ))}
        {series.map(
          (s) =>
            s.at && (
              <circle
                key={s.position}
                data-ring={s.letter}
                cx={x(s.at.x)}
                cy={y(s.at.y)}
                r={4}
                fill="var(--color-sheet)"
                stroke={colour(s.position)}
                strokeWidth={2}
              >
                <title>{`${s.name} at its cutoff ≥ ${s.at.cutoff === null ? "" : asSet(s.at.cutoff)}`}</title>
              </circle>
            ),
        )}
        <text x={W - RIGHT + 10} y={TOP + 8}>
          {areaName}
        </text>
        {left > 0 && (
          <text x={W - RIGHT + 10} y={TOP + 16 + ends.length * 23 + 13}>
            {`and ${left} below`}
          </text>
        )}
        {ends.map((s, i) => (
          <g key={s.position} transform={`translate(${W - RIGHT + 10} ${TOP + 16 + i * 23})`} data-end={s.letter}>
            <rect width={17} height={17} rx={3} fill={colour(s.position)} />
            <text x={8.5} y={12.5} textAnchor="middle" style={{ fill: "var(--color-on-accent)", fontWeight: 700 }}>
              {s.letter}
            </text>
            <text x={23} y={13} style={{ fill: "var(--color-ink)", fontSize: 13 }}>
              {shown(s.area)}
            </text>
          </g>
        ))}
        {near && (
          <g pointerEvents="none">
            <circle cx={x(near.p.x)} cy={y(near.p.y)} r={4.5} fill={colour(near.s.position)} />
          </g>
        )}
      </svg>
      <p className="text-sm h-5" data-part="under-pointer" aria-live="off">
        {near ? (
          <>
            <b className="font-semibold">
              {near.s.letter} {near.s.name}
            </b>{" "}
            {near.p.cutoff === null ? "above every score" : `cutoff ≥ ${asSet(near.p.cutoff)}`} · {xName.toLowerCase()}{" "}
            {shown(near.p.x)} · {yName.toLowerCase()} {shown(near.p.y)}
          </>
        ) : (
          <span className="text-soft">
            {series.some((s) => s.at) ? "A ring marks each cutoff; point" : "Point"} at a line for the cutoff there.
          </span>
        )}
      </p>
    </section>
  );
}
