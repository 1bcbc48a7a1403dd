import { useState } from "react";
import type { Metric } from "../../api/client";
import { useSentence } from "../../api/queries";
import { colour, type SplitResult, useScope } from "../../app/scope";
import { saveCsv } from "../../charts/save";
import { columnScale, Whisker } from "../../charts/Whisker";
import { Sentence, Tile, ViewHead } from "../../parts/basics";
import { Figure } from "../../parts/Figure";
import { Findings } from "../../parts/Findings";
import { shown } from "../../parts/number";

type Column = { metric: string; title: string; lower?: boolean };
const TWO: Column[] = [
  { metric: "roc_auc", title: "ROC AUC" },
  { metric: "average_precision", title: "Avg precision" },
  { metric: "brier", title: "Brier", lower: true },
  { metric: "accuracy", title: "Accuracy" },
  { metric: "recall", title: "Recall" },
  { metric: "precision", title: "Precision" },
  { metric: "f1", title: "F1" },
];

const MANY: Column[] = [
  { metric: "accuracy", title: "Accuracy" },
  { metric: "balanced_accuracy", title: "Balanced acc" },
  { metric: "mcc", title: "MCC" },
  { metric: "kappa", title: "Kappa" },
  { metric: "roc_auc_macro", title: "Macro AUC" },
  { metric: "log_loss", title: "Log loss", lower: true },
  { metric: "brier", title: "Brier", lower: true },
];
const COSTS = [
  { key: "price_per_1000", title: "Price, 1,000 rows" },
  { key: "latency_ms", title: "ms a row" },
] as const;

const NONE: Metric = { value: null, why: "not computed" };
const of = (part: SplitResult, metric: string): Metric => part.metrics[metric] ?? NONE;

/** An amount to three digits; whole under the pointer. */
function Amount({ value }: { value: number | undefined }) {
  if (value === undefined) return <span title="not noted">—</span>;
  const digits = Math.abs(value) >= 100 ? { maximumFractionDigits: 0 } : { maximumSignificantDigits: 3 };
  return <span title={String(value)}>{value.toLocaleString("en-US", digits)}</span>;
}

export function LineUpView() {
  const scope = useScope();
  const { study, split, show, query, chosen, baselines, results, many } = scope;
  const columns = many ? MANY : TWO;
  const sentence = useSentence(study.id, { view: "line-up", split, show, cutoffs: query }).data?.sentence;
  const [order, setOrder] = useState<{ metric: string; down: boolean } | null>(null);
  const best = results.best[split] ?? {};
  const leads = (metric: string, name: string) => {
    const lead = best[metric];
    return lead !== undefined && (lead.leader === name || lead.not_told_apart.includes(name));
  };
  const sorted = [...chosen];
  if (order) {
    const sign = order.down ? -1 : 1;
    const key = (c: (typeof chosen)[number]) => of(c.part, order.metric).value;
    sorted.sort((a, b) => {
      const [x, y] = [key(a), key(b)];
      if (x === null || y === null) return Number(x === null) - Number(y === null);
      return sign * (x - y);
    });
  }
  const sortBy = (metric: string, lower?: boolean) =>
    setOrder((o) =>
      o?.metric !== metric ? { metric, down: !lower } : o.down !== !lower ? null : { metric, down: !o.down },
    );
  const save = () =>
    saveCsv(
      [
        ["candidate", "split", "cutoff", ...columns.flatMap((c) => [c.metric, `${c.metric}_low`, `${c.metric}_high`])],
        ...[...sorted, ...baselines].map((c) => [
          c.name,
          split,
          "shownCutoff" in c ? c.shownCutoff : null,
          ...columns.flatMap(({ metric }) => {
            const m = of(c.part, metric);
            return [m.value, m.low ?? null, m.high ?? null];
          }),
        ]),
      ],
      `line-up-${split}`,
    );
  const domains = Object.fromEntries(
    columns.map(({ metric }) => [metric, columnScale(chosen.map((c) => of(c.part, metric)))]),
  );
  const costs = COSTS.filter((k) => chosen.some((c) => c.result[k.key] !== undefined));
  const reported = split === study.holdout.report_on;
  const level = results.settings.confidence * 100;
  return (
    <>
      <ViewHead
        title="Line-up"
        note={
          <>
            value, {level} % interval
            {reported
              ? " · black edge: not told apart from the best"
              : ` · compared by test on ${study.holdout.report_on} only`}{" "}
            ·{" "}
            <button type="button" className="link" onClick={save}>
              save CSV
            </button>
          </>
        }
      />
      {sentence && <Sentence>{sentence}</Sentence>}
      <div className="border border-rule bg-sheet rounded-[4px] overflow-x-auto">
        <table className="w-full" data-part="line-up">
          <thead>
            <tr className="border-b border-rule text-left text-sm text-soft">
              <th className="font-normal px-3 py-2">Candidate</th>
              {costs.map((k) => (
                <th key={k.key} className="font-normal px-2 py-2 text-right whitespace-nowrap">
                  {k.title}
                </th>
              ))}
              {columns.map((c) => (
                <th
                  key={c.metric}
                  className="font-normal px-2 py-2"
                  aria-sort={order?.metric === c.metric ? (order.down ? "descending" : "ascending") : "none"}
                >
                  <button
                    type="button"
                    className="hover:text-ink whitespace-nowrap"
                    onClick={() => sortBy(c.metric, c.lower)}
                  >
                    {c.title}
                    {c.lower && <span title="lower is better"> (low)</span>}
                    {order?.metric === c.metric && <span aria-hidden="true">{order.down ? " ▾" : " ▴"}</span>}
                  </button>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {sorted.map((c) => (
              <tr key={c.position} className="border-b border-light" data-row={c.name}>
                <th scope="row" className="font-semibold text-left px-3 py-2">
                  <span className="flex items-center gap-2">
                    <Tile position={c.position} letter={c.letter} />
                    <span>
                      {c.name}
                      <span className="block text-xs text-soft font-normal">
                        {c.shownCutoff !== null
                          ? `≥ ${shown(c.shownCutoff)}`
                          : c.gives === "probabilities"
                            ? "probabilities"
                            : "classes only"}
                        {c.in_use && " · in use now"}
                      </span>
                    </span>
                  </span>
                </th>
                {costs.map((k) => (
                  <td key={k.key} className="px-2 py-2 align-top text-right text-lg">
                    <Amount value={c.result[k.key]} />
                  </td>
                ))}
                {columns.map(({ metric }) => {
                  const m = of(c.part, metric);
                  const first = reported && leads(metric, c.name);
                  return (
                    <td
                      key={metric}
                      className={`px-2 py-2 align-top ${first ? "border-l-[3px] border-l-ink" : "border-l-[3px] border-l-transparent"}`}
                    >
                      <Figure
                        candidate={c.result.name}
                        metric={metric}
                        value={m}
                        className={`text-lg ${first ? "font-semibold" : ""} ${m.value === null ? "text-soft" : ""}`}
                      />
                      <Whisker metric={m} domain={domains[metric] ?? null} color={colour(c.position)} />
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
                {columns.map(({ metric }) => (
                  <td key={metric} className="px-2 py-2 border-l-[3px] border-l-transparent">
                    <Figure candidate={b.name} metric={metric} value={of(b.part, metric)} />
                  </td>
                ))}
              </tr>
            ))}
            {(results.quoted ?? []).map((q) => (
              <QuotedRow key={q.name} q={q} skip={costs.length} domains={domains} />
            ))}
          </tbody>
        </table>
      </div>
      <p className="text-sm text-soft mt-3 max-w-[86ch]">
        {results.quoted?.length ? "Quoted results have no rows here, so no test compares them. " : ""}
        The rows in italics need no model: {baselines.map((b) => b.label).join(" and ")}. Not told apart does not say
        equal: the paired tests (corrected for how many candidates there are) leave the best one among those with a
        black edge.
      </p>
      <Findings list={results.findings} />
    </>
  );
}

type QuotedResult = NonNullable<ReturnType<typeof useScope>["results"]["quoted"]>[number];
type QuotedProps = { q: QuotedResult; skip: number; domains: Record<string, [number, number] | null> };
const PLACE: Record<string, string> = { inside: "inside", above: "above", below: "below" };

/** A published result: no interval of ours but for a whole matrix, and where it lies against each candidate's. */
function QuotedRow({ q, skip, domains }: QuotedProps) {
  const { chosen, many } = useScope();
  return (
    <tr className="border-t border-rule bg-light" data-row={q.name}>
      <th scope="row" className="font-normal text-left px-3 py-2">
        “{q.name}”<span className="block text-xs text-soft">quoted from {q.source}</span>
      </th>
      {Array.from({ length: skip }, (_, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: empty cells
        <td key={i} />
      ))}
      {(many ? MANY : TWO).map(({ metric }) => {
        const m = q.metrics[metric];
        const places = chosen
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

/** What Skarlo noticed in the results. */
