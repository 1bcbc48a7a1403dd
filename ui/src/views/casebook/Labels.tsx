import { scaleLinear } from "d3-scale";
import type { ReactNode } from "react";
import { type RefObject, useRef } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { useMarking, useMarks, useParts } from "../../api/queries";
import { SaveTable } from "../../app/SaveTable";
import { type Shown, useScope, writeAddress } from "../../app/scope";
import { Ruler } from "../../charts/Ruler";
import { SaveMenu } from "../../charts/SaveMenu";
import { domainOf } from "../../charts/scales";
import { Fault, Loading, PENDING, Tile, ViewHead } from "../../parts/basics";
import { Choice } from "../../parts/Choice";
import { colour } from "../../parts/marks";
import { NumberField } from "../../parts/NumberField";
import { count, named, several, shown } from "../../parts/number";

type Doubt = Schemas["DoubtResult"];
const SELECT = "border border-rule bg-sheet rounded-md px-1.5 py-0.5 text-ink max-w-48";
const MOST = 200;
const [WIDE, HIGH] = [190, 22];
const TWO = [
  "recall",
  "precision",
  "f1",
  "accuracy",
  "balanced_accuracy",
  "mcc",
  "roc_auc",
  "average_precision",
  "log_loss",
];
const MANY = ["accuracy", "balanced_accuracy", "mcc", "kappa", "log_loss", "brier"];
/** The mark that is put on a row from here. */
const MARK = "label in doubt";

/** Labels that may be wrong: where candidates that know the classes agree against the label, and what would follow. */
export function Labels({ choose }: { choose: ReactNode }) {
  const { study, results, query, slice, own, setOwn, pending } = useScope();
  const marks = useMarks(study.id).data?.marks ?? {};
  const how = own.how === "dropped" ? "dropped" : "flipped";
  const most = Math.max(0, Math.floor(Number(own.wrong ?? 0)) || 0);
  const mark = own.of !== undefined && own.of in marks ? own.of : "";
  const split = results.holdout.report_on;
  const asked = useParts(study.id, {
    kinds: ["doubt"],
    split: "",
    cutoffs: query,
    within: slice,
    how,
    at_most: most,
    ...(mark ? { mark } : {}),
  });
  const told = asked.data?.doubt;
  const late = pending || asked.isPlaceholderData;
  return (
    <>
      <ViewHead title="Casebook" note={`labels of ${split === "all" ? "the rows" : `the ${split} rows`}`} />
      {choose}
      <p
        className="font-serif text-lg leading-snug border-l-[3px] border-ink pl-3 my-3 min-h-[2lh]"
        data-part="sentence"
      >
        {told && !late ? said(told) : PENDING}
      </p>
      <Fault error={asked.error} again={() => void asked.refetch()} />
      {!told && !asked.error && <Loading what="Asking the candidates about the labels" />}
      {told && (
        <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1.25fr)] gap-6 items-start">
          <Listed told={told} />
          <section aria-label="If labels are wrong">
            <p className="flex items-baseline gap-x-3 gap-y-1 flex-wrap text-sm text-soft border-b border-ink pb-1">
              <b className="font-semibold text-ink text-base">If labels are wrong</b>
              <span className="flex items-baseline gap-1.5">
                at most
                <NumberField
                  label="How many labels are wrong at most"
                  value={told.at_most || null}
                  optional
                  allowed={(v) => Number.isInteger(v) && v >= 1}
                  onSet={(to) => setOwn({ wrong: to === null ? null : String(to) })}
                />
                of
              </span>
              <select
                className={SELECT}
                aria-label="Which rows may be wrong"
                value={mark}
                onChange={(e) => setOwn({ of: e.target.value || null })}
              >
                <option value="">{count(told.of === "listed" ? told.doubted : told.listed.length)} listed</option>
                {Object.entries(marks).map(([name, n]) => (
                  <option key={name} value={name}>
                    marked “{name}” ({count(Number(n))})
                  </option>
                ))}
              </select>
              <Choice
                name="What becomes of wrong labels"
                value={how}
                options={[
                  ["flipped", "turned"],
                  ["dropped", "rows dropped"],
                ]}
                onChange={(to) => setOwn({ how: to === "flipped" ? null : to })}
              />
            </p>
            <Bounds told={told} late={late} />
          </section>
        </div>
      )}
    </>
  );
}

function said(told: Doubt): string {
  if (!told.judges.length) return "No candidate knows the classes surely enough to judge a label.";
  const n = told.listed.length;
  const against = n === 0 ? "no label" : several(n, "label");
  const many = told.judges.length;
  const names = many > 4 ? `the ${count(many)} candidates that judge` : named(told.judges, 4);
  const speak = many === 1 ? `${names} speaks` : many === 2 ? `${names} both speak` : `Most of ${names} speak`;
  const expected = Math.round(told.expected_if_right);
  return `${speak} against ${against}; with every label right about ${count(expected)} would stand here.`;
}

/** Rows by how surely the judges speak against their label. */
function Listed({ told }: { told: Doubt }) {
  const { study, called, mayWrite } = useScope();
  const { mark } = useMarking(study.id);
  const marks = useMarks(study.id).data;
  const some = told.listed.slice(0, MOST);
  const rows = () => [
    ["id", "row", "label", "other", "evidence"],
    ...told.listed.map((one) => [one.id, one.row + 1, one.label, one.other, one.evidence.mean]),
  ];
  return (
    <section aria-label="Suspect labels">
      <p className="flex items-baseline gap-3 text-sm text-soft border-b border-ink pb-1">
        <b className="font-semibold text-ink text-base">{several(told.listed.length, "label")}</b>
        <span>in doubt</span>
        <span className="flex-1" />
        {some.length > 0 && <SaveMenu name="suspect-labels" rows={rows} />}
      </p>
      <section className="max-h-[34rem] overflow-y-auto" data-part="listed" aria-label="Rows in doubt">
        <table className="w-full text-sm tabular-nums">
          <thead>
            <tr className="text-soft text-left">
              <th className="font-normal py-1 pr-2">row</th>
              <th className="font-normal px-2">label</th>
              <th className="font-normal px-2">taken for</th>
              <th className="font-normal px-2 text-right" title="how many times likelier, as the mean of the judges">
                likelier by
              </th>
              <td />
            </tr>
          </thead>
          <tbody>
            {some.map((one, i) => (
              <Row
                key={one.row}
                one={one}
                line={i === told.beyond}
                label={called(one.label)}
                other={called(one.other)}
                onMark={mayWrite && marks ? () => mark.mutate({ row: one.row + 1, mark: MARK, on: true }) : undefined}
                busy={mark.isPending}
              />
            ))}
          </tbody>
        </table>
      </section>
      {told.listed.length > MOST && (
        <p className="text-xs text-soft mt-1">and {several(told.listed.length - MOST, "more row")}, in the CSV</p>
      )}
      <p className="text-sm text-soft font-serif italic mt-1">
        A row stands here where more than half of those that judge predict one other class, and find it likelier than
        the label.{" "}
        {Object.keys(told.not_judges).length > 0 &&
          `${named(Object.keys(told.not_judges), 3)} ${Object.keys(told.not_judges).length === 1 ? "does" : "do"} not judge: ${Object.values(told.not_judges)[0]}.`}
      </p>
    </section>
  );
}

type RowProps = {
  one: Schemas["DoubtedRow"];
  line: boolean;
  label: string;
  other: string;
  onMark: (() => void) | undefined;
  busy: boolean;
};

function Row({ one, line, label, other, onMark, busy }: RowProps) {
  const scope = useScope();
  const { study, own } = scope;
  const id = (study.mapping as { id?: string }).id;
  const condition = id ? `${id} = ${JSON.stringify(one.id)}` : "";
  const to = condition ? `?${writeAddress({ ...scope, own: { ...own, read: "rows", q: condition } }, study)}` : null;
  return (
    <>
      {line && (
        <tr className="border-y border-ink">
          <td colSpan={5} className="font-serif italic text-soft py-1" data-part="waterline">
            From here on are as many as would stand here with every label right.
          </td>
        </tr>
      )}
      <tr className="border-b border-light" data-doubted={one.id}>
        <td className="py-0.5 pr-2">
          {to ? (
            <Link className="link" to={to}>
              {one.id}
            </Link>
          ) : (
            one.id
          )}
        </td>
        <td className="px-2">{label}</td>
        <td className="px-2">{other}</td>
        <td className="px-2 text-right">{times(one.evidence.times)}</td>
        <td className="pl-2 text-right">
          {onMark && (
            <button type="button" className="link" disabled={busy} aria-label={`Mark ${one.id}`} onClick={onMark}>
              mark
            </button>
          )}
        </td>
      </tr>
    </>
  );
}

/** A title within a sentence; an abbreviation stays as it is. */
const lower = (title: string) => (/^[A-Z][a-z]/.test(title) ? title.charAt(0).toLowerCase() + title.slice(1) : title);

/** So many times. */
const times = (t: number) => `${t >= 100 ? count(Math.round(t)) : t.toPrecision(2)}×`;

/** How far each metric could move: a frame round each value, and who could lead then. */
function Bounds({ told, late }: { told: Doubt; late: boolean }) {
  const table = useRef<HTMLTableElement>(null);
  const { chosen, many, metric, own, setOwn } = useScope();
  const names = (many ? MANY : TWO).filter((name) => chosen.some((c) => told.candidates[c.name]?.[name]));
  const name = names.find((n) => n === own.metric) ?? names[0];
  if (told.doubted === 0) return <p className="text-soft mt-2">No label is in doubt, so none of this could move.</p>;
  if (!name)
    return (
      <p className="text-soft mt-2">{Object.values(told.left_out)[0] ?? "Nothing is told of these candidates."}</p>
    );
  const rows = () => [
    ["candidate", "metric", "value", "low", "high", "low with chance", "high with chance", "about"],
    ...Object.entries(told.candidates).flatMap(([candidate, of]) =>
      Object.entries(of).map(([m, b]) => [
        candidate,
        m,
        b.value,
        b.low,
        b.high,
        b.labels_and_chance?.low ?? null,
        b.labels_and_chance?.high ?? null,
        b.about ? "about" : "",
      ]),
    ),
  ];
  return (
    <>
      <p className="flex items-baseline gap-3 text-sm text-soft mt-1.5">
        <label className="flex items-baseline gap-1.5">
          metric
          <select
            className={SELECT}
            aria-label="Metric"
            value={name}
            onChange={(e) => setOwn({ metric: e.target.value })}
          >
            {names.map((n) => (
              <option key={n} value={n}>
                {metric(n).title}
              </option>
            ))}
          </select>
        </label>
        <span className="flex-1" />
        <SaveTable
          figure={table}
          of={`${metric(name).title} if at most ${several(told.at_most, "label")} ${told.at_most === 1 ? "is" : "are"} wrong`}
          name={`if-labels-are-wrong-${told.at_most}-${told.how}`}
          rows={rows}
          disabled={late}
        />
      </p>
      <Frames table={table} told={told} name={name} late={late} />
      <Lead told={told} name={name} late={late} />
    </>
  );
}

type Of = { told: Doubt; name: string; late: boolean };

function Frames({ table, told, name, late }: Of & { table: RefObject<HTMLTableElement | null> }) {
  const { chosen } = useScope();
  const rows = chosen.flatMap((c) => {
    const b = told.candidates[c.name]?.[name];
    return b ? [{ c, b }] : [];
  });
  const domain = domainOf(
    rows.flatMap(({ b }) => [b.low, b.high, ...(b.labels_and_chance ? Object.values(b.labels_and_chance) : [])]),
  );
  const x = domain && scaleLinear(domain, [8, WIDE - 8]).clamp(true);
  return (
    <>
      <section className="mt-1 overflow-x-auto" aria-label="How far each could move">
        <table className="w-full text-sm tabular-nums" data-part="bounds" ref={table}>
          <thead>
            <tr className="text-soft text-left align-bottom">
              <th className="font-normal py-1 pr-2">candidate</th>
              <th className="font-normal px-2 text-right">now</th>
              <th className="font-normal px-2">
                <span className="sr-only">drawn</span>
                {x && (
                  <svg width={WIDE} height={20} aria-hidden="true">
                    <Ruler scale={x} side="top" at={14} ticks={4} text={(v) => String(Number(v.toPrecision(4)))} />
                  </svg>
                )}
              </th>
              <th className="font-normal px-2">could be</th>
            </tr>
          </thead>
          <tbody>
            {rows.map(({ c, b }) => (
              <tr key={c.position} className="border-t border-light" data-bound={c.letter}>
                <td className="py-1 pr-2 max-w-20 xl:max-w-36 truncate" title={c.name}>
                  <Tile position={c.position} letter={c.letter} /> {c.name}
                </td>
                <td className="px-2 text-right">{late ? PENDING : shown(b.value)}</td>
                <td className="px-2">{x && <Frame of={b} x={x} c={c} />}</td>
                <td className="px-2 xl:whitespace-nowrap">
                  {late ? PENDING : `${shown(b.low)} to ${shown(b.high)}`}
                  {b.about && <span className="text-soft"> about</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      <p className="text-sm text-soft font-serif italic mt-1" data-part="bounds-caption">
        Dot: as the labels stand. Frame: from the least to the greatest value over every way in which at most{" "}
        {several(told.at_most, "label")} {told.at_most === 1 ? "is" : "are"} wrong.{" "}
        {rows.some(({ b }) => b.labels_and_chance) && "Line: with the interval of chance besides. "}A reading, no test.
      </p>
    </>
  );
}

function Frame({ of, x, c }: { of: Schemas["LabelBound"]; x: (v: number) => number; c: Shown }) {
  const middle = HIGH / 2;
  const ends = of.labels_and_chance;
  return (
    <svg width={WIDE} height={HIGH} aria-hidden="true" className="block">
      {ends && (
        <line x1={x(ends.low)} x2={x(ends.high)} y1={middle} y2={middle} stroke={colour(c.position)} strokeWidth={1} />
      )}
      <rect
        x={x(of.low)}
        y={middle - 6}
        width={Math.max(1.5, x(of.high) - x(of.low))}
        height={12}
        fill="var(--color-sheet)"
        stroke={colour(c.position)}
        strokeWidth={1.5}
      />
      <circle cx={x(of.value)} cy={middle} r={3.2} fill={colour(c.position)} />
    </svg>
  );
}

/** Who leads, what it would take for another to, and which ranks could change. */
function Lead({ told, name, late }: Of) {
  const { metric } = useScope();
  const lead = told.lead[name];
  if (!lead || late) return null;
  const moved = Object.entries(lead.ranks).filter(([, [best, worst]]) => best !== worst);
  const few = lead.flips_to_change !== null && lead.flips_to_change <= told.beyond;
  return (
    <div className="mt-2 text-sm max-w-[70ch]" data-part="lead">
      <p className="font-serif text-base">
        {lead.leader} leads on {lower(metric(name).title)}.{" "}
        {lead.flips_to_change === null
          ? "No way of turning the doubted labels puts another ahead."
          : `${several(lead.flips_to_change, "wrong label")} would be enough for another to.`}{" "}
        {few && <b className="font-semibold">A handful of wrong labels could change the lead.</b>}
      </p>
      {moved.length > 0 && (
        <p className="text-soft mt-1">
          {moved.map(([c, [best, worst]]) => `${c} could stand from ${best} to ${worst}`).join("; ")}.
        </p>
      )}
    </div>
  );
}
