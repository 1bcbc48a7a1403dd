import { scaleLinear } from "d3-scale";
import { type RefObject, useRef } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { useWorst } from "../../api/queries";
import { InFront } from "../../app/InFront";
import { SaveTable } from "../../app/SaveTable";
import { type Shown, useScope, writeAddress } from "../../app/scope";
import { Ruler } from "../../charts/Ruler";
import { domainOf } from "../../charts/scales";
import { Button, Fault, Loading } from "../../parts/basics";
import { colour } from "../../parts/marks";
import { count, several, shown } from "../../parts/number";
import { ANY_WIDTH, SELECT } from "./FieldPick";

type Find = Schemas["Find"];
const LOSSES: [string, string][] = [
  ["error", "wrong rows"],
  ["log_loss", "log loss by row"],
  ["brier", "Brier loss by row"],
];
const RATES = ["recall", "precision", "specificity", "fpr", "fnr", "npv", "accuracy", "f1"];
const OF_MANY = ["accuracy", "recall", "precision", "f1"];
const [WIDE, HIGH] = [170, 30];

/** The slices that a candidate serves worst: found on the tuning rows, read on the reported ones. */
export function Worst({ metric }: { metric: string }) {
  const table = useRef<HTMLTableElement>(null);
  const { study, slice, query, results, chosen, own, setOwn, many, of, called, metric: info } = useScope();
  const front = chosen.find((c) => c.letter === own.front) ?? chosen[0];
  const rates = many ? OF_MANY : RATES;
  const [asks, measure = rates.includes(metric) ? metric : "error", depth = "2"] = (own.worst ?? "").split(":");
  const isLoss = LOSSES.some(([name]) => name === measure);
  const picked = front && results.holdout.picked_by?.includes(front.name);
  const ask = (to: { measure?: string; depth?: string }) =>
    setOwn({ worst: `yes:${to.measure ?? measure}:${to.depth ?? depth}` });
  const asked = useWorst(
    study.id,
    asks === "yes" && front && !picked
      ? {
          candidate: front.position,
          cutoffs: query,
          within: slice,
          depth: Number(depth) || 2,
          ...(isLoss ? { loss: measure } : { metric: measure }),
          ...(many && !isLoss && measure !== "accuracy" ? { of } : {}),
        }
      : null,
  );
  if (!front) return null;
  const told = asked.data;
  return (
    <section aria-label="Worst slices found" className="mt-6">
      <header className="flex items-baseline gap-x-3 gap-y-1 flex-wrap border-b border-ink pb-1 text-sm text-soft">
        <h2 className="text-lg text-ink">Worst slices found</h2>
        <span className="flex items-baseline gap-1.5">
          for <InFront of={chosen} front={front} />
        </span>
        <label className="flex items-baseline gap-1.5">
          on
          <select
            className={SELECT}
            aria-label="Searched by"
            value={measure}
            onChange={(e) => ask({ measure: e.target.value })}
          >
            {rates.map((name) => (
              <option key={name} value={name}>
                {info(name).title}
                {many && name !== "accuracy" ? ` of ${called(of)}` : ""}
              </option>
            ))}
            {LOSSES.map(([name, title]) => (
              <option key={name} value={name} disabled={name !== "error" && front.gives === "classes"}>
                {title}
              </option>
            ))}
          </select>
        </label>
        <label className="flex items-baseline gap-1.5">
          over all fields,
          <select
            className={ANY_WIDTH}
            aria-label="Fields at a time"
            value={depth}
            onChange={(e) => ask({ depth: e.target.value })}
          >
            <option value="1">one at a time</option>
            <option value="2">one and two at a time</option>
            <option value="3">up to three at a time</option>
          </select>
        </label>
        <span className="flex-1" />
        {asks !== "yes" && !picked && <Button onClick={() => ask({})}>search</Button>}
        {told && told.found.length + told.below.length > 0 && (
          <SaveTable
            figure={table}
            of={`Slices that serve ${front.name} worst, by ${told.measure}`}
            name={`worst-slices-${front.letter}-${told.measure}`}
            rows={() => numbersOf(told, front)}
          />
        )}
      </header>
      {picked && (
        <p className="text-soft mt-1">
          These rows were picked by answers of {front.name}: none of its slices can be told as worse on them.
        </p>
      )}
      <Fault error={asked.error} again={() => void asked.refetch()} />
      {asked.isFetching && !told && <Loading what="Looking at slices" />}
      {told && <Finds told={told} front={front} table={table} />}
    </section>
  );
}

function Finds({
  told,
  front,
  table,
}: {
  told: Schemas["WorstResult"];
  front: Shown;
  table: RefObject<HTMLTableElement | null>;
}) {
  const all = [...told.found, ...told.below];
  const domain = domainOf([0, ...all.flatMap((f) => [f.effect.low, f.effect.high, f.confirmed.low, f.confirmed.high])]);
  if (!domain || told.looked_at === 0)
    return <p className="text-soft mt-1">No slice is large enough to be looked at: {count(told.looked_at)} were.</p>;
  const x = scaleLinear(domain, [6, WIDE - 6]).clamp(true);
  const head = (
    <tr className="text-soft text-left align-bottom">
      <th className="font-normal py-1 pr-3">slice</th>
      <th className="font-normal px-2 text-right">rows, {told.read_on}</th>
      <th className="font-normal px-2">
        <svg width={WIDE} height={20} aria-hidden="true">
          <Ruler scale={x} side="top" at={14} ticks={4} text={(v) => String(Number(v.toPrecision(4)))} />
        </svg>
      </th>
      <th className="font-normal px-2 text-right">less the rest</th>
      <th className="font-normal px-2">interval</th>
      <th
        className="font-normal px-2 text-right"
        title="the share of false ones among all that are listed as far as here"
      >
        q, {told.searched_on}
      </th>
      <th />
    </tr>
  );
  return (
    <>
      <div className="overflow-x-auto relative">
        <table ref={table} className="w-full text-sm tabular-nums" data-part="worst">
          <thead>{head}</thead>
          <tbody>
            {told.found.map((f) => (
              <Line key={f.condition} f={f} x={x} front={front} survives />
            ))}
            <tr className="border-t border-b border-ink">
              <td colSpan={7} className="font-serif italic text-soft py-1" data-part="waterline">
                {told.found.length === 0 ? "Nothing survives" : "Below this line nothing survives"} correction for the{" "}
                {several(told.looked_at, "slice")} looked at.
              </td>
            </tr>
            {told.below.map((f) => (
              <Line key={f.condition} f={f} x={x} front={front} />
            ))}
          </tbody>
        </table>
      </div>
      <p className="text-sm text-soft font-serif italic mt-1 max-w-[95ch]">
        Pale: as found on {told.searched_on}. In colour: the same rows of {told.read_on}; filled where it is confirmed
        there, after correction for the finds.{" "}
        {told.halved && "There is no tuning split: one half is searched, the other read. "}
        {told.approximate && "Rows have weights or belong together: the tests are approximate. "}
        What says the same of nearly the same rows is folded under the first.
      </p>
    </>
  );
}

type LineProps = { f: Find; x: ReturnType<typeof scaleLinear<number, number>>; front: Shown; survives?: boolean };

function Line({ f, x, front, survives = false }: LineProps) {
  const scope = useScope();
  const { effect, confirmed } = f;
  const held = confirmed.status === "confirmed";
  const folded = f.folded?.list ?? [];
  const sharper = f.sharper ?? [];
  const rows = writeAddress({ ...scope, own: { q: f.condition, front: front.letter } }, scope.study).toString();
  const mark = (
    low: number | null,
    value: number | null,
    high: number | null,
    y: number,
    color: string,
    full: boolean,
  ) =>
    low === null || value === null || high === null ? null : (
      <>
        <line x1={x(low)} x2={x(high)} y1={y} y2={y} stroke={color} strokeWidth={1.8} />
        <circle
          cx={x(value)}
          cy={y}
          r={3}
          fill={full ? color : "var(--color-paper)"}
          stroke={color}
          strokeWidth={1.6}
        />
      </>
    );
  return (
    <tr
      className={`border-t border-light align-top ${survives ? "" : "text-soft"}`}
      data-find={f.condition}
      data-status={confirmed.status}
    >
      <th scope="row" className="font-normal text-left py-1 pr-3 min-w-48">
        {f.conditions.map((one, i) => (
          <span key={one}>
            {i > 0 && <span className="text-soft"> and </span>}
            <span className="font-semibold">{one}</span>
          </span>
        ))}
        {(folded.length > 0 || sharper.length > 0) && (
          <details className="text-xs text-soft">
            <summary className="cursor-pointer">
              {folded.length > 0 &&
                `${several(folded.length, "more")} of nearly the same rows`.replace("mores", "more")}
              {folded.length > 0 && sharper.length > 0 && ", "}
              {sharper.length > 0 && `${count(sharper.length)} sharper within it`}
            </summary>
            {[...folded, ...sharper.map((one) => `sharper: ${one}`)].slice(0, 20).map((one) => (
              <span key={one} className="block">
                {one}
              </span>
            ))}
            {folded.length + sharper.length > 20 && <span>and {count(folded.length + sharper.length - 20)} more</span>}
          </details>
        )}
      </th>
      <td className="px-2 py-1 text-right">{count(confirmed.rows)}</td>
      <td className="px-2">
        <svg width={WIDE} height={HIGH} role="img" aria-label={`${shown(confirmed.difference)} less the rest`}>
          <line x1={x(0)} x2={x(0)} y1={0} y2={HIGH} stroke="var(--color-ink)" />
          {mark(effect.low, effect.difference, effect.high, 8, "var(--color-faint)", false)}
          {mark(confirmed.low, confirmed.difference, confirmed.high, 20, colour(front.position), held)}
        </svg>
      </td>
      <td className={`px-2 py-1 text-right ${held ? "font-semibold" : ""}`} data-difference="">
        {confirmed.difference !== null && confirmed.difference > 0 ? "+" : ""}
        {shown(confirmed.difference)}
      </td>
      <td className="px-2 py-1 whitespace-nowrap">
        {confirmed.low !== null ? `${shown(confirmed.low)} to ${shown(confirmed.high)}` : "—"}
        {confirmed.status === "too_few" && <span className="block text-xs">too few rows</span>}
        {survives && confirmed.status === "not_confirmed" && <span className="block text-xs">not confirmed</span>}
      </td>
      <td className="px-2 py-1 text-right whitespace-nowrap">
        {(effect.p_bh ?? 1) < 0.001 ? "< 0.001" : shown(effect.p_bh)}
      </td>
      <td className="px-2 py-1 whitespace-nowrap">
        <Link className="link" to={{ pathname: `/studies/${scope.study.id}/casebook`, search: rows }}>
          rows
        </Link>
      </td>
    </tr>
  );
}

function numbersOf(told: Schemas["WorstResult"], front: Shown) {
  return [
    [
      "candidate",
      "searched by",
      "slice",
      "survives",
      "rows searched",
      "difference",
      "low",
      "high",
      "p",
      "q",
      "rows read",
      "difference read",
      "low read",
      "high read",
      "p read",
      "p adjusted read",
      "status",
    ],
    ...[...told.found.map((f) => [f, true] as const), ...told.below.map((f) => [f, false] as const)].map(([f, yes]) => [
      front.name,
      told.measure,
      f.condition,
      yes ? "yes" : "no",
      f.rows,
      f.effect.difference,
      f.effect.low,
      f.effect.high,
      f.effect.p,
      f.effect.p_bh ?? null,
      f.confirmed.rows,
      f.confirmed.difference,
      f.confirmed.low,
      f.confirmed.high,
      f.confirmed.p,
      f.confirmed.p_holm,
      f.confirmed.status,
    ]),
  ];
}
