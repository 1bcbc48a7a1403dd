import { useRef } from "react";
import { useParts } from "../../api/queries";
import { type Difference, differenceOf, Less, reported } from "../../app/Difference";
import { Drafted } from "../../app/Drafted";
import { Figure } from "../../app/Figure";
import type { Read } from "../../app/results";
import { SaveTable } from "../../app/SaveTable";
import { isPending, type MetricInfo, metricOf, type Shown, sliceNamed, useOwn, useScope } from "../../app/scope";
import { domainOf } from "../../charts/scales";
import { Whisker, WhiskerRuler } from "../../charts/Whisker";
import { Tile, ViewHead } from "../../parts/basics";
import { Choice } from "../../parts/Choice";
import { type Column, DataTable } from "../../parts/DataTable";
import { Findings } from "../../parts/Findings";
import { colour } from "../../parts/marks";
import { asSet, named, shown } from "../../parts/number";
import { Gates } from "./Gates";
import { Metrics } from "./Metrics";
import { Splits } from "./Splits";

const COSTS = [
  { key: "price_per_1000", title: "Price, 1,000 rows" },
  { key: "latency_ms", title: "ms a row" },
] as const;

/** An amount to three digits; whole under the pointer. */
function Amount({ value }: { value: number | undefined }) {
  if (value === undefined) return <span title="not noted">—</span>;
  const digits = Math.abs(value) >= 100 ? { maximumFractionDigits: 0 } : { maximumSignificantDigits: 3 };
  return <span title={String(value)}>{value.toLocaleString("en-US", digits)}</span>;
}

/** How a candidate stands on a metric: best or not separable from the best, not tested against it, or neither. */
type Standing = "edge" | "untested" | "";

export function RosterView() {
  const table = useRef<HTMLTableElement>(null);
  const scope = useScope();
  const { study, split, slice, within, chosen, baselines, results, pending, own, setOwn, query, metric: about } = scope;
  const [read, choose] = useOwn("read", READINGS);
  const [text, write] = useOwn("ends", ["drawn", "written"]);
  const wanted = own.metrics?.split(",").filter((name) => study.metrics.some((m) => m.name === name)) ?? [];
  const columns = (wanted.length > 0 ? wanted : study.headline).map(about);
  const runs = scope.all.find((c) => c.runs_now) ?? scope.all[0];
  const reference = scope.all.find((c) => c.letter === own.against) ?? runs;
  const less = read === "differences" && reported(scope) && reference ? reference : null;
  const asked = useParts(study.id, less ? { kinds: ["pairs"], split, cutoffs: query, within: slice } : null);
  const late = less !== null && (asked.isPlaceholderData || !asked.data);
  const readings = READINGS.filter((one) =>
    one === "differences"
      ? scope.all.length > 1 && reported(scope)
      : one === "splits"
        ? Object.keys(study.balance).length > 1
        : true,
  );
  const order = useRef(chosen);
  const best = results.best?.[split] ?? {};
  const compared = reported(scope) && scope.all.length > 1;
  const waits = (info: MetricInfo) => pending && info.needs === "counts";
  const standing = (info: MetricInfo, name: string): Standing => {
    const lead = best[info.name];
    if (!compared || !lead || waits(info)) return "";
    if (lead.not_tested.includes(name)) return "untested";
    const tested = scope.all.some((c) => {
      const m = metricOf(c.part, info.name);
      return c.name !== lead.leader && !lead.not_tested.includes(c.name) && m.value !== null && !m.thin;
    });
    return tested && (name === lead.leader || lead.not_separated.includes(name)) ? "edge" : "";
  };
  const edged = columns.some((info) => chosen.some((c) => standing(info, c.name) === "edge"));
  const picked = results.holdout.picked_by ?? []; // what is said of these stands beside them, and as a finding
  const lacks = (info: MetricInfo) => best[info.name]?.not_tested.some((name) => !picked.includes(name)) ?? false;
  const untested = columns.filter((info) => compared && !waits(info) && lacks(info));
  const rows = () => [
    [
      "candidate",
      "split",
      ...slice.map(() => "slice"),
      "cutoff",
      ...columns.flatMap((c) => [c.name, `${c.name}_low`, `${c.name}_high`]),
    ],
    ...[...order.current, ...(less ? [] : baselines)].map((c) => [
      c.name,
      split,
      ...slice,
      "shownCutoff" in c ? c.shownCutoff : null,
      ...columns.flatMap(({ name }) => {
        const m = less && "part" in c && "letter" in c ? numbers(c, name) : metricOf(c.part, name);
        return [m.value, m.low ?? null, m.high ?? null];
      }),
    ]),
  ];
  const numbers = (c: Shown, name: string): Difference =>
    less
      ? differenceOf(asked.data?.pairs ?? [], c, less, (pair) => pair.metrics[name], 1 - results.settings.confidence)
      : metricOf(c.part, name);
  const domains = Object.fromEntries(
    columns.map(({ name }) => {
      const found = chosen.map((c) => numbers(c, name)).flatMap((m) => [m.value, m.low, m.high]);
      const there = found.some((x) => typeof x === "number");
      return [name, domainOf(less && there ? [0, ...found] : found)];
    }),
  );
  const costs = COSTS.filter((k) => chosen.some((c) => c.result[k.key] !== undefined));
  const level = results.settings.confidence * 100;
  const told: Column<Shown>[] = [
    ...costs.map(
      (k): Column<Shown> => ({
        key: k.key,
        head: k.title,
        headClass: "text-right leading-tight max-w-[76px]",
        about: () => ({ className: "px-2 py-2 align-top text-right text-lg" }),
        cell: (c) => <Amount value={c.result[k.key]} />,
      }),
    ),
    ...columns.map(
      (info): Column<Shown> => ({
        key: info.name,
        title: info.title,
        head: (
          <>
            {info.short}
            {info.better === "lower" && <span title="lower is better"> (low)</span>}
          </>
        ),
        under: <WhiskerRuler domain={domains[info.name] ?? null} />,
        value: (c) => (isPending(c, info) ? null : numbers(c, info.name).value),
        largest: info.better !== "lower",
        about: (c) => {
          const stands = less ? "" : standing(info, c.name);
          const edge = stands === "edge" ? "border-l-ink" : "border-l-transparent";
          return { "data-standing": stands, className: `px-2 py-2 align-top border-l-[3px] ${edge}` };
        },
        cell: (c) => {
          const waiting = isPending(c, info) || (late && (!asked.data || info.needs === "counts"));
          if (less)
            return (
              <Less
                of={numbers(c, info.name)}
                own={c === less}
                waiting={waiting}
                domain={domains[info.name] ?? null}
                color={colour(c.position)}
                written={text === "written"}
              />
            );
          const m = metricOf(c.part, info.name);
          const stands = standing(info, c.name);
          return (
            <>
              <Figure
                candidate={c.result.name}
                metric={info.name}
                value={m}
                pending={waiting}
                className={`text-lg ${stands === "edge" ? "font-semibold" : ""} ${m.value === null ? "text-soft" : ""}`}
              />
              {!waiting && <Whisker of={m} domain={domains[info.name] ?? null} color={colour(c.position)} />}
              {text === "written" && !waiting && m.low != null && (
                <span className="block text-xs text-soft whitespace-nowrap">
                  {shown(m.low)} to {shown(m.high)}
                </span>
              )}
              {stands === "untested" && <span className="block text-xs text-soft">not tested</span>}
            </>
          );
        },
      }),
    ),
  ];
  return (
    <>
      <ViewHead
        title="Roster"
        note={
          <>
            {less ? `less ${less.name}, on the same rows` : "value"}, {level} % interval
            {edged && !less && " · edge: best, or not separable from the best"}
            {!reported(scope) && scope.all.length > 1 && ` · compared by test on ${study.holdout.report_on} only`} ·{" "}
            <SaveTable
              {...(read === "splits" ? {} : { figure: table })}
              of={less ? `Candidates less ${less.name}` : "Candidates"}
              name={less ? `roster-${split}-less-${less.letter}` : `roster-${split}`}
              rows={rows}
              disabled={pending || late}
            />
          </>
        }
      />
      <Drafted view="roster" />
      <div className="flex items-baseline gap-x-4 gap-y-1 flex-wrap text-sm text-soft mb-2">
        {readings.length > 1 && (
          <>
            <Choice
              name="what is read"
              value={read}
              onChange={choose}
              options={readings.map((one) => [one, TITLES[one]])}
            />
            {less && (
              <label className="flex items-baseline gap-2">
                from
                <select
                  className="border border-rule bg-sheet rounded-md px-2 py-0.5 text-ink max-w-[16rem]"
                  value={less.letter}
                  onChange={(e) => setOwn({ against: e.target.value })}
                >
                  {scope.all.map((c) => (
                    <option key={c.position} value={c.letter}>
                      {c.letter} {c.name}
                      {c.runs_now ? " (runs now)" : ""}
                    </option>
                  ))}
                </select>
              </label>
            )}
          </>
        )}
        <label className="flex items-baseline gap-1.5">
          <input
            type="checkbox"
            checked={text === "written"}
            onChange={(e) => write(e.target.checked ? "written" : "drawn")}
          />
          intervals in digits
        </label>
        <Metrics columns={columns} />
      </div>
      {read === "splits" && readings.includes("splits") && <Splits columns={columns} written={text === "written"} />}
      <div
        className="border border-rule bg-sheet rounded-[4px] overflow-x-auto"
        hidden={read === "splits" && readings.includes("splits")}
      >
        <DataTable
          name="roster"
          headTitle="Candidate"
          columns={told}
          rows={chosen}
          order={order}
          table={table}
          rowName={(c) => c.name}
          rowHead={(c) => <Who c={c} />}
          below={
            less ? undefined : (
              <>
                {baselines.map((b) => (
                  <tr key={b.name} className="border-b border-light last:border-0 text-soft" data-row={b.name}>
                    <th scope="row" className="font-serif italic font-normal text-left px-3 py-2">
                      {b.label}
                    </th>
                    {costs.map((k) => (
                      <td key={k.key} />
                    ))}
                    {columns.map(({ name }) => (
                      <td key={name} className="px-2 py-2 border-l-[3px] border-l-transparent">
                        <Figure candidate={b.name} metric={name} value={metricOf(b.part, name)} />
                      </td>
                    ))}
                  </tr>
                ))}
                {(results.quoted ?? []).map((q) => (
                  <QuotedRow key={q.name} q={q} skip={costs.length} columns={columns} domains={domains} />
                ))}
              </>
            )
          }
        />
      </div>
      <p className="text-sm text-soft mt-3 max-w-[86ch]">
        {less &&
          `Filled: separated from ${less.name}, after correction for the number of pairs. Ring: not separated, which does not mean equal. `}
        {results.quoted?.length && !less ? "Quoted results have no rows here, so no test compares them. " : ""}
        {baselines.length > 0 &&
          !less &&
          `The rows in italics need no model: ${named(baselines.map((b) => b.label))}. `}
        {edged &&
          !less &&
          "“Not separable” does not mean equal. The paired tests, corrected for the number of candidates, place the best among those with an edge. "}
        {untested.length > 0 &&
          `For ${named(untested.map((info) => info.title))} there is no such test: no edge is drawn where none was made. `}
        {slice.length > 0 &&
          "These rows were picked out: no test here is corrected for how many slices were looked at. Gates are set for all rows."}
      </p>
      <Gates />
      {pending ? null : (
        <Findings list={results.findings ?? []} aside={slice.length > 0 && ` where ${sliceNamed(within)}`} />
      )}
    </>
  );
}

const READINGS = ["values", "differences", "splits"] as const;
const TITLES = { values: "values", differences: "differences", splits: "splits side by side" };
function Who({ c }: { c: Shown }) {
  const at = c.gives === "probabilities" ? "probabilities" : "classes only";
  return (
    <th scope="row" className="font-semibold text-left px-3 py-2 min-w-[140px] max-w-[220px]">
      <span className="flex items-center gap-2">
        <Tile position={c.position} letter={c.letter} />
        <span className="min-w-0 break-words">
          {c.name}
          <span className="block text-xs text-soft font-normal">
            {c.shownCutoff !== null ? `≥ ${asSet(c.shownCutoff)}` : at}
            {c.runs_now && " · runs now"}
          </span>
        </span>
      </span>
    </th>
  );
}

type QuotedResult = NonNullable<Read["quoted"]>[number];
type QuotedProps = {
  q: QuotedResult;
  skip: number;
  columns: MetricInfo[];
  domains: Record<string, [number, number] | null>;
};
const PLACE: Record<string, string> = { inside: "inside", above: "above", below: "below" };

/** A published result: no interval of ours but for a whole matrix, and where it lies against each candidate's. */
function QuotedRow({ q, skip, columns, domains }: QuotedProps) {
  const { chosen } = useScope();
  return (
    <tr className="border-t border-rule bg-light" data-row={q.name}>
      <th scope="row" className="font-normal text-left px-3 py-2">
        “{q.name}”<span className="block text-xs text-soft">quoted from {q.source}</span>
      </th>
      {Array.from({ length: skip }, (_, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: empty cells
        <td key={i} />
      ))}
      {columns.map((info) => {
        const metric = info.name;
        const m = q.metrics[metric];
        const places = chosen
          .filter((c) => !isPending(c, info))
          .map((c) => [c.letter, q.against[c.name]?.[metric]] as const)
          .filter(([, where]) => where !== undefined);
        return (
          <td key={metric} className="px-2 py-2 align-top border-l-[3px] border-l-transparent">
            {m?.value == null ? (
              <span title={m?.why ?? "not quoted"}>—</span>
            ) : (
              <>
                <span className="text-lg" title={m.why_interval ?? undefined}>
                  {shown(m.value)}
                </span>
                {m.low != null && <Whisker of={m} domain={domains[metric] ?? null} color="var(--color-soft)" />}
                {places.length > 0 && (
                  <span className="block text-xs text-soft">
                    {places.map(([letter, where]) => `${PLACE[where ?? ""]} ${letter}’s`).join(", ")}
                  </span>
                )}
              </>
            )}
          </td>
        );
      })}
    </tr>
  );
}
