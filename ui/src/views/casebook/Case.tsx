import { scaleLinear } from "d3-scale";
import { useEffect, useRef, useState } from "react";
import { useMarking, useNearest } from "../../api/queries";
import { useKeys } from "../../app/keys";
import { Picture } from "../../app/Picture";
import { type Shown, useScope } from "../../app/scope";
import { Ruler } from "../../charts/Ruler";
import { Button, Fault, Tile } from "../../parts/basics";
import { colour } from "../../parts/marks";
import { asSet, count, day, several, shown } from "../../parts/number";
import type { RowTold } from "./told";

const USUAL = ["bad label", "odd case", "out of scope"];
const MOST_RULERS = 6;
const MOST_CLASSES = 5;
const LONG = 12; // lines of a text that stand before the rest is asked for

type Props = { row: RowTold; front: Shown | undefined; place: string; marks: string[]; noting: number };

/** One row large: what was said of it, what it is like, what the closest row on the other side is like, its marks. */
export function Case({ row, front, place, marks, noting }: Props) {
  const { study, called, chosen } = useScope();
  const { id, show } = study.mapping as {
    id?: string;
    show?: { text?: string; picture?: string };
  };
  const said = row.answers.find((a) => a.position === front?.position);
  const text = show?.text ? row.fields[show.text] : null;
  const picture = show?.picture ? row.fields[show.picture] : null;
  return (
    <article
      className="border border-rule bg-sheet rounded-[4px] px-4 py-3 min-w-0 space-y-3"
      aria-label="One row"
      data-case={row.row}
    >
      <header>
        <h2 className="text-xl flex items-baseline gap-2 flex-wrap">
          {(id && row.fields[id]) || `Row ${count(row.row)}`}
          <span className="text-base">
            actual <b className="font-semibold">{called(row.actual)}</b>
            {front && (
              <>
                , <Tile position={front.position} letter={front.letter} />{" "}
                <span className={said?.predicted === row.actual ? "" : "text-scarlet"}>
                  {said?.predicted ? `predicted ${called(said.predicted)}` : "gave no answer"}
                </span>
              </>
            )}
          </span>
          {row.marks.map((m) => (
            <span
              key={m.mark}
              className="border-2 border-soft text-soft uppercase text-xs font-bold px-1.5 py-0.5 tracking-wide"
              title={`${m.by}, ${day(m.at)}`}
              data-mark={m.mark}
            >
              {m.mark}
            </span>
          ))}
        </h2>
        <p className="text-sm text-soft">
          {place} · place {count(row.row)} in the hold-out, {row.split}
        </p>
      </header>
      {chosen.some((c) => row.answers.find((a) => a.position === c.position)?.probabilities) ? (
        <Rungs row={row} />
      ) : (
        <Scores row={row} />
      )}
      {picture && <Picture name={picture} large />}
      {text && <Text text={text} />}
      <Reasons row={row} />
      <Fields row={row} front={front} />
      <Marks row={row} marks={marks} noting={noting} />
    </article>
  );
}

/** Each candidate's score on one ruler with its cutoff; classes alone in words. */
function Scores({ row }: { row: RowTold }) {
  const { chosen, called } = useScope();
  const told = chosen.map((c) => ({ c, a: row.answers.find((a) => a.position === c.position) }));
  const scores = told
    .flatMap(({ c, a }) => [a?.score, c.shownCutoff])
    .filter((x): x is number => typeof x === "number");
  const [low, high] = [Math.min(0, ...scores), Math.max(1, ...scores)];
  const x = scaleLinear([low, high], [8, 412]);
  const some = told.slice(0, MOST_RULERS);
  return (
    <section aria-label="What was answered">
      {some.map(({ c, a }) => {
        const wrong = a?.predicted !== row.actual;
        const score = a?.score;
        return (
          <div key={c.position} className="flex items-center gap-2 text-sm" data-answer={c.letter}>
            <Tile position={c.position} letter={c.letter} />
            <span className="w-28 truncate" title={c.name}>
              {c.name}
            </span>
            {typeof score === "number" ? (
              <svg
                viewBox="0 0 420 26"
                className="flex-1 max-w-[420px]"
                role="img"
                aria-label={`score ${shown(score)}`}
              >
                <Ruler scale={x} side="bottom" at={18} ticks={5} bare />
                {c.shownCutoff !== null && (
                  <>
                    <line
                      x1={x(score)}
                      x2={x(c.shownCutoff)}
                      y1={18}
                      y2={18}
                      stroke={wrong ? "var(--color-scarlet)" : colour(c.position)}
                      strokeWidth={3}
                    />
                    <path d={`M${x(c.shownCutoff)},18 l-4,-6 v-5 h8 v5 z`} fill="var(--color-ink)" />
                  </>
                )}
                <circle
                  cx={x(score)}
                  cy={18}
                  r={4}
                  fill={wrong ? "var(--color-sheet)" : colour(c.position)}
                  stroke={wrong ? "var(--color-scarlet)" : colour(c.position)}
                  strokeWidth={2}
                />
              </svg>
            ) : (
              <span className="flex-1" />
            )}
            <span className={`w-36 text-right ${wrong ? "text-scarlet" : ""}`}>
              {typeof score === "number" && `${shown(score)}, `}
              {a?.predicted ? called(a.predicted) : "no answer"}
            </span>
          </div>
        );
      })}
      {told.length > some.length && (
        <p className="text-sm text-soft">
          {several(told.length - some.length, "more candidate")}:{" "}
          {count(told.slice(MOST_RULERS).filter(({ a }) => a?.predicted === row.actual).length)} right
        </p>
      )}
    </section>
  );
}

/** Of three classes and more each class's probability by candidate: the likeliest, and the actual one. */
function Rungs({ row }: { row: RowTold }) {
  const { chosen, called, results } = useScope();
  return (
    <section
      aria-label="What was answered"
      className="grid grid-cols-[repeat(auto-fit,minmax(11rem,1fr))] gap-3 text-sm"
    >
      {chosen.slice(0, MOST_RULERS).map((c) => {
        const a = row.answers.find((x) => x.position === c.position);
        const each = Object.entries(a?.probabilities ?? {}).sort((p, q) => q[1] - p[1]);
        const some = each.slice(0, MOST_CLASSES);
        const shownClasses = some.some(([k]) => k === row.actual)
          ? some
          : [...some.slice(0, MOST_CLASSES - 1), ...each.filter(([k]) => k === row.actual)];
        return (
          <div key={c.position} data-answer={c.letter}>
            <p className="flex items-center gap-1.5">
              <Tile position={c.position} letter={c.letter} />
              <span className={a?.predicted === row.actual ? "" : "text-scarlet"}>
                {a?.predicted ? called(a.predicted) : "no answer"}
              </span>
            </p>
            {shownClasses.map(([label, p]) => (
              <div key={label} className="grid grid-cols-[1fr_4rem_2.6rem] gap-1.5 items-center">
                <span
                  className={`truncate ${label === row.actual ? "font-semibold border-l-[3px] border-ink pl-1" : ""}`}
                >
                  {called(label)}
                </span>
                <span className="h-1.5 bg-light">
                  <span className="block h-1.5" style={{ width: `${100 * p}%`, background: colour(c.position) }} />
                </span>
                <span className="text-right tabular-nums">{shown(p)}</span>
              </div>
            ))}
            {each.length > shownClasses.length && (
              <p className="text-xs text-soft">
                {several(results.holdout.classes.length - shownClasses.length, "more class", "more classes")}
              </p>
            )}
          </div>
        );
      })}
    </section>
  );
}

/** Why candidates say what they say, where they state it. */
function Reasons({ row }: { row: RowTold }) {
  const { chosen } = useScope();
  const stated = chosen.flatMap((c) => {
    const reason = row.answers.find((x) => x.position === c.position)?.reason;
    return reason ? [{ c, reason }] : [];
  });
  if (stated.length === 0) return null;
  return (
    <section aria-label="Stated reasons" className="text-sm space-y-1">
      {stated.map(({ c, reason }) => (
        <p key={c.position} className="flex gap-2" data-reason={c.letter}>
          <Tile position={c.position} letter={c.letter} />
          <span className="font-serif italic min-w-0 break-words" dir="auto">
            “{reason}”
          </span>
        </p>
      ))}
    </section>
  );
}

function Text({ text }: { text: string }) {
  const [whole, setWhole] = useState(false);
  const long = text.length > LONG * 90 || text.split("\n").length > LONG;
  return (
    <div>
      <p
        className={`font-serif text-base leading-relaxed whitespace-pre-wrap break-words ${whole || !long ? "" : "line-clamp-[12]"}`}
        dir="auto"
        data-part="text"
      >
        {text}
      </p>
      {long && (
        <button type="button" className="link text-sm" onClick={() => setWhole(!whole)}>
          {whole ? "less" : "the whole text"}
        </button>
      )}
    </div>
  );
}

const NEAR = 4;

/** What the row is like, beside the closest row to which the candidate in front answers another class. */
function Fields({ row, front }: { row: RowTold; front: Shown | undefined }) {
  const { study, split, query, called, own, setOwn } = useScope();
  const [far, setFar] = useState(false);
  const [which, setWhich] = useState(0);
  const {
    id,
    truth,
    split: named,
    show,
  } = study.mapping as Record<"id" | "truth" | "split", string | undefined> & {
    show?: Record<string, unknown>;
  };
  const embedded = [show?.embedding ?? []].flat().length > 0;
  const by = embedded && own.near === "embedding" ? "embedding" : "fields";
  const asked = useNearest(
    study.id,
    far && front ? { row: row.row, split, cutoffs: query, candidate: front.position, count: 5, by } : null,
  );
  useKeys({ f: () => (far ? setWhich((k) => (k + 1) % Math.max(1, asked.data?.rows.length ?? 1)) : setFar(true)) });
  const other = asked.data?.rows[which];
  const hidden = new Set(
    [id, truth, named, ...Object.values(show ?? {}).flat()].filter((x): x is string => typeof x === "string"),
  );
  const names = Object.keys(row.fields).filter((name) => !hidden.has(name));
  const reasons = typeof show?.reason === "string" ? show.reason : null;
  const parts = other?.parts ?? {};
  const whole = Object.values(parts).reduce((a, b) => a + b, 0) || 1;
  const differing = names.filter((name) => (parts[name] ?? 0) > 0).sort((a, b) => (parts[b] ?? 0) - (parts[a] ?? 0));
  const listed = other ? differing : names;
  const same = other ? names.filter((name) => name in parts && !differing.includes(name)) : [];
  return (
    <section aria-label="Fields" className="text-sm">
      {reasons && row.fields[reasons] && <p className="font-serif italic">“{row.fields[reasons]}”</p>}
      <p className="flex items-baseline gap-2 border-b border-ink pb-0.5 flex-wrap">
        {front && !far && (
          <button type="button" className="link" onClick={() => setFar(true)}>
            the closest row that {front.letter} answers otherwise <span className="kbd">f</span>
          </button>
        )}
        {far && asked.isLoading && <span className="text-soft">looking among the rows …</span>}
        {other && front && (
          <>
            <b className="font-semibold">
              Closest row that <Tile position={front.position} letter={front.letter} /> answers otherwise:{" "}
              {(id && other.row.fields[id]) || `row ${count(other.row.row)}`}
            </b>
            <span className="text-soft">
              actual {called(other.row.actual)}
              {typeof scoreOf(other.row, front) === "number" && `, score ${asSet(scoreOf(other.row, front) ?? 0)}`}
              {`, distance ${shown(other.distance)}`}
            </span>
            {(asked.data?.rows.length ?? 0) > 1 && (
              <button
                type="button"
                className="link"
                onClick={() => setWhich((which + 1) % (asked.data?.rows.length ?? 1))}
              >
                the next closest <span className="kbd">f</span>
              </button>
            )}
          </>
        )}
        {far && embedded && (
          <button
            type="button"
            className="link"
            onClick={() => setOwn({ near: by === "embedding" ? null : "embedding" })}
          >
            {by === "embedding" ? "close by fields instead" : "close by the embedding instead"}
          </button>
        )}
        {far && asked.data?.rows.length === 0 && <span className="text-soft">No row is answered otherwise.</span>}
      </p>
      <Fault error={asked.error} />
      <dl className={`grid gap-x-4 ${other ? "grid-cols-[auto_1fr_1fr_auto]" : "grid-cols-[auto_1fr]"}`}>
        {listed.map((name) => (
          <div key={name} className="contents" data-field={name}>
            <dt className="text-soft py-0.5 border-b border-light truncate max-w-48">{name}</dt>
            <dd className="font-semibold py-0.5 border-b border-light break-words">
              {row.fields[name] ?? <i className="font-normal text-soft">absent</i>}
            </dd>
            {other && (
              <>
                <dd className="py-0.5 border-b border-light break-words">
                  {other.row.fields[name] ?? <i className="text-soft">absent</i>}
                </dd>
                <dd className="text-soft text-right py-0.5 border-b border-light tabular-nums">
                  {((100 * (parts[name] ?? 0)) / whole).toFixed(0)} % of it
                </dd>
              </>
            )}
          </div>
        ))}
      </dl>
      {same.length > 0 && (
        <p className="text-soft mt-1">
          The same in both:{" "}
          {same
            .slice(0, 3 * NEAR)
            .map((name) => `${name} ${row.fields[name] ?? "absent"}`)
            .join(", ")}
          {same.length > 3 * NEAR && ` and ${several(same.length - 3 * NEAR, "more field")}`}.
        </p>
      )}
    </section>
  );
}

const scoreOf = (row: RowTold, c: Shown) => row.answers.find((a) => a.position === c.position)?.score;

/** The row's marks, by digit, and its note. */
function Marks({ row, marks, noting }: { row: RowTold; marks: string[]; noting: number }) {
  const { study, mayWrite } = useScope();
  const { mark, say } = useMarking(study.id);
  const [adding, setAdding] = useState("");
  const [text, setText] = useState(row.note?.text ?? "");
  const [pressed, setPressed] = useState(false); // m was: the next digit is a mark
  const field = useRef<HTMLTextAreaElement>(null);
  const first = useRef(noting);
  const all = [...new Set([...marks, ...USUAL])].slice(0, 9);
  const on = new Set(row.marks.map((m) => m.mark));
  const put = (name: string) => mark.mutate({ row: row.row, mark: name, on: !on.has(name) });
  useEffect(() => {
    if (noting !== first.current) field.current?.focus();
  }, [noting]);
  useEffect(() => {
    if (!pressed || !mayWrite) return;
    const take = (event: KeyboardEvent) => {
      setPressed(false);
      const name = all[Number(event.key) - 1];
      if (!name) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      put(name);
    };
    window.addEventListener("keydown", take, { capture: true, once: true });
    return () => window.removeEventListener("keydown", take, { capture: true });
  });
  useKeys({ m: () => setPressed(true) });
  return (
    <section aria-label="Marks and note" className="text-sm border-t border-ink pt-2 space-y-1.5">
      <p className="flex items-baseline gap-1.5 flex-wrap">
        <span className="text-soft">marks</span>
        {all.map((name, i) => (
          <Button
            key={name}
            kind={on.has(name) ? "strong" : undefined}
            className="text-sm"
            aria-pressed={on.has(name)}
            disabled={!mayWrite || mark.isPending}
            onClick={() => put(name)}
          >
            <span className={`kbd ${pressed ? "border-ink" : ""}`}>{i + 1}</span> {name}
          </Button>
        ))}
        {mayWrite && (
          <form
            className="inline"
            onSubmit={(e) => {
              e.preventDefault();
              if (adding.trim()) put(adding.trim());
              setAdding("");
            }}
          >
            <input
              className="border border-rule bg-sheet rounded-md px-1.5 py-0.5 w-28"
              aria-label="Another mark"
              placeholder="another mark"
              maxLength={60}
              value={adding}
              onChange={(e) => setAdding(e.target.value)}
            />
          </form>
        )}
      </p>
      {mayWrite ? (
        <textarea
          ref={field}
          className="w-full border border-rule bg-paper rounded-md px-2 py-1 font-serif"
          aria-label="Note"
          rows={2}
          maxLength={4000}
          placeholder="a note on this row"
          value={text}
          onChange={(e) => setText(e.target.value)}
          onBlur={() => text.trim() !== (row.note?.text ?? "") && say.mutate({ row: row.row, text })}
        />
      ) : (
        row.note && <p className="font-serif">{row.note.text}</p>
      )}
      {row.note && (
        <p className="text-soft">
          {row.note.by}, {day(row.note.at)}
        </p>
      )}
      <Fault error={mark.error ?? say.error} />
    </section>
  );
}
