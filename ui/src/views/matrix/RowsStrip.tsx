import { useEffect, useRef } from "react";
import { Link } from "react-router";
import { useRows } from "../../api/queries";
import { InFront } from "../../app/InFront";
import { Picture } from "../../app/Picture";
import { type Shown, useScope, writeAddress } from "../../app/scope";
import { Fault, PENDING, Tile } from "../../parts/basics";
import { quoted } from "../../parts/conditions";
import { count, shown } from "../../parts/number";
import type { Face, Rows } from "./Rungs";

const MOST = 12;
const FIRST = 2; // fields of a row that has neither text nor picture

/** Which rows an address says: 0-2, of a whole row of the matrix 0-any; the class past the last is no answer. */
export function rowsAt(text: string | undefined, classes: number): Rows | null {
  const found = /^(\d+|any)-(\d+|any)$/.exec(text ?? "");
  if (!found) return null;
  const [i, j] = found.slice(1).map((x) => (x === "any" ? null : Number(x)));
  const there = (k: number | null | undefined, most: number) => k === null || (k !== undefined && k < most);
  return there(i, classes) && there(j, classes + 1) ? [i ?? null, j ?? null] : null;
}

/** The rows of the cell that has the focus, or those behind a number: what they say, how sure the candidate in front
 * was, what others predicted. */
export function RowsStrip({ faces, at, onClose }: { faces: Face[]; at: Rows; onClose: () => void }) {
  const scope = useScope();
  const { study, split, slice, query, results, called, own, pending } = scope;
  const { classes } = results.holdout;
  const [i, j] = at;
  const actual = i === null ? null : (classes[i] ?? "");
  const predicted = j === null ? null : (classes[j] ?? "");
  const strip = useRef<HTMLElement>(null);
  const front = faces.find((f) => f.c.letter === own.front) ?? faces[0];
  const scored = front?.c.shownCutoff != null;
  const asked = useRows(
    study.id,
    front && {
      split,
      within: slice,
      cutoffs: query,
      ...(actual === null ? {} : { actual }),
      ...(predicted === null ? {} : { predicted }),
      candidate: front.c.position,
      count: MOST,
      ...(scored ? { sort: "score", down: predicted === results.holdout.positive } : {}),
    },
  );
  const there = asked.data !== undefined;
  useEffect(() => {
    if (there) strip.current?.scrollIntoView({ block: "nearest" });
  }, [there]);
  if (!front) return null;
  const clauses = [
    actual === null ? "" : `actual = ${quoted(called(actual))}`,
    predicted === null
      ? ""
      : predicted
        ? `predicted(${front.c.letter}) = ${quoted(called(predicted))}`
        : `predicted(${front.c.letter}) is absent`,
  ].filter((x) => x);
  const behind = { front: front.c.letter, ...(clauses.length > 0 ? { q: clauses.join(" and ") } : {}) };
  const whole = writeAddress({ ...scope, own: behind }, study).toString();
  const stale = asked.isPlaceholderData || pending;
  const inside = (f: Face) =>
    total(f.cells.flatMap((row, y) => (i === null || i === y ? row.filter((_, x) => j === null || j === x) : [])));
  const of = total(i === null ? front.cells.flat() : (front.cells[i] ?? []));
  const what = predicted === null ? "" : predicted ? `predicted ${called(predicted)}` : "no answer";
  const heading = [actual === null ? "" : `actual ${called(actual)}`, what].filter((x) => x).join(", ") || "all rows";
  return (
    <section
      ref={strip}
      aria-label="Rows of the cell"
      className="border-t border-ink mt-3 pt-1.5"
      data-part="rows-strip"
    >
      <header className="flex items-baseline gap-3 flex-wrap text-sm text-soft">
        <h2 className="text-lg text-ink">{heading.charAt(0).toUpperCase() + heading.slice(1)}</h2>
        {faces.map((f) => (
          <span key={f.c.position} className="flex items-center gap-1 text-ink">
            <Tile position={f.c.position} letter={f.c.letter} />
            {pending ? PENDING : count(inside(f))}
          </span>
        ))}
        <span>of {pending ? PENDING : count(of)}</span>
        {faces.length > 1 && (
          <span className="flex items-baseline gap-1.5">
            rows of <InFront of={faces.map((f) => f.c)} front={front.c} />
          </span>
        )}
        <span className="flex-1" />
        <Link className="link" to={{ pathname: `/studies/${study.id}/casebook`, search: whole }}>
          all in the Casebook
        </Link>
        <button type="button" className="link" onClick={onClose}>
          close
        </button>
      </header>
      <Fault error={asked.error} again={() => void asked.refetch()} />
      {asked.data && (
        <>
          <ol className={`flex gap-2 overflow-x-auto py-1.5 ${stale ? "opacity-40" : ""}`} aria-busy={stale}>
            {asked.data.rows.map((row) => (
              <Row key={row.row} row={row} front={front.c} faces={faces} />
            ))}
          </ol>
          <p className="text-sm text-soft font-serif italic" data-total={asked.data.total}>
            {asked.data.total === 0
              ? "No row stands here."
              : asked.data.total > MOST
                ? `The first ${MOST} of ${count(asked.data.total)} rows${scored ? ", surest first" : ""}.`
                : `All ${count(asked.data.total)} rows.`}
          </p>
        </>
      )}
    </section>
  );
}

const total = (numbers: number[]) => numbers.reduce((a, b) => a + b, 0);

type Told = NonNullable<ReturnType<typeof useRows>["data"]>["rows"][number];

function Row({ row, front, faces }: { row: Told; front: Shown; faces: Face[] }) {
  const { study, called } = useScope();
  const { id, show } = study.mapping as { id?: string; show?: { text?: string; picture?: string } };
  const answer = row.answers.find((a) => a.position === front.position);
  const sure = answer?.score ?? (answer?.predicted ? answer.probabilities?.[answer.predicted] : null) ?? null;
  const text = show?.text ? row.fields[show.text] : null;
  const picture = show?.picture ? row.fields[show.picture] : null;
  const said = Object.entries(row.fields).filter(([name, value]) => value !== null && name !== id);
  const others = faces.filter((f) => f.c !== front);
  return (
    <li className="border border-light bg-sheet rounded-[4px] px-2 py-1 text-sm leading-snug w-40 shrink-0">
      <b className="font-semibold block truncate" title={(id && row.fields[id]) || undefined}>
        {(id && row.fields[id]) || `row ${count(row.row)}`}
      </b>
      {sure !== null && <span className="block text-soft">{shown(sure)}</span>}
      {picture && <Picture name={picture} />}
      {!text && !picture && (
        <span className="block text-xs text-soft">
          {said.slice(0, FIRST).map(([name, value]) => (
            <span key={name} className="block truncate" title={`${name}: ${value}`}>
              {name} <span className="text-ink">{value}</span>
            </span>
          ))}
        </span>
      )}
      {text && (
        <span className="block font-serif line-clamp-4" dir="auto">
          {text}
        </span>
      )}
      {others.map((f) => {
        const said = row.answers.find((a) => a.position === f.c.position)?.predicted ?? null;
        return (
          <span
            key={f.c.position}
            className={`flex items-center gap-1 text-xs mt-0.5 ${said === row.actual ? "text-soft" : "text-scarlet"}`}
          >
            <Tile position={f.c.position} letter={f.c.letter} />
            <span className="truncate" title={said === null ? "no answer" : called(said)}>
              {said === null ? "no answer" : called(said)}
            </span>
          </span>
        );
      })}
    </li>
  );
}
