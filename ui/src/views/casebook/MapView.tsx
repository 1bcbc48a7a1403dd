import { type ReactNode, useEffect, useMemo, useState } from "react";
import { mapSvgAt, type Schemas } from "../../api/client";
import type { Mapped } from "../../api/mapped";
import { useFields, useInside, useMap } from "../../api/queries";
import { InFront } from "../../app/InFront";
import { useKeys } from "../../app/keys";
import { type Shown, useScope } from "../../app/scope";
import { Fault, Loading, PENDING, ViewHead } from "../../parts/basics";
import { Choice } from "../../parts/Choice";
import { count, several, shown } from "../../parts/number";
import { Inside, Legend, Suggested } from "./Beside";
import { circle, middle, Plane, type Ring, type Tool } from "./Plane";
import { box, type Corner, errorOf, inside, lineOf, lineText, type Seen, whole, worstPlaces } from "./place";

const SELECT = "border border-rule bg-sheet rounded-md px-1.5 py-0.5 text-ink max-w-40";

/** Rows in two dimensions: where errors gather, and what tells a place from the rest. */
export function MapView({ choose }: { choose: ReactNode }) {
  const scope = useScope();
  const { study, split, slice, query, own, setOwn, chosen, all, results, called, go, mayWrite } = scope;
  const front = chosen.find((c) => c.letter === own.front) ?? chosen[0] ?? all[0];
  const fieldsAsked = useFields(study.id);
  const fields = fieldsAsked.data?.fields ?? [];
  const { show: shownAs = {}, group } = study.mapping as { show?: Record<string, string | string[]>; group?: string };
  const aside = new Set([...Object.values(shownAs).flat(), group]);
  const numeric = fields.filter((f) => f.kind === "number" && !aside.has(f.name));
  const embedding = [shownAs.embedding ?? []].flat();
  const plain = fields.filter((f) => !aside.has(f.name)).map((f) => `field:${f.name}`);
  const scores = all.filter((c) => c.gives === "scores").map((c) => `score:${c.letter}`);
  const usual = embedding.length >= 2 ? embedding.map((e) => `field:${e}`) : [...plain, ...scores];
  const x = own.x ?? (numeric.length >= 2 && embedding.length < 2 ? "components" : (usual[0] ?? ""));
  const y = x === "components" ? "components" : (own.y ?? usual[1] ?? usual[0] ?? "");
  const placed = own.x === x && (x === "components" || own.y === y);
  // how rows are placed is written out, so that an address and an exhibit say it
  useEffect(() => {
    if (fieldsAsked.data && x && !placed) setOwn({ x, y: x === "components" ? null : y });
  }, [fieldsAsked.data, placed, x, y, setOwn]);
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
  const map = useMap(study.id, fieldsAsked.data && x ? asked : null);
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
  const wrong = useMemo(() => {
    let n = 0;
    for (let i = 0; i < (m?.n ?? 0); i++) if (m && errorOf(m, i, positive)) n++;
    return n;
  }, [m, positive]);
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
              wrong,
              told: told.isPlaceholderData ? undefined : told.data,
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
      {fieldsAsked.data && !x && <p className="text-soft">There is no field and no score to place rows by.</p>}
      {!m && !failing && (x || !fieldsAsked.data) && <Loading what="Placing the rows" />}
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
            svg={mapSvgAt(study.id, { ...asked, show: by ? "by" : show, line: own.line ?? "" })}
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
  wrong: number;
  told: Schemas["InsideOut"] | undefined;
  drawn: string | undefined;
  split: string;
  tune: string | null;
};

function said({ m, front, line, chosenPoints, wrong, told, drawn, split, tune }: Said): string {
  const unplaced = m.about.rows - m.n;
  const left = unplaced > 0 ? ` ${several(unplaced, "row")} without a place are not shown.` : "";
  if (!line.length) {
    const by =
      m.about.share.length === 2
        ? ` The two components carry ${shown((m.about.share[0] ?? 0) + (m.about.share[1] ?? 0))} of what varies.`
        : "";
    return `${several(m.n, "row")} by ${m.about.x.name} and ${m.about.y.name}; ${front.name} errs on ${count(wrong)} of them.${by}${m.about.arbitrary ? " The axes are arbitrary: they could as well be turned." : ""}${left}`;
  }
  const found = told?.candidates[front.name];
  const d = found?.rest.accuracy;
  const right = found?.metrics.accuracy?.value;
  const ends = d?.low != null && d.high != null ? ` (${shown(d.low)} to ${shown(d.high)})` : "";
  const compared =
    right == null || d?.difference == null
      ? "too few to compare"
      : `${front.name} is right on ${shown(right)} of them; the difference from the others is ${shown(d.difference)}${ends}`;
  const caveat =
    drawn && tune && drawn === tune && split !== tune
      ? `The line was drawn on ${tune} and is read on ${split}.`
      : "A line drawn after the errors were seen is no test.";
  return `Inside lie ${several(chosenPoints.length, "row")}: ${told ? compared : PENDING}. ${caveat}`;
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
