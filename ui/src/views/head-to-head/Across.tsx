import { scaleLinear } from "d3-scale";
import { useRef } from "react";
import { useFields, useParts } from "../../api/queries";
import { SaveTable } from "../../app/SaveTable";
import { type Shown, useScope } from "../../app/scope";
import { Ruler } from "../../charts/Ruler";
import { domainOf } from "../../charts/scales";
import { Fault, Loading, PENDING } from "../../parts/basics";
import { count, pShown, shown } from "../../parts/number";

const SELECT = "border border-rule bg-sheet rounded-md px-1.5 py-0.5 text-ink max-w-40";
const [WIDE, HIGH] = [280, 18];
const MOST = 25;

/** Where in the groups of a field the difference of two lies. */
export function Across({ a, b }: { a: Shown; b: Shown }) {
  const table = useRef<HTMLTableElement>(null);
  const { study, split, slice, query, own, setOwn, pending, metric, results } = useScope();
  const mapping = study.mapping as { group?: string; show?: Record<string, string | string[]> };
  const aside = new Set([mapping.group, ...Object.values(mapping.show ?? {}).flat()]);
  const every = useFields(study.id).data?.fields ?? [];
  const fields = every.filter((f) => !aside.has(f.name) && f.kind !== "text" && f.kind !== "constant");
  const by = own.by && fields.some((f) => f.name === own.by) ? own.by : (fields[0]?.name ?? "");
  const asked = useParts(
    study.id,
    by
      ? { kinds: ["across"], split, cutoffs: query, within: slice, pair: [a.position, b.position], fields: [by] }
      : null,
  );
  if (!by) return null;
  const told = asked.data?.candidates?.find((c) => c.name === a.result.name)?.splits?.[split]?.across;
  const late = pending || asked.isPlaceholderData;
  const names = Object.keys(told?.metrics ?? {});
  const name = names.find((n) => n === own.across) ?? names[0] ?? "";
  const found = told?.metrics[name];
  const alpha = 1 - results.settings.confidence;
  const domain = domainOf([
    0,
    ...(found?.slices.flatMap(({ difference: d }) => (d.low == null || d.high == null ? [] : [d.low, d.high])) ?? []),
  ]);
  const x = domain && scaleLinear(domain, [8, WIDE - 8]).clamp(true);
  const rows = () => [
    ["metric", by, "rows", "over", "difference", "low", "high", "p adjusted", "part of the whole"],
    ...Object.entries(told?.metrics ?? {}).flatMap(([m, of]) =>
      of.slices.map(({ group, rows, denominator, difference: d, part }) => [
        m,
        group,
        rows,
        denominator,
        d.difference,
        d.low ?? null,
        d.high ?? null,
        d.p_adjusted ?? null,
        part ?? null,
      ]),
    ),
  ];
  return (
    <section aria-label="Where the difference lies" className="mt-6 text-sm">
      <header className="flex items-baseline gap-x-3 gap-y-1 flex-wrap border-b border-ink pb-1 text-soft">
        <h2 className="text-lg text-ink">Where the difference lies</h2>
        <label className="flex items-baseline gap-1.5">
          in
          <select
            className={SELECT}
            aria-label="The difference of which metric"
            value={name}
            onChange={(e) => setOwn({ across: e.target.value })}
          >
            {names.map((n) => (
              <option key={n} value={n}>
                {metric(n).title}
              </option>
            ))}
          </select>
        </label>
        <label className="flex items-baseline gap-1.5">
          by
          <select
            className={SELECT}
            aria-label="Across which field"
            value={by}
            onChange={(e) => setOwn({ by: e.target.value })}
          >
            {fields.map((f) => (
              <option key={f.name} value={f.name}>
                {f.name}
              </option>
            ))}
          </select>
        </label>
        <span className="flex-1" />
        {told && (
          <SaveTable
            figure={table}
            of={`${metric(name).title}, ${a.name} less ${b.name}, by ${by}`}
            name={`${a.letter}-less-${b.letter}-by-${by}`}
            rows={rows}
            disabled={late}
          />
        )}
      </header>
      <Fault error={asked.error} again={() => void asked.refetch()} />
      {!told && asked.isLoading && <Loading what="Comparing group by group" />}
      {found && x && (
        <>
          <table ref={table} className="tabular-nums mt-1 w-full max-w-[60rem]" data-part="across">
            <thead>
              <tr className="text-soft text-left align-bottom">
                <th className="font-normal pr-2">{by}</th>
                <th className="font-normal px-2 text-right">rows</th>
                <th className="font-normal px-2">
                  <span className="sr-only">drawn</span>
                  <svg width={WIDE} height={20} aria-hidden="true">
                    <Ruler scale={x} side="top" at={14} ticks={4} text={(v) => String(Number(v.toPrecision(4)))} />
                  </svg>
                </th>
                <th className="font-normal px-2 text-right">
                  {a.letter} less {b.letter}
                </th>
                <th className="font-normal px-2">interval</th>
                <th className="font-normal px-2 text-right">part of the whole</th>
              </tr>
            </thead>
            <tbody>
              {found.slices.slice(0, MOST).map(({ group, rows, difference: d, part }) => {
                const apart = d.p_adjusted != null && d.p_adjusted <= alpha;
                return (
                  <tr key={group} className="border-t border-light" data-across={group}>
                    <td className="pr-2 py-0.5 max-w-44 truncate" title={group}>
                      {group}
                    </td>
                    <td className="px-2 text-right">{count(rows)}</td>
                    <td className="px-2">
                      <svg width={WIDE} height={HIGH} aria-hidden="true" className="block">
                        <line x1={x(0)} x2={x(0)} y1={0} y2={HIGH} stroke="var(--color-ink)" />
                        {d.low != null && d.high != null && d.difference != null && (
                          <>
                            <line
                              x1={x(d.low)}
                              x2={x(d.high)}
                              y1={HIGH / 2}
                              y2={HIGH / 2}
                              stroke="var(--color-soft)"
                              strokeWidth={1.8}
                            />
                            <circle
                              cx={x(d.difference)}
                              cy={HIGH / 2}
                              r={3.4}
                              fill={apart ? "var(--color-ink)" : "var(--color-paper)"}
                              stroke="var(--color-ink)"
                              strokeWidth={1.6}
                            />
                          </>
                        )}
                      </svg>
                    </td>
                    <td className={`px-2 text-right ${apart ? "font-semibold" : ""}`}>
                      {late ? PENDING : d.difference == null ? <span title={d.why}>–</span> : shown(d.difference)}
                    </td>
                    <td className="px-2 text-soft whitespace-nowrap">
                      {late ? PENDING : d.low != null ? `${shown(d.low)} to ${shown(d.high)}` : d.why}
                    </td>
                    <td className="px-2 text-right">{late ? PENDING : part === undefined ? "–" : shown(part)}</td>
                  </tr>
                );
              })}
            </tbody>
          </table>
          {found.slices.length > MOST && (
            <p className="text-soft">and {count(found.slices.length - MOST)} more groups, in the CSV</p>
          )}
          <p className="font-serif italic text-soft mt-1 max-w-[95ch]">
            Filled: separated from nought, after correction over the groups. Ring: not separated.{" "}
            {found.unlike &&
              !late &&
              (found.unlike.p <= alpha
                ? `The difference is not one in all groups (p ${pShown(found.unlike.p)}).`
                : `The data does not show that it is another from group to group (p ${pShown(found.unlike.p)}).`)}{" "}
            {found.slices.some((s) => s.part !== undefined) && "The parts add up to the whole difference."}
          </p>
        </>
      )}
    </section>
  );
}
