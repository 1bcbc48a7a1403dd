import { useRef } from "react";
import type { Metric } from "../../api/client";
import { useSplits } from "../../api/queries";
import { isPending, type MetricInfo, type Shown, useScope } from "../../app/scope";
import { SaveMenu } from "../../charts/SaveMenu";
import { domainOf } from "../../charts/scales";
import { Whisker, WhiskerRuler } from "../../charts/Whisker";
import { Fault, PENDING, Tile } from "../../parts/basics";
import { colour } from "../../parts/marks";
import { shown } from "../../parts/number";

const FIRST = ["train", "tuning"]; // the order in which rows are used, where splits are called so
const NONE: Metric = { value: null, why: "not computed" };
type Gap = { difference: number | null; low?: number | null; high?: number | null; why?: string };
type Props = { columns: MetricInfo[]; written: boolean };

/** Every split side by side, and how far each one's number lies from that on the reported rows. */
export function Splits({ columns, written }: Props) {
  const table = useRef<HTMLTableElement>(null);
  const { study, slice, chosen, query, pending } = useScope();
  const { report_on } = study.holdout;
  const rank = (split: string) => (FIRST.includes(split) ? FIRST.indexOf(split) : FIRST.length);
  const others = Object.keys(study.balance)
    .filter((split) => split !== report_on)
    .sort((a, b) => rank(a) - rank(b));
  const splits = [...others, report_on];
  const asked = useSplits(study.id, splits, { kinds: ["lines", "gap"], cutoffs: query, within: slice });
  const failed = asked.find((one) => one.error);
  const part = (c: Shown, i: number) =>
    asked[i]?.data?.candidates?.find((x) => x.name === c.result.name)?.splits?.[splits[i] ?? ""];
  const number = (c: Shown, i: number, name: string): Metric => part(c, i)?.metrics?.[name] ?? NONE;
  const gap = (c: Shown, i: number, name: string): Gap | undefined => part(c, i)?.gap?.[name];
  const late = (c: Shown, i: number, info: MetricInfo) =>
    !asked[i]?.data ||
    (info.needs === "counts" && (Boolean(asked[i]?.isPlaceholderData) || pending || isPending(c, info)));
  const domains = columns.map(({ name }) =>
    domainOf(
      chosen.flatMap((c) =>
        splits.flatMap((_, i) => {
          const m = number(c, i, name);
          return [m.value, m.low, m.high];
        }),
      ),
    ),
  );
  const rows = () => [
    [
      "candidate",
      "split",
      ...slice.map(() => "slice"),
      ...columns.flatMap((c) => [c.name, `${c.name}_low`, `${c.name}_high`]),
    ],
    ...chosen.flatMap((c) =>
      splits.map((split, i) => [
        c.name,
        split,
        ...slice,
        ...columns.flatMap(({ name }) => {
          const m = number(c, i, name);
          return [m.value, m.low ?? null, m.high ?? null];
        }),
      ]),
    ),
  ];
  return (
    <>
      <Fault error={failed?.error ?? null} again={() => void failed?.refetch()} />
      <div className="border border-rule bg-sheet rounded-[4px] overflow-x-auto">
        <table ref={table} className="w-full text-left" data-part="splits">
          <thead>
            <tr className="text-sm text-soft border-b border-rule align-bottom">
              <th className="font-normal px-3 py-1.5">Candidate</th>
              <th className="font-normal pr-3">split</th>
              {columns.map((info, i) => (
                <th key={info.name} className="font-normal px-2">
                  {info.short}
                  <WhiskerRuler domain={domains[i] ?? null} />
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {chosen.map((c) =>
              splits.map((split, i) => (
                <tr
                  key={`${c.position} ${split}`}
                  data-row={`${c.letter} ${split}`}
                  className={i === splits.length - 1 ? "border-b border-rule last:border-0" : ""}
                >
                  {i === 0 && (
                    <th
                      scope="rowgroup"
                      rowSpan={splits.length}
                      className="font-semibold px-3 py-2 align-top max-w-[220px] min-w-[150px]"
                    >
                      <span className="flex items-center gap-2">
                        <Tile position={c.position} letter={c.letter} />
                        <span className="min-w-0 break-words">{c.name}</span>
                      </span>
                    </th>
                  )}
                  <th scope="row" className="font-normal text-soft text-sm pr-3 align-top pt-1.5">
                    {split}
                  </th>
                  {columns.map((info, k) => {
                    const m = number(c, i, info.name);
                    const waits = late(c, i, info);
                    return (
                      <td key={info.name} className="px-2 py-1 align-top" title={m.why ?? undefined}>
                        <span className={split === report_on ? "font-semibold" : ""} data-metric={info.name}>
                          {waits ? PENDING : shown(m.value)}
                        </span>
                        {split !== report_on && !waits && <Further of={gap(c, i, info.name)} />}
                        {!waits && (
                          <Whisker
                            of={m}
                            domain={domains[k] ?? null}
                            color={colour(c.position)}
                            ring={split !== report_on}
                          />
                        )}
                        {written && !waits && m.low != null && (
                          <span className="block text-xs text-soft whitespace-nowrap">
                            {shown(m.low)} to {shown(m.high ?? null)}
                          </span>
                        )}
                      </td>
                    );
                  })}
                </tr>
              )),
            )}
          </tbody>
        </table>
      </div>
      <p className="text-sm text-soft font-serif italic mt-1 max-w-[90ch]">
        After each number: its gap to the {report_on} rows, ● where that is separated from nought, ○ where it is not. A
        large gap from train to {report_on} is what a candidate owes to having seen its rows.{" "}
        <SaveMenu figure={table} said="Candidates on every split" name="roster-splits" rows={rows} disabled={pending} />
      </p>
    </>
  );
}

/** How far a number lies from that on the reported rows. */
function Further({ of }: { of: Gap | undefined }) {
  if (of?.difference == null) return null;
  const apart = of.low != null && of.high != null && (of.low > 0 || of.high < 0);
  const ends = of.low == null ? (of.why ?? "") : `${shown(of.low)} to ${shown(of.high ?? null)}`;
  return (
    <span className="text-xs text-soft whitespace-nowrap" data-gap={apart} title={ends}>
      {" "}
      {of.difference > 0 ? "+" : ""}
      {shown(of.difference)} <span aria-hidden="true">{apart ? "●" : "○"}</span>
      <span className="sr-only">{apart ? "separated from nought" : "not separated from nought"}</span>
    </span>
  );
}
