import { scaleLinear } from "d3-scale";
import { useRef } from "react";
import { Ruler } from "../../charts/Ruler";
import { SaveMenu } from "../../charts/SaveMenu";
import { domainOf } from "../../charts/scales";
import { Tile } from "../../parts/basics";
import { colour } from "../../parts/marks";
import { shown } from "../../parts/number";
import type { Told } from "./read";

const [W, ROW, PAD, HEAD, FOOT] = [250, 44, 6, 18, 24];

/** What each Brier score is made of: from the base rate left by what ranking earns, right by what is lost. */
export function Walk({ told }: { told: Told[] }) {
  const figure = useRef<SVGSVGElement>(null);
  const stops = told.map(({ found: { parts, brier } }) => {
    const base = parts.uncertainty ?? 0;
    const earned = base - (parts.discrimination ?? 0);
    return { base, earned, end: earned + (parts.miscalibration ?? 0), brier };
  });
  const domain = domainOf(stops.flatMap((s) => [s.base, s.earned, s.end, s.brier.low, s.brier.high]));
  if (!domain) return null;
  const x = scaleLinear(domain, [PAD, W - PAD]);
  const high = HEAD + ROW * told.length + FOOT;
  const bases = [...new Set(stops.map((s) => s.base))];
  const saved = () => [
    ["candidate", "base rate alone", "after ranking", "brier", "low", "high"],
    ...told.map(({ c }, i) => {
      const s = stops[i];
      return [c.name, s?.base ?? null, s?.earned ?? null, s?.end ?? null, s?.brier.low ?? null, s?.brier.high ?? null];
    }),
  ];
  return (
    <section aria-label="What each Brier score is made of">
      <header className="flex items-baseline gap-3 border-b border-rule pb-0.5">
        <h2 className="text-lg flex-1">What each Brier score is made of</h2>
        <SaveMenu figure={figure} name="brier-parts" rows={saved} />
      </header>
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,232px)_46px] gap-x-2 items-start">
        <ul style={{ paddingTop: HEAD }}>
          {told.map(({ c }) => (
            <li key={c.position} className="flex items-center gap-2 font-semibold min-w-0" style={{ height: ROW }}>
              <Tile position={c.position} letter={c.letter} />
              <span className="truncate" title={c.name}>
                {c.name}
              </span>
            </li>
          ))}
        </ul>
        <svg
          ref={figure}
          viewBox={`0 0 ${W} ${high}`}
          className="w-full"
          role="img"
          aria-label="Parts of the Brier scores"
        >
          {bases.map((base) => (
            <line
              key={base}
              x1={x(base)}
              x2={x(base)}
              y1={HEAD - 4}
              y2={HEAD + ROW * told.length}
              stroke="var(--color-ink)"
              strokeWidth={1}
            />
          ))}
          {bases.length === 1 && (
            <text x={x(bases[0] ?? 0)} y={11} textAnchor={x(bases[0] ?? 0) > W / 2 ? "end" : "start"}>
              base rate alone {shown(bases[0])}
            </text>
          )}
          {told.map(({ c, found }, i) => {
            const s = stops[i];
            if (!s) return null;
            const top = HEAD + i * ROW;
            const [mine, lost] = [colour(c.position), "var(--color-ink)"];
            return (
              <g key={c.position} data-walk={c.letter}>
                <Arrow from={x(s.base)} to={x(s.earned)} y={top + 8} color={mine} />
                <Arrow from={x(s.earned)} to={x(s.end)} y={top + 19} color={lost} />
                <text x={Math.max(x(s.end), x(s.earned)) + 6} y={top + 23} style={{ fontSize: 10.5 }}>
                  {x(s.end) < W - 70 ? `lost ${shown(found.parts.miscalibration)}` : ""}
                </text>
                {s.brier.low != null && s.brier.high != null && (
                  <line
                    x1={x(s.brier.low)}
                    x2={x(s.brier.high)}
                    y1={top + 30}
                    y2={top + 30}
                    stroke={mine}
                    strokeWidth={1.8}
                  />
                )}
                <circle cx={x(s.end)} cy={top + 30} r={3.2} fill={mine} />
              </g>
            );
          })}
          <Ruler scale={x} side="bottom" at={high - FOOT + 2} ticks={4} />
        </svg>
        <ul style={{ paddingTop: HEAD }} className="text-right">
          {told.map(({ c, found }) => (
            <li
              key={c.position}
              className="flex flex-col justify-center"
              style={{ height: ROW }}
              title={`ranking earns ${shown(found.parts.discrimination)}, false probabilities lose ${shown(found.parts.miscalibration)}`}
            >
              <span className="text-lg leading-tight">{shown(found.brier.value)}</span>
            </li>
          ))}
        </ul>
      </div>
      <p className="text-sm text-soft font-serif italic">
        Coloured arrow: what ranking earns. Ink arrow: what false probabilities lose. Dot: the Brier score, with its
        interval; lower is better.
      </p>
    </section>
  );
}

const HEADED = 5;

function Arrow({ from, to, y, color }: { from: number; to: number; y: number; color: string }) {
  const way = Math.sign(to - from);
  return (
    <g>
      <line x1={from} x2={to} y1={y} y2={y} stroke={color} strokeWidth={1.8} />
      <line x1={from} x2={from} y1={y - 3} y2={y + 3} stroke={color} />
      {way !== 0 && <path d={`M${to},${y} l${-way * HEADED},-3 v6 z`} fill={color} />}
    </g>
  );
}
