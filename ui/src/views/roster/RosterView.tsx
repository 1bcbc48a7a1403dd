import { useState } from "react";
import { Drafted } from "../../app/Drafted";
import { Figure } from "../../app/Figure";
import { isPending, type MetricInfo, metricOf, type Shown, useScope } from "../../app/scope";
import { saveCsv } from "../../charts/save";
import { columnScale, Whisker } from "../../charts/Whisker";
import { Tile, ViewHead } from "../../parts/basics";
import { Findings } from "../../parts/Findings";
import { colour } from "../../parts/marks";
import { asSet, named, shown } from "../../parts/number";
import { Gates } from "./Gates";

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
  const scope = useScope();
  const { study, split, chosen, baselines, results, pending, metric: about } = scope;
  const columns = study.headline.map(about);
  const [order, setOrder] = useState<{ metric: string; down: boolean } | null>(null);
  const best = results.best[split] ?? {};
  const reported = split === study.holdout.report_on;
  const compared = reported && scope.all.length > 1;
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
  const untested = columns.filter((info) => compared && !waits(info) && (best[info.name]?.not_tested.length ?? 0) > 0);
  const sorted = [...chosen];
  if (order) {
    const sign = order.down ? -1 : 1;
    const info = about(order.metric);
    const key = (c: Shown) => (isPending(c, info) ? null : metricOf(c.part, order.metric).value);
    sorted.sort((a, b) => {
      const [x, y] = [key(a), key(b)];
      if (x === null || y === null) return Number(x === null) - Number(y === null);
      return sign * (x - y);
    });
  }
  const sortBy = ({ name, better }: MetricInfo) =>
    setOrder((o) => {
      const down = better !== "lower";
      return o?.metric !== name ? { metric: name, down } : o.down !== down ? null : { metric: name, down: !down };
    });
  const save = () =>
    saveCsv(
      [
        ["candidate", "split", "cutoff", ...columns.flatMap((c) => [c.name, `${c.name}_low`, `${c.name}_high`])],
        ...[...sorted, ...baselines].map((c) => [
          c.name,
          split,
          "shownCutoff" in c ? c.shownCutoff : null,
          ...columns.flatMap(({ name }) => {
            const m = metricOf(c.part, name);
            return [m.value, m.low ?? null, m.high ?? null];
          }),
        ]),
      ],
      `roster-${split}`,
    );
  const domains = Object.fromEntries(
    columns.map(({ name }) => [name, columnScale(chosen.map((c) => metricOf(c.part, name)))]),
  );
  const costs = COSTS.filter((k) => chosen.some((c) => c.result[k.key] !== undefined));
  const level = results.settings.confidence * 100;
  return (
    <>
      <ViewHead
        title="Roster"
        note={
          <>
            value, {level} % interval
            {edged && " · edge: best, or not separable from the best"}
            {!reported && scope.all.length > 1 && ` · compared by test on ${study.holdout.report_on} only`} ·{" "}
            <button type="button" className="link" disabled={pending} onClick={save}>
              save CSV
            </button>
          </>
        }
      />
      <Drafted view="roster" />
      <div className="border border-rule bg-sheet rounded-[4px] overflow-x-auto">
        <table className="w-full" data-part="roster">
          <thead>
            <tr className="border-b border-rule text-left text-sm text-soft">
              <th className="font-normal px-3 py-2">Candidate</th>
              {costs.map((k) => (
                <th key={k.key} className="font-normal px-2 py-2 text-right leading-tight max-w-[76px]">
                  {k.title}
                </th>
              ))}
              {columns.map((c) => (
                <th
                  key={c.name}
                  className="font-normal px-2 py-2"
                  aria-sort={order?.metric === c.name ? (order.down ? "descending" : "ascending") : "none"}
                >
                  <button
                    type="button"
                    className="hover:text-ink whitespace-nowrap"
                    title={c.title}
                    onClick={() => sortBy(c)}
                  >
                    {c.short}
                    {c.better === "lower" && <span title="lower is better"> (low)</span>}
                    {order?.metric === c.name && <span aria-hidden="true">{order.down ? " ▾" : " ▴"}</span>}
                  </button>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {sorted.map((c) => (
              <tr key={c.position} className="border-b border-light" data-row={c.name}>
                <th scope="row" className="font-semibold text-left px-3 py-2 min-w-[140px] max-w-[220px]">
                  <span className="flex items-center gap-2">
                    <Tile position={c.position} letter={c.letter} />
                    <span className="min-w-0 break-words">
                      {c.name}
                      <span className="block text-xs text-soft font-normal">
                        {c.shownCutoff !== null
                          ? `≥ ${asSet(c.shownCutoff)}`
                          : c.gives === "probabilities"
                            ? "probabilities"
                            : "classes only"}
                        {c.runs_now && " · runs now"}
                      </span>
                    </span>
                  </span>
                </th>
                {costs.map((k) => (
                  <td key={k.key} className="px-2 py-2 align-top text-right text-lg">
                    <Amount value={c.result[k.key]} />
                  </td>
                ))}
                {columns.map((info) => {
                  const m = metricOf(c.part, info.name);
                  const stands = standing(info, c.name);
                  const waiting = isPending(c, info);
                  return (
                    <td
                      key={info.name}
                      data-standing={stands}
                      className={`px-2 py-2 align-top border-l-[3px] ${stands === "edge" ? "border-l-ink" : "border-l-transparent"}`}
                    >
                      <Figure
                        candidate={c.result.name}
                        metric={info.name}
                        value={m}
                        pending={waiting}
                        className={`text-lg ${stands === "edge" ? "font-semibold" : ""} ${m.value === null ? "text-soft" : ""}`}
                      />
                      {!waiting && (
                        <Whisker metric={m} domain={domains[info.name] ?? null} color={colour(c.position)} />
                      )}
                      {stands === "untested" && <span className="block text-xs text-soft">not tested</span>}
                    </td>
                  );
                })}
              </tr>
            ))}
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
          </tbody>
        </table>
      </div>
      <p className="text-sm text-soft mt-3 max-w-[86ch]">
        {results.quoted?.length ? "Quoted results have no rows here, so no test compares them. " : ""}
        {baselines.length > 0 && `The rows in italics need no model: ${named(baselines.map((b) => b.label))}. `}
        {edged &&
          "“Not separable” does not mean equal. The paired tests, corrected for the number of candidates, place the best among those with an edge. "}
        {untested.length > 0 &&
          `For ${named(untested.map((info) => info.title))} there is no such test: no edge is drawn where none was made.`}
      </p>
      <Gates />
      {pending ? null : <Findings list={results.findings} />}
    </>
  );
}

type QuotedResult = NonNullable<ReturnType<typeof useScope>["results"]["quoted"]>[number];
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
                {m.low != null && <Whisker metric={m} domain={domains[metric] ?? null} color="var(--color-soft)" />}
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
