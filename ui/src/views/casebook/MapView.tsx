import { scaleLinear } from "d3-scale";
import { type ReactNode, useEffect, useMemo, useRef, useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import type { Mapped } from "../../api/mapped";
import { useFields, useInside, useMap, useMarking } from "../../api/queries";
import { InFront } from "../../app/InFront";
import { useKeys } from "../../app/keys";
import { type Shown, useScope, writeAddress } from "../../app/scope";
import { Ruler } from "../../charts/Ruler";
import { saveCsv } from "../../charts/save";
import { Button, Fault, Loading, PENDING, ViewHead } from "../../parts/basics";
import { Choice } from "../../parts/Choice";
import { count, several, shown } from "../../parts/number";
import { drawMap, type Painted, picture } from "./paint";
import { box, type Corner, errorOf, inside, lineOf, lineText, type Seen, whole, worstPlaces } from "./place";

const SELECT = "border border-rule bg-sheet rounded-md px-1.5 py-0.5 text-ink max-w-40";
const [WIDE, HIGH, BELOW] = [620, 470, 34];
const RING = 60;
const OF_TWO = ["accuracy", "recall", "precision", "fpr"];
type Tool = "move" | "line" | "box";
type Ring = { x: number; y: number; r: number };

/** Rows in two dimensions: where errors gather, and what tells a place from the rest. */
export function MapView({ choose }: { choose: ReactNode }) {
  const scope = useScope();
  const { study, split, slice, query, own, setOwn, chosen, all, results, called, go, mayWrite } = scope;
  const front = chosen.find((c) => c.letter === own.front) ?? chosen[0] ?? all[0];
  const fields = useFields(study.id).data?.fields ?? [];
  const { show: shownAs = {}, group } = study.mapping as { show?: Record<string, string | string[]>; group?: string };
  const aside = new Set([...Object.values(shownAs).flat(), group]);
  const numeric = fields.filter((f) => f.kind === "number" && !aside.has(f.name));
  const embedding = [shownAs.embedding ?? []].flat();
  const usual =
    embedding.length >= 2
      ? embedding
      : fields
          .filter((f) => !aside.has(f.name))
          .map((f) => f.name)
          .slice(0, 2);
  const x = own.x ?? (numeric.length >= 2 && embedding.length < 2 ? "components" : `field:${usual[0] ?? ""}`);
  const y = x === "components" ? "components" : (own.y ?? `field:${usual[1] ?? usual[0] ?? ""}`);
  const show = own.show_by ?? "errors";
  const by = show.startsWith("by:") ? show.slice(3) : "";
  const asked = {
    split,
    x,
    y,
    cutoffs: query,
    within: slice,
    ...(front ? { candidate: front.position } : {}),
    ...(by ? { by } : {}),
  };
  const map = useMap(study.id, asked);
  const m = map.data;
  const positive = results.holdout.positive === null ? -1 : results.holdout.classes.indexOf(results.holdout.positive);
  const all_ = useMemo(() => (m ? whole(m) : null), [m]);
  const [seen, setSeen] = useState<Seen | null>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another plane is seen whole
  useEffect(() => setSeen(null), [x, y, split]);
  const now = seen ?? all_;
  const line = useMemo(() => lineOf(own.line ?? ""), [own.line]);
  const chosenPoints = useMemo(() => (m && line.length ? inside(m, line) : []), [m, line]);
  const rows = useMemo(() => (m ? chosenPoints.map((i) => m.row[i] as number) : []), [m, chosenPoints]);
  const told = useInside(study.id, { split, cutoffs: query, within: slice }, rows);
  const places = useMemo(
    () => (m && all_ && !line.length ? worstPlaces(m, positive, all_) : []),
    [m, all_, line, positive],
  );
  const [tool, setTool] = useState<Tool>("move");
  const [ring, setRing] = useState<Ring | null>(null);
  const draw = (corners: Corner[]) => {
    setRing(null);
    if (corners.length >= 3) setOwn({ line: lineText(corners), drawn: split });
  };
  const clear = () => {
    setRing(null);
    setOwn({ line: null, drawn: null });
  };
  const step = (dx: number, dy: number) => setRing((r) => (r ? { ...r, x: r.x + dx, y: r.y + dy } : middle));
  useKeys({
    l: () => setTool((t) => (t === "line" ? "move" : "line")),
    r: () => setTool((t) => (t === "box" ? "move" : "box")),
    ArrowLeft: () => step(-12, 0),
    ArrowRight: () => step(12, 0),
    ArrowUp: () => step(0, -12),
    ArrowDown: () => step(0, 12),
    "+": () => setRing((r) => (r ? { ...r, r: r.r * 1.2 } : middle)),
    "-": () => setRing((r) => (r ? { ...r, r: Math.max(8, r.r / 1.2) } : middle)),
    Enter: () => ring && now && draw(circle(ring, now)),
    z: () => setSeen(line.length ? around(line) : null),
    Escape: clear,
  });
  const failing = map.isError;
  return (
    <>
      <ViewHead
        title="Casebook"
        note={
          <>
            <span className="kbd">l</span> line · <span className="kbd">r</span> rectangle · arrows and{" "}
            <span className="kbd">Enter</span> ring · <span className="kbd">z</span> nearer
          </>
        }
      />
      {choose}
      <p
        className="font-serif text-lg leading-snug border-l-[3px] border-ink pl-3 my-3 min-h-[2lh]"
        data-part="sentence"
      >
        {m && front && !map.isPlaceholderData
          ? said({
              m,
              front,
              line,
              chosenPoints,
              positive,
              told: told.data,
              drawn: own.drawn,
              split,
              tune: results.holdout.tune_on ?? null,
            })
          : PENDING}
      </p>
      <div className="flex items-baseline gap-x-3 gap-y-1 flex-wrap text-sm text-soft mb-1.5">
        <Axis
          label="placed by"
          value={x}
          fields={fields}
          all={all}
          components={numeric.length >= 2}
          onChange={(to) => setOwn({ x: to, ...(to === "components" ? { y: null } : {}), line: null, drawn: null })}
        />
        {x !== "components" && (
          <Axis
            label="and"
            value={y}
            fields={fields}
            all={all}
            onChange={(to) => setOwn({ y: to, line: null, drawn: null })}
          />
        )}
        <label className="flex items-baseline gap-1.5">
          marked where
          <select
            className={SELECT}
            aria-label="What is marked"
            value={show}
            onChange={(e) => setOwn({ show_by: e.target.value })}
          >
            <option value="errors">{front ? `${front.letter} errs` : "errors"}</option>
            <option value="differ">candidates disagree</option>
            <option value="actual">by actual class</option>
            {fields.map((f) => (
              <option key={f.name} value={`by:${f.name}`}>
                by {f.name}
              </option>
            ))}
          </select>
        </label>
        {chosen.length > 1 && front && (
          <span className="flex items-baseline gap-1.5">
            for <InFront of={chosen} front={front} />
          </span>
        )}
        <span className="flex-1" />
        <Choice<Tool>
          name="What the pointer does"
          value={tool}
          options={[
            ["move", "move"],
            ["line", "draw a line"],
            ["box", "rectangle"],
          ]}
          onChange={setTool}
        />
        <button type="button" className="link" disabled={!seen} onClick={() => setSeen(null)}>
          whole
        </button>
      </div>
      <Fault error={failing ? map.error : null} again={() => void map.refetch()} />
      {!m && !failing && <Loading what="Placing the rows" />}
      {m && now && (
        <div className="flex flex-wrap gap-6 items-start">
          <Plane
            m={m}
            now={now}
            show={show}
            positive={positive}
            line={line}
            chosenPoints={chosenPoints}
            tool={tool}
            ring={ring}
            onSeen={setSeen}
            onLine={draw}
          />
          <aside className="text-sm flex-[1_1_18rem] max-w-md min-w-0" aria-label="What lies there">
            {line.length === 0 ? (
              <Suggested places={places} onOpen={(at) => draw(box(at))} front={front} />
            ) : (
              <Inside
                told={told.data}
                late={told.isFetching}
                error={told.error}
                rows={rows}
                mayWrite={mayWrite}
                onClear={clear}
                onRead={(mark) =>
                  go((was) => ({
                    within: { ...was.within, "": `mark "${mark}"` },
                    own: { read: "map", x, ...(x === "components" ? {} : { y }) },
                  }))
                }
              />
            )}
            <Legend m={m} show={show} called={called} />
          </aside>
        </div>
      )}
    </>
  );
}

const middle: Ring = { x: WIDE / 2, y: HIGH / 2, r: RING };

const toData = (px: number, py: number, s: Seen): Corner => [
  s.x0 + (px / WIDE) * (s.x1 - s.x0),
  s.y1 - (py / HIGH) * (s.y1 - s.y0),
];

const circle = (ring: Ring, s: Seen): Corner[] =>
  Array.from({ length: 32 }, (_, k) => {
    const a = (k / 32) * 2 * Math.PI;
    return toData(ring.x + ring.r * Math.cos(a), ring.y + ring.r * Math.sin(a), s);
  });

const around = (line: Corner[]): Seen => {
  const xs = line.map(([a]) => a);
  const ys = line.map(([, b]) => b);
  const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  const [w, h] = [(x1 - x0) * 0.3 || 1, (y1 - y0) * 0.3 || 1];
  return { x0: x0 - w, x1: x1 + w, y0: y0 - h, y1: y1 + h };
};

type Said = {
  m: Mapped;
  front: Shown;
  line: Corner[];
  chosenPoints: number[];
  positive: number;
  told: Schemas["InsideOut"] | undefined;
  drawn: string | undefined;
  split: string;
  tune: string | null;
};

function said({ m, front, line, chosenPoints, positive, drawn, split, tune }: Said): string {
  let wrong = 0;
  for (let i = 0; i < m.n; i++) if (errorOf(m, i, positive)) wrong++;
  const unplaced = m.about.rows - m.n;
  const left = unplaced > 0 ? ` ${several(unplaced, "row")} without a place are not shown.` : "";
  if (!line.length) {
    const by =
      m.about.share.length === 2
        ? ` The two components carry ${shown((m.about.share[0] ?? 0) + (m.about.share[1] ?? 0))} of what varies.`
        : "";
    return `${several(m.n, "row")} by ${m.about.x.name} and ${m.about.y.name}; ${front.name} errs on ${count(wrong)} of them.${by}${m.about.arbitrary ? " The axes are arbitrary: they could as well be turned." : ""}${left}`;
  }
  const here = chosenPoints.filter((i) => errorOf(m, i, positive)).length;
  const out = m.n - chosenPoints.length;
  const share = (k: number, n: number) => (n > 0 ? shown(k / n) : "none");
  const caveat =
    drawn && tune && drawn === tune && split !== tune
      ? `The line was drawn on ${tune} and is read on ${split}.`
      : "A line drawn after the errors were seen is no test.";
  return `Inside lie ${several(chosenPoints.length, "row")}; ${front.name} errs on ${share(here, chosenPoints.length)} of them, and on ${share(wrong - here, out)} of the others. ${caveat}`;
}

type AxisProps = {
  label: string;
  value: string;
  fields: { name: string }[];
  all: Shown[];
  components?: boolean;
  onChange: (to: string) => void;
};

function Axis({ label, value, fields, all, components = false, onChange }: AxisProps) {
  return (
    <label className="flex items-baseline gap-1.5">
      {label}
      <select
        className={SELECT}
        aria-label={`Rows are ${label}`}
        value={value}
        onChange={(e) => onChange(e.target.value)}
      >
        {components && <option value="components">numeric fields together</option>}
        {fields.map((f) => (
          <option key={f.name} value={`field:${f.name}`}>
            {f.name}
          </option>
        ))}
        {all
          .filter((c) => c.gives === "scores")
          .map((c) => (
            <option key={c.letter} value={`score:${c.letter}`}>
              score of {c.letter}
            </option>
          ))}
      </select>
    </label>
  );
}

type PlaneProps = {
  m: Mapped;
  now: Seen;
  show: string;
  positive: number;
  line: Corner[];
  chosenPoints: number[];
  tool: Tool;
  ring: Ring | null;
  onSeen: (to: Seen) => void;
  onLine: (line: Corner[]) => void;
};

/** The points on canvas, axes and the line above it. */
function Plane({ m, now, show, positive, line, chosenPoints, tool, ring, onSeen, onLine }: PlaneProps) {
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
  useEffect(() => {
    const frame = requestAnimationFrame(() => {
      if (canvas.current) setPainted(drawMap(canvas.current, m, now, { show, positive, mask }));
    });
    return () => cancelAnimationFrame(frame);
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
        </button>
      </figcaption>
    </figure>
  );
}

/** A value of a field, as it is. */
const plainly = (v: number | null) => (v === null ? "–" : String(Number(v.toPrecision(4))).replace("-", "−"));

const tick = (categories: string[]) => (v: number) => {
  if (!categories.length) return String(Number(v.toPrecision(4)));
  if (!Number.isInteger(v)) return "";
  const name = v === -1 ? "absent" : (categories[v] ?? "");
  return name.length > 12 ? `${name.slice(0, 11)}…` : name;
};

type SuggestedProps = { places: ReturnType<typeof worstPlaces>; onOpen: (at: Seen) => void; front: Shown | undefined };

function Suggested({ places, onOpen, front }: SuggestedProps) {
  if (!places.length) return <p className="text-soft">No place of 30 rows or more has an error.</p>;
  return (
    <>
      <h2 className="text-base font-semibold border-b border-ink pb-1">Where errors gather</h2>
      <table className="w-full tabular-nums" data-part="places">
        <tbody>
          {places.map((p, i) => (
            <tr key={`${p.at.x0} ${p.at.y0}`} className="border-b border-light">
              <td className="py-1">
                <button
                  type="button"
                  className="link"
                  aria-label={`Draw round place ${i + 1}`}
                  onClick={() => onOpen(p.at)}
                >
                  place {i + 1}
                </button>
              </td>
              <td className="text-right">{shown(p.errors / p.rows)}</td>
              <td className="text-right text-soft">
                {count(p.errors)} of {count(p.rows)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="font-serif italic text-soft mt-1">
        Equal fields of the plane with 30 rows or more, by the share that {front?.letter} errs on. Draw round any place
        to compare it with the rest.
      </p>
    </>
  );
}

type InsideProps = {
  told: Schemas["InsideOut"] | undefined;
  late: boolean;
  error: Error | null;
  rows: number[];
  mayWrite: boolean;
  onClear: () => void;
  onRead: (mark: string) => void;
};

/** The rows inside the line against the others, and what can be done with them. */
function Inside({ told, late, error, rows, mayWrite, onClear, onRead }: InsideProps) {
  const scope = useScope();
  const { study, chosen, many, metric } = scope;
  const { markAll } = useMarking(study.id);
  const [name, setName] = useState("");
  const [kept, setKept] = useState("");
  const names = many ? ["accuracy"] : OF_TWO;
  const save = () =>
    told &&
    saveCsv(
      [
        ["candidate", "metric", "inside", "inside less the others", "low", "high"],
        ...Object.entries(told.candidates).flatMap(([c, s]) =>
          Object.entries(s.rest).map(([m, d]) => [
            c,
            m,
            s.metrics[m]?.value ?? null,
            d.difference,
            d.low ?? null,
            d.high ?? null,
          ]),
        ),
      ],
      "inside-the-line",
    );
  return (
    <>
      <p className="flex items-baseline gap-3 border-b border-ink pb-1">
        <b className="text-base font-semibold" data-part="inside">
          {several(rows.length, "row")} inside
        </b>
        <span className="flex-1" />
        <button type="button" className="link text-soft" disabled={!told || late} onClick={save}>
          save CSV
        </button>
        <button type="button" className="link text-soft" onClick={onClear}>
          let go
        </button>
      </p>
      <Fault error={error} />
      {told && (
        <div className={late ? "opacity-40" : ""}>
          {names.map((n) => (
            <table key={n} className="w-full tabular-nums mt-1.5" data-inside={n}>
              <thead>
                <tr className="text-soft text-left">
                  <th className="font-normal">{metric(n).title}</th>
                  <th className="font-normal text-right">inside</th>
                  <th className="font-normal text-right pl-3">less the others</th>
                </tr>
              </thead>
              <tbody>
                {chosen.slice(0, 6).map((c) => {
                  const s = told.candidates[c.name];
                  const d = s?.rest[n];
                  return (
                    <tr key={c.position} className="border-t border-light">
                      <td className="truncate max-w-28" title={c.name}>
                        {c.letter} {c.name}
                      </td>
                      <td className="text-right">{shown(s?.metrics[n]?.value ?? null)}</td>
                      <td className="text-right pl-3 whitespace-nowrap">
                        {d?.difference == null
                          ? "–"
                          : `${shown(d.difference)}, ${shown(d.low ?? null)} to ${shown(d.high ?? null)}`}
                      </td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
          ))}
          {told.telling.length > 0 && (
            <>
              <p className="mt-2 text-soft">what tells them from the others</p>
              <ul data-part="telling">
                {told.telling.slice(0, 5).map((t) => (
                  <li key={t.field} className="flex gap-2 border-t border-light">
                    <span className="flex-1 truncate">
                      {t.field}
                      {t.value && ` = ${t.value}`}
                    </span>
                    <span className="tabular-nums whitespace-nowrap">
                      {t.value ? shown(t.inside) : plainly(t.inside)}{" "}
                      <span className="text-soft">others {t.value ? shown(t.outside) : plainly(t.outside)}</span>
                    </span>
                  </li>
                ))}
              </ul>
            </>
          )}
        </div>
      )}
      {mayWrite && rows.length > 0 && (
        <form
          className="flex items-baseline gap-2 mt-3"
          onSubmit={(e) => {
            e.preventDefault();
            const mark = name.trim();
            if (mark) markAll.mutate({ mark, rows }, { onSuccess: () => setKept(mark) });
          }}
        >
          <input
            className="border border-rule bg-sheet rounded-md px-1.5 py-0.5 flex-1 min-w-0"
            aria-label="Mark these rows as"
            placeholder="a name for this place"
            value={name}
            maxLength={60}
            onChange={(e) => setName(e.target.value)}
          />
          <Button type="submit" disabled={!name.trim() || markAll.isPending}>
            mark them
          </Button>
        </form>
      )}
      <Fault error={markAll.error} />
      {kept && (
        <p className="mt-1.5 flex gap-3">
          <Link className="link" to={`?${writeAddress({ ...scope, own: { q: `mark "${kept}"` } }, study)}`}>
            their rows
          </Link>
          <button type="button" className="link" onClick={() => onRead(kept)}>
            read these rows alone
          </button>
        </p>
      )}
    </>
  );
}

function Legend({ m, show, called }: { m: Mapped; show: string; called: (label: string) => string }) {
  const names = show === "actual" ? m.about.classes.map(called) : show.startsWith("by:") ? m.about.values : [];
  return (
    <p className="font-serif italic text-soft mt-3">
      {show === "errors" && "Scarlet: missed. Ochre: needless. Grey: right, darker where more rows lie. "}
      {show === "differ" && "Ink: candidates predict different classes. Grey: they agree. "}
      {names.length > 0 && (
        <span className="not-italic font-sans text-xs flex flex-wrap gap-x-3">
          {names.slice(0, 8).map((n, i) => (
            <span key={n} className="flex items-baseline gap-1">
              <span className="inline-block w-2 h-2 rounded-full" style={{ background: `var(--color-c${i + 1})` }} />
              {n || "absent"}
            </span>
          ))}
          {names.length > 8 && <span>and {count(names.length - 8)} more, grey</span>}
        </span>
      )}
      {Object.keys(m.about.loadings).length > 0 && (
        <span className="block mt-1">
          Along: {led(m, 0)}. Upwards: {led(m, 1)}.
          {Object.keys(m.about.filled).length > 0 &&
            ` Absent values stand at the mean: ${Object.entries(m.about.filled)
              .map(([f, n]) => `${count(n)} of ${f}`)
              .join(", ")}.`}
        </span>
      )}
    </p>
  );
}

/** The fields that lead on a component. */
const led = (m: Mapped, k: 0 | 1) =>
  Object.entries(m.about.loadings)
    .sort((a, b) => Math.abs(b[1][k]) - Math.abs(a[1][k]))
    .slice(0, 3)
    .map(([f, l]) => `${f} ${l[k] < 0 ? "−" : "+"}${Math.abs(l[k]).toFixed(2)}`)
    .join(", ");
