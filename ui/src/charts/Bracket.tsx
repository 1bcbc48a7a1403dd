import type { Scale } from "./scales";

type Props = {
  /** Its ends; null where it is open, as far as the scale goes. */
  low: number | null;
  high: number | null;
  x: Scale;
  y: number;
  title: string;
};

const END = 4;

/** A stretch of a ruler, from end to end; an arrowhead where it is open. */
export function Bracket({ low, high, x, y, title }: Props) {
  const [least, most] = x.range() as [number, number];
  const [from, to] = [low === null ? least : x(low), high === null ? most : x(high)];
  const ends = [
    low === null ? `M${from},${y} l${END},-3 M${from},${y} l${END},3` : `M${from},${y - END} v${2 * END}`,
    high === null ? `M${to},${y} l${-END},-3 M${to},${y} l${-END},3` : `M${to},${y - END} v${2 * END}`,
  ];
  return (
    <g data-bracket="">
      <title>{title}</title>
      <rect x={from} width={Math.max(1, to - from)} y={y - 5} height={10} fill="transparent" />
      <path d={`M${from},${y} H${to} ${ends.join(" ")}`} stroke="var(--color-ink)" strokeWidth={1.4} fill="none" />
    </g>
  );
}
