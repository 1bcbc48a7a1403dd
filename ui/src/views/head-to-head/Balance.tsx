import { useRef, useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { SaveTable } from "../../app/SaveTable";
import { type Shown, useScope, writeAddress } from "../../app/scope";
import { PENDING } from "../../parts/basics";
import { quoted } from "../../parts/conditions";
import { colour } from "../../parts/marks";
import { count, pShown, several, shown } from "../../parts/number";
import { newerOf } from "./Level";

type Told = Schemas["DisagreementResult"];
const MOST = 8; // classes that stand before the others are asked for

/** Who is right where they differ: of each class, and of all. */
export function Balance({ a, b, told, late }: { a: Shown; b: Shown; told: Told; late: boolean }) {
  const scope = useScope();
  const table = useRef<HTMLDivElement>(null);
  const { called, split, study } = scope;
  const rows = (clauses: string[]) => ({
    pathname: `/studies/${study.id}/casebook`,
    search: writeAddress({ ...scope, own: { q: clauses.join(" and "), front: a.letter } }, study).toString(),
  });
  const most = Math.max(1, ...Object.values(told.by_class).map((n) => Math.max(n.only_a, n.only_b)));
  const all = told.only_a_share;
  const [whole, setWhole] = useState(false);
  const every = Object.entries(told.by_class);
  const differing = [...every].sort(([, p], [, q]) => q.only_a + q.only_b - p.only_a - p.only_b);
  const shownClasses = whole || every.length <= MOST ? every : differing.slice(0, MOST);
  const newer = newerOf(a, b);
  return (
    <section aria-label="Who is right where they disagree" className="text-sm">
      <h2 className="text-lg border-b border-ink pb-0.5 flex items-baseline gap-3">
        <span className="flex-1">Who is right where they disagree</span>
        <SaveTable
          figure={table}
          of={`Who is right where ${a.name} and ${b.name} disagree`}
          name={`right-${a.letter}-${b.letter}-${split}`}
          rows={() => numbersOf(told, called, [a, b])}
          disabled={late}
        />
      </h2>
      <div ref={table}>
        {shownClasses.map(([label, n]) => {
          const of = [`actual = ${quoted(called(label))}`];
          const right = (c: Shown, yes: boolean) => `${yes ? "" : "not "}right(${c.letter})`;
          return (
            <div key={label} className="py-1.5 border-b border-light" data-balance={label}>
              <p>
                <b className="font-semibold">{called(label)}</b>: both right{" "}
                <Link className="link" to={rows([...of, right(a, true), right(b, true)])}>
                  {late ? PENDING : count(n.both_right)}
                </Link>
                , neither{" "}
                <Link className="link" to={rows([...of, right(a, false), right(b, false)])}>
                  {late ? PENDING : count(n.both_wrong_alike + n.both_wrong_otherwise)}
                </Link>
                {n.both_wrong_otherwise > 0 && ` (${count(n.both_wrong_otherwise)} of them each in its own way)`}
                {n.no_answer > 0 && `, ${count(n.no_answer)} not answered by both`}
              </p>
              <div className="grid grid-cols-2 h-5 text-xs font-semibold mt-0.5 text-sheet">
                {(
                  [
                    [a, n.only_a, "justify-end", [right(a, true), right(b, false)]],
                    [b, n.only_b, "", [right(a, false), right(b, true)]],
                  ] as const
                ).map(([c, k, side, clauses], i) => (
                  <span key={c.position} className={`flex ${side} ${i === 0 ? "border-r border-ink" : ""}`}>
                    <Link
                      to={rows([...of, ...clauses])}
                      className={`flex items-center px-1 min-w-fit ${side}`}
                      style={{ width: `${(100 * k) / most}%`, background: colour(c.position) }}
                      title={`only ${c.name} is right about ${count(k)}`}
                      data-only={c.letter}
                    >
                      {late ? PENDING : count(k)}
                    </Link>
                  </span>
                ))}
              </div>
              {n.only_a_share.p != null && !late && (
                <p className="text-xs text-soft text-center">
                  a fair coin leans this far in {pShown(n.only_a_share.p)} of cases
                </p>
              )}
            </div>
          );
        })}
      </div>
      {every.length > MOST && (
        <button type="button" className="link mt-1" onClick={() => setWhole(!whole)}>
          {whole
            ? `the ${count(MOST)} that differ most`
            : `and ${several(every.length - MOST, "more class", "more classes")}, which differ less`}
        </button>
      )}
      {newer && !late && (
        <Mended newer={newer} older={newer === a ? b : a} told={told} turned={newer !== a} rows={rows} />
      )}
      <p className="mt-1">
        {all.value === null
          ? `Over all rows ${all.why}.`
          : late
            ? PENDING
            : `Of the rows that one alone is right about, ${a.letter} has ${shown(all.value)}${all.low == null ? "" : ` (${shown(all.low)} to ${shown(all.high)})`}.`}{" "}
        {!late && told.kappa.value !== null && `Kappa of the two answers ${shown(told.kappa.value)}`}
        {!late && told.kappa.low != null && ` (${shown(told.kappa.low)} to ${shown(told.kappa.high)})`}
        {!late && told.spearman?.value != null && `; rank correlation of the scores ${shown(told.spearman.value)}`}
      </p>
    </section>
  );
}

const numbersOf = (told: Told, called: (label: string) => string, [a, b]: [Shown, Shown]) => [
  [
    "actual",
    "both right",
    `only ${a.name}`,
    `only ${b.name}`,
    "both wrong alike",
    "both wrong otherwise",
    "no answer",
    "p",
  ],
  ...Object.entries(told.by_class).map(([label, n]) => [
    called(label),
    n.both_right,
    n.only_a,
    n.only_b,
    n.both_wrong_alike,
    n.both_wrong_otherwise,
    n.no_answer,
    n.only_a_share.p ?? null,
  ]),
];

type MendedProps = {
  newer: Shown;
  older: Shown;
  told: Told;
  turned: boolean;
  rows: (clauses: string[]) => { pathname: string; search: string };
};

/** Of a newer version which rows it gets right that the older did not, and the other way round. */
function Mended({ newer, older, told, turned, rows }: MendedProps) {
  const [mended, broken] = turned ? [told.only_b, told.only_a] : [told.only_a, told.only_b];
  const net = mended - broken;
  return (
    <p className="mt-1" data-part="mended">
      {newer.letter} is the newer version:{" "}
      <Link className="link" to={rows([`right(${newer.letter})`, `not right(${older.letter})`])}>
        {several(mended, "row")}
      </Link>{" "}
      mended,{" "}
      <Link className="link" to={rows([`not right(${newer.letter})`, `right(${older.letter})`])}>
        {count(broken)}
      </Link>{" "}
      broken, net {net > 0 ? "+" : ""}
      {count(net)}.
    </p>
  );
}
