import { scaleLinear } from "d3-scale";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Mapped } from "../../api/mapped";
import { Ruler } from "../../charts/Ruler";
import { saveCsv } from "../../charts/save";
import { count } from "../../parts/number";
import { drawMap, type Painted, picture } from "./paint";
import { box, type Corner, type Seen } from "./place";

const [WIDE, HIGH, BELOW] = [620, 470, 34];
const RING = 60;
const RESTS = 160; // ms after which it is drawn in full
export type Tool = "move" | "line" | "box";
export type Ring = { x: number; y: number; r: number };

/** A ring in the middle. */
export const middle: Ring = { x: WIDE / 2, y: HIGH / 2, r: RING };

const toData = (px: number, py: number, s: Seen): Corner => [
  s.x0 + (px / WIDE) * (s.x1 - s.x0),
  s.y1 - (py / HIGH) * (s.y1 - s.y0),
];

/** A ring as a line of the plane. */
export const circle = (ring: Ring, s: Seen): Corner[] =>
  Array.from({ length: 32 }, (_, k) => {
    const a = (k / 32) * 2 * Math.PI;
    return toData(ring.x + ring.r * Math.cos(a), ring.y + ring.r * Math.sin(a), s);
  });

type PlaneProps = {
  m: Mapped;
  now: Seen;
  show: string;
  positive: number;
  line: Corner[];
  chosenPoints: number[];
  tool: Tool;
  ring: Ring | null;
  /** Where it is saved from as SVG. */
  svg: string;
  onSeen: (to: Seen) => void;
  onLine: (line: Corner[]) => void;
};

/** The points on canvas, axes and the line above it. */
export function Plane({ m, now, show, positive, line, chosenPoints, tool, ring, svg, onSeen, onLine }: PlaneProps) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const figure = useRef<SVGSVGElement>(null);
  const [drawing, setDrawing] = useState<Corner[]>([]);
  const [painted, setPainted] = useState<Painted | null>(null);
  const from = useRef<{ px: number; py: number; seen: Seen } | null>(null);
  const mask = useMemo(() => {
    if (!line.length) return null;
    const out = new Uint8Array(m.n);
    for (const i of chosenPoints) out[i] = 1;
    return out;
  }, [m, line, chosenPoints]);
  const last = useRef<Seen | null>(null);
  useEffect(() => {
    // moved since it was last drawn: quickly, and in full once it rests
    const moving = last.current !== null && last.current !== now;
    const paint = (quick: boolean) => {
      last.current = now;
      if (canvas.current) setPainted(drawMap(canvas.current, m, now, { show, positive, mask }, quick));
    };
    const frame = requestAnimationFrame(() => paint(moving));
    const rest = moving ? setTimeout(() => requestAnimationFrame(() => paint(false)), RESTS) : undefined;
    return () => {
      cancelAnimationFrame(frame);
      clearTimeout(rest);
    };
  }, [m, now, show, positive, mask]);
  const x = scaleLinear([now.x0, now.x1], [0, WIDE]);
  const y = scaleLinear([now.y0, now.y1], [HIGH, 0]);
  const at = (e: { clientX: number; clientY: number }): [number, number] => {
    const r = canvas.current?.getBoundingClientRect();
    return r ? [((e.clientX - r.left) / r.width) * WIDE, ((e.clientY - r.top) / r.height) * HIGH] : [0, 0];
  };
  const zoom = (px: number, py: number, by: number) => {
    const [cx, cy] = toData(px, py, now);
    const scaled = (a: number, c: number) => c + (a - c) * by;
    onSeen({ x0: scaled(now.x0, cx), x1: scaled(now.x1, cx), y0: scaled(now.y0, cy), y1: scaled(now.y1, cy) });
  };
  const wheel = useRef(zoom);
  wheel.current = zoom;
  useEffect(() => {
    const target = canvas.current;
    const onWheel = (e: WheelEvent) => {
      e.preventDefault();
      const r = target?.getBoundingClientRect();
      if (r)
        wheel.current(
          ((e.clientX - r.left) / r.width) * WIDE,
          ((e.clientY - r.top) / r.height) * HIGH,
          e.deltaY > 0 ? 1.2 : 1 / 1.2,
        );
    };
    target?.addEventListener("wheel", onWheel, { passive: false });
    return () => target?.removeEventListener("wheel", onWheel);
  }, []);
  const move = (px: number, py: number) => {
    const start = from.current;
    if (!start) return;
    if (tool === "move") {
      const [dx, dy] = [
        ((px - start.px) / WIDE) * (start.seen.x1 - start.seen.x0),
        ((py - start.py) / HIGH) * (start.seen.y1 - start.seen.y0),
      ];
      onSeen({ x0: start.seen.x0 - dx, x1: start.seen.x1 - dx, y0: start.seen.y0 + dy, y1: start.seen.y1 + dy });
    } else if (tool === "box") {
      const [a, b] = [toData(start.px, start.py, now), toData(px, py, now)];
      setDrawing(
        box({ x0: Math.min(a[0], b[0]), x1: Math.max(a[0], b[0]), y0: Math.min(a[1], b[1]), y1: Math.max(a[1], b[1]) }),
      );
    } else setDrawing((old) => [...old, toData(px, py, now)]);
  };
  const left = m.about.y.categories.length ? 84 : 48;
  const outline = drawing.length ? drawing : line;
  const path = outline.length ? `M${outline.map(([a, b]) => `${x(a)},${y(b)}`).join("L")}Z` : "";
  return (
    <figure className="relative" style={{ width: WIDE + left, height: HIGH + BELOW }} data-part="map">
      <canvas
        ref={canvas}
        width={WIDE}
        height={HIGH}
        aria-label={`${count(m.n)} rows by ${m.about.x.name} and ${m.about.y.name}`}
        role="img"
        className="absolute top-0 border border-rule bg-sheet touch-none"
        style={{ left, width: WIDE, height: HIGH, cursor: tool === "move" ? "grab" : "crosshair" }}
        onPointerDown={(e) => {
          const [px, py] = at(e);
          e.currentTarget.setPointerCapture(e.pointerId);
          from.current = { px, py, seen: now };
          if (tool === "line") setDrawing([toData(px, py, now)]);
        }}
        onPointerMove={(e) => from.current && move(...at(e))}
        onPointerUp={() => {
          from.current = null;
          if (drawing.length >= 3) onLine(drawing);
          setDrawing([]);
        }}
        onPointerCancel={() => {
          from.current = null;
          setDrawing([]);
        }}
      />
      <svg
        ref={figure}
        width={WIDE + left}
        height={HIGH + BELOW}
        className="absolute inset-0 pointer-events-none"
        aria-hidden="true"
      >
        <g transform={`translate(${left},0)`}>
          <svg width={WIDE} height={HIGH} overflow="hidden">
            <title>{m.about.x.name}</title>
            {path && (
              <path
                d={path}
                fill="none"
                stroke="var(--color-ink)"
                strokeWidth={1.6}
                strokeDasharray={drawing.length ? "4 3" : undefined}
              />
            )}
            {ring && (
              <circle
                cx={ring.x}
                cy={ring.y}
                r={ring.r}
                fill="none"
                stroke="var(--color-ink)"
                strokeWidth={1.6}
                strokeDasharray="4 3"
              />
            )}
          </svg>
          <Ruler scale={x} side="bottom" at={HIGH + 2} ticks={6} text={tick(m.about.x.categories)} />
          <text x={WIDE} y={HIGH + 32} textAnchor="end" className="text-xs" fill="var(--color-soft)">
            {m.about.x.name}
          </text>
          {y.ticks(6).map((v) => (
            <g key={v} transform={`translate(0,${y(v)})`}>
              <line x1={-4} x2={0} stroke="var(--color-faint)" />
              <text x={-7} dy="0.32em" textAnchor="end" className="text-xs" fill="var(--color-soft)">
                {tick(m.about.y.categories)(v)}
              </text>
            </g>
          ))}
          <text x={4} y={12} className="text-xs" fill="var(--color-soft)">
            {m.about.y.name}
          </text>
        </g>
      </svg>
      <figcaption className="absolute right-0 text-xs text-soft" style={{ top: HIGH + BELOW }}>
        {painted?.sampled ? `${count(painted.drawn)} of ${count(painted.marked)} marked rows are drawn; ` : ""}
        <button
          type="button"
          className="link"
          onClick={() =>
            canvas.current && void picture(canvas.current, figure.current, `map-${m.about.x.name}-${m.about.y.name}`)
          }
        >
          save PNG
        </button>{" "}
        ·{" "}
        <a className="link" href={svg} download="map.svg">
          save SVG
        </a>{" "}
        ·{" "}
        <button
          type="button"
          className="link"
          onClick={() => saveCsv(placesOf(m), `map-${m.about.x.name}-${m.about.y.name}`)}
        >
          save CSV
        </button>
      </figcaption>
    </figure>
  );
}

/** A place as it was sent, in 32 bits. */
const short = (v: number | undefined) => (v === undefined ? null : Number(v.toPrecision(7)));

/** Where each row lies, and what it is and was taken for. */
function placesOf(m: Mapped): (string | number | null)[][] {
  const named = (k: number | undefined) => m.about.classes[k ?? -1] ?? "";
  const out: (string | number | null)[][] = [["row", m.about.x.name, m.about.y.name, "actual", "predicted"]];
  for (let i = 0; i < m.n; i++)
    out.push([m.row[i] ?? null, short(m.x[i]), short(m.y[i]), named(m.actual[i]), named(m.said[i])]);
  return out;
}

const tick = (categories: string[]) => (v: number) => {
  if (!categories.length) return String(Number(v.toPrecision(4)));
  if (!Number.isInteger(v)) return "";
  const name = v === -1 ? "absent" : (categories[v] ?? "");
  return name.length > 12 ? `${name.slice(0, 11)}…` : name;
};
