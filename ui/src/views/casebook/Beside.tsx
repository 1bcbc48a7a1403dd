import { useRef, useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import type { Mapped } from "../../api/mapped";
import { useMarking } from "../../api/queries";
import { SaveTable } from "../../app/SaveTable";
import { type Shown, useScope, writeAddress } from "../../app/scope";
import { Button, Fault } from "../../parts/basics";
import { count, several, shown } from "../../parts/number";
import type { Seen, worstPlaces } from "./place";

const OF_TWO = ["accuracy", "recall", "precision", "fpr"];

/** A value of a field, as it is. */
const plainly = (v: number | null) => (v === null ? "–" : String(Number(v.toPrecision(4))).replace("-", "−"));

type SuggestedProps = { places: ReturnType<typeof worstPlaces>; onOpen: (at: Seen) => void; front: Shown | undefined };

/** Places where errors gather, where no line is drawn. */
export function Suggested({ places, onOpen, front }: SuggestedProps) {
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
export function Inside({ told, late, error, rows, mayWrite, onClear, onRead }: InsideProps) {
  const scope = useScope();
  const { study, chosen, many, metric } = scope;
  const { markAll } = useMarking(study.id);
  const [name, setName] = useState("");
  const [kept, setKept] = useState("");
  const names = many ? ["accuracy"] : OF_TWO;
  const table = useRef<HTMLDivElement>(null);
  const numbers = () =>
    told
      ? [
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
        ]
      : [];
  return (
    <>
      <p className="flex items-baseline gap-3 border-b border-ink pb-1">
        <b className="text-base font-semibold" data-part="inside">
          {several(rows.length, "row")} inside
        </b>
        <span className="flex-1" />
        <SaveTable
          figure={table}
          of={`${several(rows.length, "row")} inside the line, against the others`}
          name="inside-the-line"
          rows={numbers}
          disabled={!told || late}
        />
        <button type="button" className="link text-soft" onClick={onClear}>
          let go
        </button>
      </p>
      <Fault error={error} />
      {told && (
        <div ref={table} className={late ? "opacity-40" : ""}>
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

/** What the marks say. */
export function Legend({ m, show, called }: { m: Mapped; show: string; called: (label: string) => string }) {
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
