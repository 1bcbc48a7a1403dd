import { scaleLinear } from "d3-scale";
import { Ruler } from "./Ruler";
import type { Interval } from "./scales";

const [WIDTH, HEIGHT, MIDDLE] = [72, 9, 4.5];

type Value = { value: number | null; low?: number | null; high?: number | null };
type Props = {
  of: Value;
  domain: Interval | null;
  color: string;
  /** A ring in place of the dot: what was tested and is not separated. */
  ring?: boolean;
  /** Where a line of reference stands. */
  at?: number;
};

/** A value and its interval on a column's scale; an arrowhead where the interval leaves the scale. */
export function Whisker({ of: { value, low, high }, domain, color, ring = false, at }: Props) {
  if (!domain || value === null) return <svg width={WIDTH} height={HEIGHT} aria-hidden="true" />;
  const x = scaleLinear(domain, [0, WIDTH]).clamp(true);
  const [least, most] = domain;
  const ends = typeof low === "number" && typeof high === "number" ? ([low, high] as const) : null;
  return (
    <svg width={WIDTH} height={HEIGHT} aria-hidden="true" className="block mt-0.5">
      <line x1={0} x2={WIDTH} y1={MIDDLE} y2={MIDDLE} stroke="var(--color-light)" />
      {at !== undefined && <line x1={x(at)} x2={x(at)} y1={0} y2={HEIGHT} stroke="var(--color-ink)" strokeWidth={1} />}
      {ends && (
        <>
          <line x1={x(ends[0])} x2={x(ends[1])} y1={MIDDLE} y2={MIDDLE} stroke={color} strokeWidth={1.8} />
          {ends[0] < least && <path d={`M0,${MIDDLE} l4,-3 v6 z`} fill={color} />}
          {ends[1] > most && <path d={`M${WIDTH},${MIDDLE} l-4,-3 v6 z`} fill={color} />}
        </>
      )}
      <circle
        cx={x(value)}
        cy={MIDDLE}
        r={ring ? 2.6 : 3.2}
        fill={ring ? "var(--color-sheet)" : color}
        stroke={color}
        strokeWidth={ring ? 1.6 : 0}
      />
    </svg>
  );
}

/** The ruler of a column of whiskers, in the column's head; `bare` with the last number alone, where columns are close. */
export function WhiskerRuler({ domain, bare = false }: { domain: Interval | null; bare?: boolean }) {
  if (!domain) return null;
  const x = scaleLinear(domain, [0, WIDTH]);
  const ticks = [2, 3, 4].find((n) => x.ticks(n).length > 1) ?? 2; // one number alone is no scale
  const [first, last] = [x.ticks(ticks)[0], x.ticks(ticks).at(-1)]; // more than two do not find room
  return (
    <svg width={WIDTH} height={17} aria-hidden="true" className="block mt-1 overflow-visible">
      <Ruler
        scale={x}
        side="top"
        at={11}
        ticks={ticks}
        text={(v) => ((v === first && !bare) || v === last ? String(Number(v.toPrecision(6))) : "")}
      />
    </svg>
  );
}
