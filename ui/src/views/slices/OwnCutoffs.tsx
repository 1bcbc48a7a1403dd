import { scaleLinear } from "d3-scale";
import { useRef } from "react";
import type { Schemas } from "../../api/client";
import { dossierCalls, useDossier, useDossierChange, useParts } from "../../api/queries";
import { SaveTable } from "../../app/SaveTable";
import { type Shown, useScope } from "../../app/scope";
import { Ruler } from "../../charts/Ruler";
import { Button, Fault, Loading, PENDING } from "../../parts/basics";
import { colour } from "../../parts/marks";
import { NumberField } from "../../parts/NumberField";
import { count, named, several, shown } from "../../parts/number";

type Cutoffs = Schemas["GroupCutoffs"];
type Rule = Cutoffs["rule"];
const RULES: [Rule, string][] = [
  ["recall", "found alike"],
  ["fpr", "spared alike"],
  ["flagged_share", "flagged alike"],
  ["precision", "meant alike"],
  ["least_cost", "of least cost"],
];
const SELECT = "border border-rule bg-sheet rounded-md px-1.5 py-0.5 text-ink max-w-48";
const OVERALL = ["accuracy", "precision", "recall", "fpr", "flagged_share", "f1"];
const [WIDE, HIGH] = [230, 18];

/** Cutoffs for each group by which a rate would be equal, or that would cost least: what they would change, to be read
 * and never applied. */
export function OwnCutoffs({ fields, front }: { fields: string[]; front: Shown }) {
  const { study, split, slice, query, own, setOwn, pending, results, mayWrite } = useScope();
  const rule = RULES.find(([name]) => name === own.rule)?.[0];
  const gap = Number(own.gap) > 0 && Number(own.gap) <= 1 ? Number(own.gap) : 0.02;
  const [needless = 1, missed = 1] = (own.prices ?? "").split(",").map((x) => (Number(x) >= 0 && x ? Number(x) : 1));
  const asked = useParts(
    study.id,
    rule
      ? {
          kinds: ["alike"],
          split,
          cutoffs: query,
          within: slice,
          fields,
          rule,
          gap_at_most: gap,
          prices: [needless, missed] as unknown as [number, number, number, number],
        }
      : null,
  );
  const told = asked.data?.candidates?.find((c) => c.name === front.result.name)?.splits?.[split]?.alike?.cutoffs;
  const late = pending || asked.isPlaceholderData;
  const price = (to: [number, number]) => setOwn({ prices: to.join(",") });
  return (
    <section aria-label="Cutoffs for groups" className="mt-5">
      <p className="flex items-baseline gap-x-3 gap-y-1 flex-wrap text-soft border-b border-ink pb-1">
        <b className="font-semibold text-ink text-base">Cutoffs for each group</b>
        <label className="flex items-baseline gap-1.5">
          by which all are
          <select
            className={SELECT}
            aria-label="What the cutoffs are to do"
            value={rule ?? ""}
            onChange={(e) => setOwn({ rule: e.target.value || null })}
          >
            <option value="">…</option>
            {RULES.map(([name, title]) => (
              <option key={name} value={name}>
                {title}
              </option>
            ))}
          </select>
        </label>
        {rule && (
          <>
            {rule !== "least_cost" && (
              <span className="flex items-baseline gap-1.5">
                to within
                <NumberField
                  label="How far apart at most"
                  value={gap}
                  allowed={(v) => v > 0 && v <= 1}
                  onSet={(to) => setOwn({ gap: to === null ? null : String(to) })}
                />
              </span>
            )}
            <span className="flex items-baseline gap-1.5">
              a needless flag costs
              <NumberField
                label="Cost of a needless flag"
                className="w-12"
                value={needless}
                allowed={(v) => v >= 0}
                onSet={(to) => price([to ?? 1, missed])}
              />
              a miss
              <NumberField
                label="Cost of a miss"
                className="w-12"
                value={missed}
                allowed={(v) => v >= 0}
                onSet={(to) => price([needless, to ?? 1])}
              />
            </span>
            <span className="flex-1" />
            <Button onClick={() => setOwn({ rule: null, gap: null, prices: null })}>close</Button>
          </>
        )}
      </p>
      {!rule && (
        <p className="text-soft mt-1">What separate cutoffs would do to the groups: to be read, never applied.</p>
      )}
      <Fault error={asked.error} again={() => void asked.refetch()} />
      {rule && !told && asked.isFetching && <Loading what="Trying cutoffs" />}
      {told && <Told told={told} front={front} late={late} rule={RULES.find(([n]) => n === told.rule)?.[1] ?? ""} />}
      {told && rule && mayWrite && front.shownCutoff !== null && slice.length === 0 && (
        <AskFor front={front} late={late} groups={{ by: fields, rule, gap_at_most: gap, prices: [needless, missed] }} />
      )}
      {told && results.settings.min_slice > 0 && told.kept_the_one.length > 0 && (
        <p className="text-soft mt-1">
          {named(told.kept_the_one, 6)} {told.kept_the_one.length === 1 ? "has" : "have"} too few rows on{" "}
          {told.learned_on} and {told.kept_the_one.length === 1 ? "keeps" : "keep"} the one cutoff.
        </p>
      )}
    </section>
  );
}

type AskForProps = { front: Shown; late: boolean; groups: Schemas["GroupsIn"] };

/** Put these cutoffs into the decision, which then says so; nothing that is shown changes by it. */
function AskFor({ front, late, groups }: AskForProps) {
  const { study } = useScope();
  const dossier = useDossier(study.id).data;
  const change = useDossierChange(study.id, dossierCalls(study.id).change);
  if (!dossier) return null;
  const { decision_candidate, decision_cutoff, decision_groups } = dossier;
  const asks =
    decision_candidate === front.result.name &&
    decision_cutoff === front.shownCutoff &&
    JSON.stringify(decision_groups) === JSON.stringify(groups);
  return (
    <p className="mt-1" data-part="ask-for-groups">
      {asks ? (
        <>The decision asks for these: {dossier.decision_grouped}.</>
      ) : (
        <Button
          disabled={late || change.isPending}
          onClick={() =>
            change.mutate({
              to: {
                decision_candidate: front.result.name,
                decision_cutoff: front.shownCutoff,
                decision_groups: groups,
              },
              from: { decision_candidate, decision_cutoff, decision_groups },
            })
          }
        >
          Ask for these in the decision
        </Button>
      )}
      <Fault error={change.error} />
    </p>
  );
}

type Props = { told: Cutoffs; front: Shown; late: boolean; rule: string };

function Told({ told, front, late, rule }: Props) {
  const table = useRef<HTMLDivElement>(null);
  const { split, metric, positive } = useScope();
  const { before, after, change, changed } = told;
  if (!before || !after || !changed) return null;
  const groups = Object.keys(told.by_group);
  const values = Object.values(told.by_group).flatMap((c) => (c.value === null ? [] : [c.value]));
  const now = front.shownCutoff ?? front.cutoff;
  const x = scaleLinear(spread([...values, ...(now === null ? [] : [now])]), [8, WIDE - 8]).clamp(true);
  const read = told.rule === "least_cost" ? "recall" : told.rule;
  const of = (side: typeof before, g: string, name: string) => side.by_group[g]?.metrics[name];
  const rows = () => [
    [
      "group",
      "cutoff",
      "metric",
      "before",
      "after",
      "change",
      "change low",
      "change high",
      "rows with another answer",
      "as chosen",
      "chosen over again",
    ],
    ...groups.flatMap((g) =>
      Object.keys(before.by_group[g]?.metrics ?? {}).map((name) => [
        g,
        told.by_group[g]?.value ?? "flags nothing",
        name,
        of(before, g, name)?.value ?? null,
        of(after, g, name)?.value ?? null,
        null,
        null,
        null,
        Object.values(changed.by_group[g] ?? {}).reduce((a, b) => a + b, 0),
        null,
        null,
      ]),
    ),
    ...Object.entries(change ?? {}).map(([name, d]) => [
      "all",
      "",
      name,
      before.metrics[name]?.value ?? null,
      after.metrics[name]?.value ?? null,
      d.difference ?? null,
      d.low ?? null,
      d.high ?? null,
      changed.rows,
      null,
      null,
    ]),
    ...Object.entries(told.optimism ?? {}).map(([name, o]) => [
      "all",
      "",
      name === "cost" ? `cost a row on ${told.learned_on}` : `${name} on ${told.learned_on}`,
      null,
      null,
      null,
      null,
      null,
      null,
      o.value,
      o.cross_chosen,
    ]),
  ];
  const gap = [before, after].map((side) => side.criteria[read]?.gap);
  return (
    <>
      <p
        className="font-serif text-base border-l-[3px] border-ink pl-3 my-2 max-w-[95ch]"
        data-part="own-cutoffs-sentence"
      >
        {late
          ? PENDING
          : `With cutoffs ${rule === "of least cost" ? rule : `by which all groups are ${rule}`}, chosen on ${told.learned_on}, ${several(changed.rows, "row")} of ${split} would get another answer` +
            `${gap[0] != null && gap[1] != null ? `, and the gap of ${metric(read).title.toLowerCase()} would go from ${shown(gap[0])} to ${shown(gap[1])}` : ""}.` +
            owed(told) +
            `${told.fits ? "" : ` No cutoffs bring them so near: the nearest lie ${shown(told.gap_reached ?? null)} apart on ${told.learned_on}.`}`}
      </p>
      <div ref={table} className="flex flex-wrap gap-x-8 gap-y-3 items-start">
        <table className="tabular-nums flex-[3_1_34rem]" data-part="own-cutoffs">
          <thead>
            <tr className="text-soft text-left align-bottom">
              <th className="font-normal pr-2">group</th>
              <th className="font-normal px-2">
                <span className="sr-only">drawn</span>
                <svg width={WIDE} height={20} aria-hidden="true">
                  <Ruler scale={x} side="top" at={14} ticks={4} text={(v) => String(Number(v.toPrecision(4)))} />
                </svg>
              </th>
              <th className="font-normal px-2 text-right">cutoff</th>
              <th className="font-normal px-2 text-right">{metric(read).title.toLowerCase()}</th>
              <th className="font-normal px-2 text-right">other answers</th>
            </tr>
          </thead>
          <tbody>
            {groups.map((g) => {
              const c = told.by_group[g]?.value ?? null;
              const moved = Object.values(changed.by_group[g] ?? {}).reduce((a, b) => a + b, 0);
              return (
                <tr key={g} className="border-t border-light" data-own-cutoff={g}>
                  <td className="pr-2 py-0.5 max-w-36 truncate" title={g}>
                    {g}
                  </td>
                  <td className="px-2">
                    <svg width={WIDE} height={HIGH} aria-hidden="true" className="block">
                      <line x1={8} x2={WIDE - 8} y1={HIGH / 2} y2={HIGH / 2} stroke="var(--color-light)" />
                      {now !== null && (
                        <line
                          x1={x(now)}
                          x2={x(now)}
                          y1={2}
                          y2={HIGH - 2}
                          stroke={colour(front.position)}
                          strokeDasharray="3 2"
                        />
                      )}
                      {c !== null && <circle cx={x(c)} cy={HIGH / 2} r={4} fill={colour(front.position)} />}
                    </svg>
                  </td>
                  <td className="px-2 text-right">{late ? PENDING : c === null ? "flags nothing" : shown(c)}</td>
                  <td className="px-2 text-right whitespace-nowrap">
                    {late
                      ? PENDING
                      : `${shown(of(before, g, read)?.value ?? null)} → ${shown(of(after, g, read)?.value ?? null)}`}
                  </td>
                  <td className="px-2 text-right">{late ? PENDING : count(moved)}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
        <table className="tabular-nums flex-[2_1_26rem]" data-part="own-cutoffs-change">
          <thead>
            <tr className="text-soft text-left">
              <th className="font-normal pr-2 pb-1">all rows</th>
              <th className="font-normal px-2 pb-1 text-right">before → after</th>
              <th className="font-normal px-2 pb-1">change, with interval</th>
            </tr>
          </thead>
          <tbody>
            {OVERALL.map((name) => {
              const d = change?.[name];
              const apart = d?.low != null && d.high != null && (d.low > 0 || d.high < 0);
              return (
                <tr key={name} className="border-t border-light" data-change={name}>
                  <td className="pr-2 py-0.5">{metric(name).title}</td>
                  <td className="px-2 text-right whitespace-nowrap">
                    {late
                      ? PENDING
                      : `${shown(before.metrics[name]?.value ?? null)} → ${shown(after.metrics[name]?.value ?? null)}`}
                  </td>
                  <td className={`px-2 whitespace-nowrap ${apart ? "font-semibold" : "text-soft"}`}>
                    {late || !d || d.difference == null
                      ? PENDING
                      : `${shown(d.difference)}${d.low != null ? `, ${shown(d.low)} to ${shown(d.high)}` : ""}`}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      <p className="font-serif italic text-soft mt-1 max-w-[95ch]">
        <SaveTable
          figure={table}
          of={`${front.name}: a cutoff for each group`}
          name={`cutoffs-${front.letter}-${told.rule}`}
          rows={rows}
          disabled={late}
        />
        Dashed: the one cutoff of now. Dot: the group's own. Rows are predicted “{positive}” from there on. Cutoffs are
        chosen on {told.learned_on} and read on {split}; bold: the paired change is separated from nought. Nothing here
        is applied.
      </p>
    </>
  );
}

/** What the cutoffs owe to being chosen on the same rows. */
function owed({ optimism = {}, learned_on }: Cutoffs): string {
  const each = [
    ["gap", "a gap of", ""],
    ["cost", "a cost of", " a row"],
  ].flatMap(([name = "", before, after]) => {
    const o = optimism[name];
    if (!o || o.cross_chosen === null) return [];
    return [`${before} ${shown(o.cross_chosen)}${after} in place of ${shown(o.value)}`];
  });
  const why = Object.values(optimism).find((o) => o.why)?.why;
  if (why) return ` What they owe to being chosen there is not told: ${why}.`;
  return each.length === 0
    ? ""
    : ` Chosen over again on nine tenths of ${learned_on} and read on the tenth: ${each.join(" and ")}.`;
}

function spread(values: number[]): [number, number] {
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const room = (high - low || Math.abs(high) || 1) * 0.1;
  return [low - room, high + room];
}
