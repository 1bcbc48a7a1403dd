import { scaleLinear } from "d3-scale";
import { useId } from "react";
import { Band } from "../../charts/Band";
import { Line } from "../../charts/Line";
import { Ruler } from "../../charts/Ruler";
import { Tile } from "../../parts/basics";
import { colour, dash } from "../../parts/marks";
import { band, gaps, type Told } from "./read";

const [W, H, LEFT, FOOT] = [152, 96, 32, 18];

/** The observed share less the probability given, one small plane a candidate, all on one scale. */
export function Gaps({ told, front, onFront }: { told: Told[]; front: number; onFront: (position: number) => void }) {
  const cut = useId();
  const most = Math.max(0.05, ...told.flatMap(({ found }) => gaps(found).map(({ y }) => Math.abs(y))));
  const [x, y] = [scaleLinear([0, 1], [LEFT, W - 4]), scaleLinear([-most, most], [H - FOOT, 4])];
  return (
    <section aria-label="Share observed, less the probability given">
      <h2 className="text-lg border-b border-rule pb-0.5">Share observed, less the probability given</h2>
      <ul className="grid grid-cols-[repeat(auto-fill,minmax(132px,1fr))] gap-2 mt-1.5">
        {told.map(({ c, found }) => (
          <li key={c.position}>
            <button
              type="button"
              className={`w-full text-left border rounded-[3px] bg-sheet ${c.position === front ? "border-ink" : "border-light hover:border-ink"}`}
              aria-pressed={c.position === front}
              title={`${c.name} in front`}
              onClick={() => onFront(c.position)}
            >
              <svg viewBox={`0 0 ${W} ${H}`} className="w-full" aria-hidden="true">
                <clipPath id={`${cut}-${c.position}`}>
                  <rect x={LEFT} y={2} width={W - 4 - LEFT} height={H - FOOT - 2} />
                </clipPath>
                <g clipPath={`url(#${cut}-${c.position})`}>
                  <Band
                    points={(band(found, "chance") ?? []).map((p) => ({
                      x: p.x,
                      low: p.low - p.x,
                      high: p.high - p.x,
                    }))}
                    x={x}
                    y={y}
                    fill="var(--color-faint)"
                    opacity={0.3}
                  />
                </g>
                <line x1={x(0)} x2={x(1)} y1={y(0)} y2={y(0)} stroke="var(--color-ink)" strokeWidth={0.8} />
                <Line points={gaps(found)} x={x} y={y} color={colour(c.position)} dash={dash(c.position)} />
                <Ruler scale={x} side="bottom" at={H - FOOT + 2} ticks={2} />
                <Ruler scale={y} side="left" at={LEFT} ticks={4} />
              </svg>
              <span className="flex items-center gap-1.5 px-1.5 pb-1 text-sm">
                <Tile position={c.position} letter={c.letter} />
                <span className="truncate">{c.name}</span>
              </span>
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}
