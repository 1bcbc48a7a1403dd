import { scaleLinear } from "d3-scale";
import { useRef } from "react";
import type { Schemas } from "../../api/client";
import { useParts } from "../../api/queries";
import { InFront } from "../../app/InFront";
import { SaveTable } from "../../app/SaveTable";
import { useScope } from "../../app/scope";
import { Ruler } from "../../charts/Ruler";
import { domainOf } from "../../charts/scales";
import { Fault, Loading, PENDING } from "../../parts/basics";
import { colour } from "../../parts/marks";
import { count, named, pShown, several, shown } from "../../parts/number";
import { OwnCutoffs } from "./OwnCutoffs";

type Criterion = Schemas["Criterion"];

/** Each criterion with its name, the trade's name beside, and what it compares in a sentence. */
const CRITERIA: [string, string, string, (positive: string, negative: string) => string][] = [
  ["flagged_share", "flagged alike", "demographic parity", (p) => `as many of each group are predicted “${p}”`],
  ["recall", "found alike", "equal opportunity", (p) => `of those that were “${p}”, as many are found`],
  [
    "fpr",
    "spared alike",
    "predictive equality",
    (p, n) => `of those that were “${n}”, as many are wrongly predicted “${p}”`,
  ],
  ["recall_and_fpr", "found and spared alike", "equalised odds", () => "the larger of these two gaps"],
  ["precision", "meant alike", "predictive parity", (p) => `an answer “${p}” means the same in each group`],
  ["npv", "meant alike, the other answer", "", (_, n) => `an answer “${n}” means the same in each group`],
  [
    "calibration_in_the_large",
    "promised alike",
    "group calibration",
    () => "a probability means the same in each group: the mean given less what happened",
  ],
  ["accuracy", "right alike", "", () => "as many answers are right"],
];
const [WIDE, ROW] = [230, 16];

type Props = { fields: string[] };

/** Whether a candidate treats the groups of a field alike, by each usual criterion. */
export function Alike({ fields }: Props) {
  const table = useRef<HTMLDivElement>(null);
  const { study, split, slice, query, chosen, own, many, of, called, positive, negative, results, pending } =
    useScope();
  const front = chosen.find((c) => c.letter === own.front) ?? chosen[0];
  const asked = useParts(study.id, {
    kinds: ["alike"],
    split,
    cutoffs: query,
    within: slice,
    fields,
    ...(many ? { of } : {}),
  });
  const canCut = !many && front?.gives === "scores" && front.cutoff !== null;
  if (!front) return null;
  const told = asked.data?.candidates?.find((c) => c.name === front.result.name)?.splits?.[split]?.alike;
  const late = pending || asked.isPlaceholderData;
  const [yes, no] = many ? [called(of), "another class"] : [positive, negative];
  const rows = () =>
    told
      ? [
          ["candidate", "split", "criterion", "group", "value", "low", "high", "gap", "gap low", "gap high", "p"],
          ...Object.entries(told.criteria).flatMap(([name, c]) => [
            ...Object.entries(c.values).map(([g, v]) => [
              front.name,
              split,
              name,
              g,
              v.value,
              v.low,
              v.high,
              null,
              null,
              null,
              null,
            ]),
            [front.name, split, name, "", null, null, null, c.gap, c.low ?? null, c.high ?? null, c.p ?? null],
          ]),
        ]
      : [];
  return (
    <section aria-label="Groups treated alike" className="text-sm">
      <p className="flex items-baseline gap-3 text-soft mb-1 flex-wrap">
        <span className="flex items-baseline gap-1.5">
          for <InFront of={chosen} front={front} />
        </span>
        {many && <span>one class against the rest: “{yes}”, chosen above</span>}
        <span className="flex-1" />
        {told && (
          <SaveTable
            figure={table}
            of={`${front.name}: ${fields.join(" and ")} treated alike`}
            name={`alike-${front.letter}-${fields.join("-")}-${split}`}
            rows={rows}
            disabled={late}
          />
        )}
      </p>
      <Fault error={asked.error} again={() => void asked.refetch()} />
      {!asked.data && !asked.error && <Loading what="Comparing the groups" />}
      {asked.data && !told && <p className="text-soft">{front.name} predicts no class here.</p>}
      {told && (
        <>
          {told.not_all_at_once && <NotAll told={told.not_all_at_once as unknown as Forced} />}
          <div ref={table} className="divide-y divide-light border-y border-rule">
            {CRITERIA.map(([name, title, trade, says]) => {
              const c = told.criteria[name];
              return (
                c && (
                  <One
                    key={name}
                    name={name}
                    title={title}
                    trade={trade}
                    says={says(yes, no)}
                    c={c}
                    late={late}
                    color={colour(front.position)}
                  />
                )
              );
            })}
          </div>
          <p className="font-serif italic text-soft mt-1 max-w-[95ch]">
            The interval of a gap allows for having picked the two ends out of all pairs of groups. Filled: the two
            ends; bold: separated from nought.{" "}
            {told.small.length > 0 &&
              `${named(told.small, 6)} ${told.small.length === 1 ? "has" : "have"} under ${results.settings.min_slice} rows, and are left out.`}
          </p>
          {canCut && <OwnCutoffs fields={fields} front={front} />}
        </>
      )}
    </section>
  );
}

type Forced = { precision: number; recall: number; groups: Record<string, { prevalence: number; fpr: number | null }> };

/** The plain statement that not all criteria can hold at once. */
function NotAll({ told }: { told: Forced }) {
  const groups = Object.entries(told.groups).sort((a, b) => a[1].prevalence - b[1].prevalence);
  const [least, most] = [groups[0], groups.at(-1)];
  if (!least || !most) return null;
  return (
    <p className="border-l-[3px] border-ink pl-3 my-2 max-w-[95ch] font-serif text-base" data-part="not-all">
      Not all of these can hold at once, since the shares differ: {shown(least[1].prevalence)} in {least[0]},{" "}
      {shown(most[1].prevalence)} in {most[0]}. With the same precision ({shown(told.precision)}) and the same recall (
      {shown(told.recall)}) in every group, {shown(least[1].fpr)} would have to be wrongly predicted in {least[0]} and{" "}
      {shown(most[1].fpr)} in {most[0]}.
    </p>
  );
}

type OneProps = {
  name: string;
  title: string;
  trade: string;
  says: string;
  c: Criterion;
  late: boolean;
  color: string;
};

function One({ name, title, trade, says, c, late, color }: OneProps) {
  const values = Object.entries(c.values);
  const share = name !== "calibration_in_the_large";
  const domain = share ? ([0, 1] as [number, number]) : domainOf([0, ...values.flatMap(([, v]) => [v.low, v.high])]);
  const x = domain && scaleLinear(domain, [6, WIDE - 6]).clamp(true);
  const { results } = useScope();
  const apart = (c.p ?? 1) <= 1 - results.settings.confidence;
  const MOST = 8;
  const ends = c.gap ? [c.largest, c.smallest] : [];
  const shownValues =
    values.length <= MOST
      ? values
      : values.filter(([g]) => ends.includes(g)).concat(values.filter(([g]) => !ends.includes(g)).slice(0, MOST - 2));
  return (
    <div className="grid grid-cols-[14rem_minmax(0,1fr)_13rem] gap-4 py-2" data-criterion={name}>
      <div>
        <b className="font-semibold block">{title}</b>
        {trade && <span className="text-soft text-xs block">{trade}</span>}
        <span className="text-soft">{says}</span>
      </div>
      <div>
        {x && shownValues.length > 0 && (
          <div className="grid grid-cols-[minmax(0,8rem)_auto_3.4rem] gap-x-2 items-center">
            {shownValues.map(([g, v]) => {
              const end = ends.includes(g);
              return (
                <div key={g} className="contents" data-group-value={g}>
                  <span className={`truncate ${end ? "font-semibold" : "text-soft"}`} title={g}>
                    {g}
                  </span>
                  <svg width={WIDE} height={ROW} aria-hidden="true">
                    {!share && <line x1={x(0)} x2={x(0)} y1={0} y2={ROW} stroke="var(--color-ink)" />}
                    <line x1={x(v.low)} x2={x(v.high)} y1={ROW / 2} y2={ROW / 2} stroke={color} strokeWidth={1.8} />
                    <circle
                      cx={x(v.value)}
                      cy={ROW / 2}
                      r={3}
                      fill={end ? color : "var(--color-paper)"}
                      stroke={color}
                      strokeWidth={1.6}
                    />
                  </svg>
                  <span className="text-right tabular-nums">{late ? PENDING : shown(v.value)}</span>
                </div>
              );
            })}
            <span />
            <svg width={WIDE} height={20} aria-hidden="true">
              <Ruler scale={x} side="bottom" at={3} ticks={4} text={(v) => String(Number(v.toPrecision(3)))} />
            </svg>
            <span />
          </div>
        )}
        {values.length > shownValues.length && (
          <p className="text-xs text-soft">
            and {several(values.length - shownValues.length, "more group")} between them
          </p>
        )}
      </div>
      <div className="tabular-nums">
        {c.gap === null ? (
          <span className="text-soft">no gap: {c.why}</span>
        ) : (
          <>
            gap{" "}
            <span className={apart ? "font-semibold" : ""} data-gap={name}>
              {late ? PENDING : shown(c.gap)}
            </span>{" "}
            <span className="text-soft">{!late && c.low != null && `${shown(c.low)} to ${shown(c.high)}`}</span>
            <span className="block text-soft text-xs" title={c.p == null ? c.why : undefined}>
              {c.gap > 0 ? `${c.largest} over ${c.smallest}` : "none over another"}
              {!late && (c.p != null ? `, p ${pShown(c.p)}` : "; not tested")}
            </span>
            {c.ratio != null && !late && (
              <span className="block text-soft text-xs">the lesser is {shown(c.ratio)} of the greater</span>
            )}
            {(c.thin?.length ?? 0) > 0 && (
              <span className="block text-soft text-xs">{count(c.thin?.length ?? 0)} on too few rows, left out</span>
            )}
          </>
        )}
      </div>
    </div>
  );
}
