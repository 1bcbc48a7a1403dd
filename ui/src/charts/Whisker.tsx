import { scaleLinear } from "d3-scale";
import type { Metric } from "../api/client";

const WIDTH = 72;

/** The scale of a column: from the lowest to the highest end of any interval in it. */
export function columnScale(metrics: Metric[]): [number, number] | null {
  const ends = metrics.flatMap((m) => [m.value, m.low, m.high].filter((x): x is number => typeof x === "number"));
  if (ends.length === 0) return null;
  const [low, high] = [Math.min(...ends), Math.max(...ends)];
  const pad = 0.06 * (high - low) || 0.05;
  return [low - pad, high + pad];
}

/** Dot and whisker: a value and its interval on the column's scale. */
export function Whisker({ metric, domain, color }: { metric: Metric; domain: [number, number] | null; color: string }) {
  const { value, low, high } = metric;
  if (!domain || value === null) return <svg width={WIDTH} height={9} aria-hidden="true" />;
  const x = scaleLinear(domain, [0, WIDTH]).clamp(true);
  return (
    <svg width={WIDTH} height={9} aria-hidden="true" className="block mt-0.5">
      <line x1={0} x2={WIDTH} y1={4.5} y2={4.5} stroke="var(--color-light)" />
      {typeof low === "number" && typeof high === "number" && (
        <line x1={x(low)} x2={x(high)} y1={4.5} y2={4.5} stroke={color} strokeWidth={1.8} />
      )}
      <circle cx={x(value)} cy={4.5} r={3.2} fill={color} />
    </svg>
  );
}
