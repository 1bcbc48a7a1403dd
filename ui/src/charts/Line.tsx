import { curveLinear, curveStepBefore, line } from "d3-shape";
import { memo, useMemo } from "react";
import type { Scale } from "./scales";

export type Spot = { x: number; y: number };
type Props = {
  points: Spot[];
  x: Scale;
  y: Scale;
  color: string;
  dash?: string;
  /** Whether it runs in steps, each level with the point that ends it. */
  steps?: boolean;
  /** Whether another line is spoken of. */
  faint?: boolean;
};

/** One line of a plot, straight from point to point or in steps. */
export const Line = memo(function Line({ points, x, y, color, dash = "", steps = false, faint = false }: Props) {
  const d = useMemo(
    () =>
      line<Spot>(
        (p) => x(p.x),
        (p) => y(p.y),
      ).curve(steps ? curveStepBefore : curveLinear)(points) ?? "",
    [points, x, y, steps],
  );
  return (
    <path
      d={d}
      fill="none"
      stroke={color}
      strokeWidth={1.7}
      strokeDasharray={dash}
      strokeLinejoin="round"
      opacity={faint ? 0.22 : 1}
    />
  );
});
