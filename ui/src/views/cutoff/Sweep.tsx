import { useState } from "react";
import { useParts } from "../../api/queries";
import { InFront } from "../../app/InFront";
import { type Shown, useOwn, useScope } from "../../app/scope";
import { saveCsv } from "../../charts/save";
import { Fault, Loading } from "../../parts/basics";
import { Choice } from "../../parts/Choice";
import { asSet, shown } from "../../parts/number";

const STEPS = ["0.1", "0.05", "0.02", "0.01"] as const;
const TOLD = ["flagged_share", "recall", "precision", "specificity", "f1"];

type Ends = { value: (number | null)[]; low: (number | null)[]; high: (number | null)[] };
type Table = { cutoff: number[] } & Record<string, Ends>;

/** Metrics at cutoffs one step apart: a table of the candidate in front, and a file of all. */
export function Sweep({ scored }: { scored: Shown[] }) {
  const { study, split, slice, own, metric } = useScope();
  const [open, unfold] = useOwn("sweep", ["no", "yes"]);
  const [step, setStep] = useOwn("step", STEPS);
  const [asked, ask] = useState(open === "yes");
  const parts = useParts(
    study.id,
    asked || open === "yes" ? { kinds: ["sweep"], split, cutoffs: "", within: slice, step: Number(step) } : null,
  );
  const tables = new Map(
    (parts.data?.candidates ?? []).map((c) => [c.name, c.splits?.[split]?.sweep as Table | undefined]),
  );
  const front = scored.find((c) => c.letter === own.front) ?? scored[0];
  const table = front && tables.get(front.result.name);
  const save = () => {
    const names = Object.keys(table ?? {}).filter((name) => name !== "cutoff");
    saveCsv(
      [
        [
          "candidate",
          "split",
          ...slice.map(() => "slice"),
          "cutoff",
          ...names.flatMap((n) => [n, `${n}_low`, `${n}_high`]),
        ],
        ...scored.flatMap((c) => {
          const of = tables.get(c.result.name);
          return (of?.cutoff ?? []).map((at, i) => [
            c.name,
            split,
            ...slice,
            at,
            ...names.flatMap((n) => [of?.[n]?.value[i] ?? null, of?.[n]?.low[i] ?? null, of?.[n]?.high[i] ?? null]),
          ]);
        }),
      ],
      `sweep-${split}-${step}`,
    );
  };
  if (open === "no")
    return (
      <p className="mt-3 text-sm">
        <button
          type="button"
          className="link"
          onClick={() => {
            ask(true);
            unfold("yes");
          }}
        >
          every metric at cutoffs one step apart
        </button>
      </p>
    );
  return (
    <section aria-label="Sweep" className="mt-4">
      <header className="flex items-baseline gap-x-4 gap-y-1 flex-wrap text-sm text-soft">
        <h2 className="text-lg text-ink">Sweep on {split === "all" ? "all rows" : split}</h2>
        <span className="flex items-baseline gap-2">
          step <Choice name="step" value={step} options={STEPS.map((s) => [s, s])} onChange={setStep} />
        </span>
        <InFront of={scored} front={front} />
        <button type="button" className="link" disabled={!table} onClick={save}>
          save CSV
        </button>
        <button type="button" className="link" onClick={() => unfold("no")}>
          close
        </button>
      </header>
      <Fault error={parts.error} again={() => void parts.refetch()} />
      {!table && !parts.error && <Loading what="Counting" />}
      {table && (
        <div className="max-h-[26rem] overflow-auto border border-rule bg-sheet rounded-[4px] mt-1.5">
          <table className="w-full text-right tabular-nums" data-part="sweep" data-candidate={front?.letter}>
            <thead className="sticky top-0 bg-sheet">
              <tr className="text-sm text-soft border-b border-rule">
                <th className="font-normal px-3 py-1">cutoff ≥</th>
                {TOLD.map((name) => (
                  <th key={name} className="font-normal px-3" colSpan={2}>
                    {metric(name).title}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {table.cutoff.map((at, i) => (
                <tr key={at} className="border-b border-light" data-at={at}>
                  <th scope="row" className="font-normal px-3 py-0.5">
                    {asSet(at)}
                  </th>
                  {TOLD.map((name) => {
                    const m = table[name];
                    const [low, high] = [m?.low[i] ?? null, m?.high[i] ?? null];
                    return [
                      <td key={name} className="pl-4 font-semibold">
                        {shown(m?.value[i])}
                      </td>,
                      <td key={`${name} ends`} className="pl-2 pr-2 text-sm text-soft whitespace-nowrap text-left">
                        {low !== null && `${shown(low)} to ${shown(high)}`}
                      </td>,
                    ];
                  })}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </section>
  );
}
