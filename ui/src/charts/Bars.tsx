import type { Scale } from "./scales";

export type Bar = { from: number; to: number; parts: { key: string; size: number; fill: string }[] };
type Props = {
  bars: Bar[];
  x: Scale;
  /** The axis they stand on, how tall the unit is, and which way they grow. */
  axis: number;
  unit: number;
  down?: boolean;
};

/** Bars on a ruler, each of parts that lie on each other from the axis outwards. */
export function Bars({ bars, x, axis, unit, down = false }: Props) {
  return bars.map((bar) => {
    const [left, right] = [x(bar.from), x(bar.to)];
    const width = Math.max(0.5, right - left - 1);
    let reached = 0;
    return (
      <g key={bar.from}>
        {bar.parts.map(({ key, size, fill }) => {
          const height = size * unit;
          const y = down ? axis + reached : axis - reached - height;
          reached += height;
          return (
            height > 0 && <rect key={key} data-bar={key} x={left} width={width} y={y} height={height} fill={fill} />
          );
        })}
      </g>
    );
  });
}
