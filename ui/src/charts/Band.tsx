import { area } from "d3-shape";
import { memo, useMemo } from "react";
import type { Scale } from "./scales";

export type Stretch = { x: number; low: number; high: number };
type Props = {
  points: Stretch[];
  x: Scale;
  y: Scale;
  fill: string;
  opacity?: number;
};

/** The room between two lines. */
export const Band = memo(function Band({ points, x, y, fill, opacity = 1 }: Props) {
  const d = useMemo(
    () =>
      area<Stretch>(
        (p) => x(p.x),
        (p) => y(p.low),
        (p) => y(p.high),
      )(points) ?? "",
    [points, x, y],
  );
  return <path d={d} fill={fill} opacity={opacity} />;
});
