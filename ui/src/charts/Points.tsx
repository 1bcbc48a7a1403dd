import type { Scale } from "./scales";

export type Mark = { key: string | number; x: number; y: number; low?: number | null; high?: number | null };
type Props = {
  marks: Mark[];
  x: Scale;
  y: Scale;
  color: string;
  /** Told which mark the pointer or the keyboard is at. */
  onMark?: (key: Mark["key"] | null) => void;
  /** What a mark says, for who cannot see it. */
  label?: (mark: Mark) => string;
};

/** Rings, each with its interval; reached by the keyboard where there is something to read. */
export function Points({ marks, x, y, color, onMark, label }: Props) {
  return marks.map((m) => (
    // biome-ignore lint/a11y/noStaticElementInteractions: it has a role where it can be reached
    <g
      key={m.key}
      role={label ? "img" : undefined}
      aria-label={label?.(m)}
      tabIndex={label ? 0 : undefined}
      data-mark={m.key}
      className="mark"
      onPointerEnter={() => onMark?.(m.key)}
      onPointerLeave={() => onMark?.(null)}
      onFocus={() => onMark?.(m.key)}
      onBlur={() => onMark?.(null)}
    >
      {typeof m.low === "number" && typeof m.high === "number" && (
        <line x1={x(m.x)} x2={x(m.x)} y1={y(m.low)} y2={y(m.high)} stroke={color} strokeWidth={1.6} />
      )}
      <circle cx={x(m.x)} cy={y(m.y)} r={4} fill="var(--color-sheet)" stroke={color} strokeWidth={1.8} />
      <circle cx={x(m.x)} cy={y(m.y)} r={10} fill="transparent" />
    </g>
  ));
}
