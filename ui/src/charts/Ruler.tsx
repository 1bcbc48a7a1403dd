import { type Scale, ticksOf } from "./scales";

const EDGE = { bottom: [0, 1], top: [0, -1], left: [-1, 0] } as const;

type Props = {
  scale: Scale;
  side: keyof typeof EDGE;
  /** Where the edge lies, across the scale. */
  at: number;
  ticks?: number;
  text?: (value: number) => string;
  /** Whether numbers stand at the ticks. */
  bare?: boolean;
};

/** A ruled edge: ticks point at the data, numbers stand outside. */
export function Ruler({ scale, side, at, ticks = 5, text = String, bare = false }: Props) {
  const [dx, dy] = EDGE[side];
  const [low, high] = scale.domain() as [number, number];
  const { major, minor } = ticksOf([low, high], ticks);
  const upright = side === "left";
  const place = (v: number) => (upright ? { x: at, y: scale(v) } : { x: scale(v), y: at });
  const tick = (v: number, length: number) => {
    const { x, y } = place(v);
    return `M${x},${y} l${-dx * length},${-dy * length}`;
  };
  const [from, to] = [place(low), place(high)];
  return (
    <g>
      <path
        d={`M${from.x},${from.y} L${to.x},${to.y} ${major.map((v) => tick(v, 5)).join(" ")}`}
        stroke="var(--color-faint)"
        fill="none"
      />
      <path d={minor.map((v) => tick(v, 2.5)).join(" ") || "M0,0"} stroke="var(--color-rule)" fill="none" />
      {!bare &&
        major.map((v) => {
          const { x, y } = place(v);
          const [tx, ty] = upright ? [x - 6, y + 4] : [x, side === "top" ? y - 4 : y + 14];
          return (
            <text key={v} x={tx} y={ty} textAnchor={upright ? "end" : "middle"}>
              {text(v)}
            </text>
          );
        })}
    </g>
  );
}
