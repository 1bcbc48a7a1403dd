import { scaleLinear } from "d3-scale";
import { type ReactNode, useId, useMemo, useRef, useState } from "react";
import { Ruler } from "./Ruler";
import { SaveMenu } from "./SaveMenu";
import { type Interval, type Scale, zoomed } from "./scales";

export type Plane = {
  x: Scale;
  y: Scale;
  left: number;
  right: number;
  top: number;
  bottom: number;
  /** Where what stands under the plane begins. */
  under: number;
};
type Axis = { name: string; domain: Interval };
type Props = {
  title: string;
  /** What the figure says, for who cannot see it. */
  label: string;
  x: Axis;
  y: Axis;
  /** What is drawn inside of the frame, cut off at its edges. */
  children: (plane: Plane) => ReactNode;
  /** What stands beside it. */
  beside?: (plane: Plane) => ReactNode;
  /** Room at the right for what stands beside it. */
  room?: number;
  /** What stands under it, on the same scale, and how much room that takes. */
  below?: (plane: Plane) => ReactNode;
  under?: number;
  /** Told where the pointer is, in the figure's own units; null where it is not over the frame. */
  /** The numbers that are drawn, with a head, for who saves them. */
  rows?: () => (string | number | null)[][];
  onPoint?: (at: { x: number; y: number } | null, plane: Plane) => void;
};

const [SIDE, LEFT, TOP, BOTTOM] = [290, 46, 12, 40]; // the plane is square
const MARK = 5; // how far a mark reaches from its place
const LEAST = 6; // a shorter drag is a click
const IN = 0.7;
type Box = { x: number; y: number; toX: number; toY: number };
type Window = { x: Interval; y: Interval };

const KEYS: Record<string, (w: Window, whole: Window) => Window | null> = {
  "+": (w, whole) => around(w, IN, whole),
  "=": (w, whole) => around(w, IN, whole),
  "-": (w, whole) => around(w, 1 / IN, whole),
  "0": () => null,
  ArrowLeft: (w, whole) => moved(w, -0.2, 0, whole),
  ArrowRight: (w, whole) => moved(w, 0.2, 0, whole),
  ArrowUp: (w, whole) => moved(w, 0, 0.2, whole),
  ArrowDown: (w, whole) => moved(w, 0, -0.2, whole),
};

const middle = ([a, b]: Interval) => (a + b) / 2;
const around = (w: Window, by: number, whole: Window): Window => ({
  x: zoomed(w.x, by, middle(w.x), whole.x),
  y: zoomed(w.y, by, middle(w.y), whole.y),
});

function shifted([low, high]: Interval, by: number, [least, most]: Interval): Interval {
  const step = Math.max(least - low, Math.min(most - high, by * (high - low)));
  return [low + step, high + step];
}
const moved = (w: Window, dx: number, dy: number, whole: Window): Window => ({
  x: shifted(w.x, dx, whole.x),
  y: shifted(w.y, dy, whole.y),
});

/** A framed plane with a ruler on two sides. Dragging a box over it goes nearer, keys too, and 0 back to the whole. */
export function Plot({ title, label, x, y, children, beside, rows, room = 86, below, under = 0, onPoint }: Props) {
  const [W, H] = [LEFT + SIDE + room, TOP + SIDE + BOTTOM + under];
  const figure = useRef<SVGSVGElement>(null);
  const [near, setNear] = useState<Window | null>(null);
  const [box, setBox] = useState<Box | null>(null);
  const cut = useId();
  const whole: Window = { x: x.domain, y: y.domain };
  const edge = near ? 0 : MARK; // of the whole, what stands on the frame is drawn whole
  const shown = near ?? whole;
  const plane: Plane = useMemo(
    () => ({
      x: scaleLinear(shown.x, [LEFT, LEFT + SIDE]),
      y: scaleLinear(shown.y, [TOP + SIDE, TOP]),
      left: LEFT,
      right: LEFT + SIDE,
      top: TOP,
      bottom: TOP + SIDE,
      under: TOP + SIDE + BOTTOM,
    }),
    [shown],
  );
  const at = (event: React.PointerEvent) => {
    const area = figure.current?.getBoundingClientRect();
    if (!area) return null;
    return { x: ((event.clientX - area.left) / area.width) * W, y: ((event.clientY - area.top) / area.height) * H };
  };
  const inside = (p: { x: number; y: number }) =>
    p.x >= plane.left - 2 && p.x <= plane.right + 2 && p.y >= plane.top - 2 && p.y <= plane.bottom + 2;
  const kept = (v: number, low: number, high: number) => Math.min(high, Math.max(low, v));
  const release = () => {
    if (box && Math.abs(box.toX - box.x) > LEAST && Math.abs(box.toY - box.y) > LEAST) {
      const [x0, x1] = [box.x, box.toX].sort((a, b) => a - b).map((v) => plane.x.invert(v)) as Interval;
      const [y0, y1] = [box.toY, box.y].sort((a, b) => b - a).map((v) => plane.y.invert(v)) as Interval;
      setNear({ x: [x0, x1], y: [y0, y1] });
    }
    setBox(null);
  };
  return (
    <section aria-label={title} className="min-w-0">
      <header className="flex items-baseline gap-3">
        <h2 className="text-lg flex-1">{title}</h2>
        {near && (
          <button type="button" className="link text-sm" onClick={() => setNear(null)}>
            the whole
          </button>
        )}
        <SaveMenu figure={figure} name={title.toLowerCase()} rows={rows} />
      </header>
      {/* biome-ignore lint/a11y/useSemanticElements: a group of SVG has no element of its own */}
      <svg
        ref={figure}
        viewBox={`0 0 ${W} ${H}`}
        className="w-full touch-pan-y select-none"
        role="group"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: it is moved by keys
        tabIndex={0}
        aria-label={`${label}. Keys: + and - go nearer and farther, arrows move, 0 shows the whole.`}
        onPointerDown={(event) => {
          const p = at(event);
          if (!p || !inside(p) || event.button !== 0) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          setBox({ x: p.x, y: p.y, toX: p.x, toY: p.y });
        }}
        onPointerMove={(event) => {
          const p = at(event);
          if (!p) return;
          if (box) setBox({ ...box, toX: kept(p.x, plane.left, plane.right), toY: kept(p.y, plane.top, plane.bottom) });
          else onPoint?.(inside(p) ? p : null, plane);
        }}
        onPointerUp={release}
        onPointerCancel={() => setBox(null)}
        onPointerLeave={() => onPoint?.(null, plane)}
        onKeyDown={(event) => {
          const to = KEYS[event.key];
          if (!to || event.ctrlKey || event.metaKey || event.altKey) return;
          event.preventDefault();
          event.stopPropagation();
          setNear(to(shown, whole));
        }}
      >
        <clipPath id={cut}>
          <rect x={LEFT - edge} y={TOP - edge} width={SIDE + 2 * edge} height={SIDE + 2 * edge} />
        </clipPath>
        <rect x={LEFT} y={TOP} width={SIDE} height={SIDE} fill="var(--color-sheet)" stroke="var(--color-rule)" />
        <Ruler scale={plane.x} side="bottom" at={TOP + SIDE} />
        <Ruler scale={plane.y} side="left" at={LEFT} />
        <text x={(LEFT + LEFT + SIDE) / 2} y={TOP + SIDE + BOTTOM - 6} textAnchor="middle">
          {x.name}
        </text>
        <text x={-(TOP + TOP + SIDE) / 2} y={9} textAnchor="middle" transform="rotate(-90)">
          {y.name}
        </text>
        <g clipPath={`url(#${cut})`}>{children(plane)}</g>
        {beside?.(plane)}
        {below?.(plane)}
        {box && (
          <rect
            x={Math.min(box.x, box.toX)}
            y={Math.min(box.y, box.toY)}
            width={Math.abs(box.toX - box.x)}
            height={Math.abs(box.toY - box.y)}
            fill="none"
            stroke="var(--color-ink)"
            strokeDasharray="3 2"
          />
        )}
      </svg>
    </section>
  );
}
