import { useMemo } from "react";
import type { Metric } from "../../api/client";
import { useParts } from "../../api/queries";
import { Drafted } from "../../app/Drafted";
import { Figure } from "../../app/Figure";
import { InFront } from "../../app/InFront";
import { useKeys } from "../../app/keys";
import { metricOf, useOwn, useScope } from "../../app/scope";
import { CurveChart, type Series } from "../../charts/CurveChart";
import { domainOf } from "../../charts/scales";
import { Whisker, WhiskerRuler } from "../../charts/Whisker";
import { Fault, ViewHead } from "../../parts/basics";
import { Choice } from "../../parts/Choice";
import { colour, dash } from "../../parts/marks";
import { count, named, shown } from "../../parts/number";
import { AREA, drawn, gained, type Kind } from "./drawn";
import { Over } from "./Over";

const MOST = 6; // classes with a line of their own beside the one in front; the others are pale
const MEANS = [
  ["macro", "m", "plain mean"],
  ["micro", "p", "pooled"],
] as const;

type Area = { roc: Metric; pr: Metric };
type One = { key: number; name: string; label: string | null; rows: number | null; of: Area };

/** The classes of one candidate over each other, with the mean of their curves and the one of all pairs pooled. */
export function ClassCurves() {
  const { study, split, slice, chosen, results, of, called, go, own, few } = useScope();
  const { classes } = results.holdout;
  const probable = chosen.filter((c) => classes.some((label) => c.part.per_class?.[label]?.roc));
  const front = probable.find((c) => c.letter === own.front) ?? probable[0];
  const [draw, choose] = useOwn("draw", ["roc", "gain"]);
  const asked = useParts(study.id, few ? null : { kinds: ["averaged"], split, cutoffs: "", within: slice });
  const means = asked.data?.candidates?.find((c) => c.name === front?.result.name)?.splits?.[split]?.averaged;
  const at = Math.max(0, classes.indexOf(of));
  const step = (by: number) => go({ of: classes[(at + by + classes.length) % classes.length] ?? of });
  useKeys({ ArrowDown: () => step(1), ArrowUp: () => step(-1) });
  const told = useMemo(() => {
    const each = classes.map((label, key): One => {
      const one = front?.part.per_class?.[label];
      const area = { roc: one?.roc_auc ?? NONE, pr: one?.average_precision ?? NONE };
      return { key, name: called(label), label, rows: one?.actual_rows ?? null, of: area };
    });
    const averages = MEANS.map(([kind, , title], i): One => {
      const macro = kind === "macro";
      const pr = macro
        ? front?.part.averages?.macro?.average_precision
        : front && metricOf(front.part, "average_precision_micro");
      const roc = front && metricOf(front.part, macro ? "roc_auc_macro" : "roc_auc_micro");
      return {
        key: classes.length + i,
        name: title,
        label: null,
        rows: null,
        of: { roc: roc ?? NONE, pr: pr ?? NONE },
      };
    });
    return [...each, ...averages];
  }, [front, classes, called]);
  const lowest = [...told.slice(0, classes.length)].sort((a, b) => (a.of.roc.value ?? 2) - (b.of.roc.value ?? 2));
  const lined = new Set([at, ...lowest.slice(0, MOST).map((one) => one.key)]);
  const lines = (kind: Kind | "recall" | "lift"): Series[] =>
    told.flatMap((one): Series[] => {
      const mean = MEANS[one.key - classes.length];
      if (mean && (kind === "recall" || kind === "lift")) return [];
      const part = front && one.label !== null ? front.part.per_class?.[one.label] : undefined;
      const curve = mean
        ? drawn(means?.[mean[0]] ?? {}, kind as Kind)
        : part
          ? kind === "recall" || kind === "lift"
            ? gained(part, kind)
            : drawn(part, kind)
          : [];
      if (curve.length === 0) return [];
      const spoken = one.key === at;
      return [
        {
          key: one.key,
          letter: mean ? mean[1] : String(one.key + 1),
          name: one.name,
          color: mean ? "var(--color-ink)" : spoken ? colour(front?.position ?? 1) : "var(--color-soft)",
          dash: mean ? (mean[0] === "macro" ? "" : "6 3") : spoken ? "" : dash((one.key % 5) + 2),
          area: (kind === "pr" ? one.of.pr : one.of.roc).value,
          drawn: curve,
          exact: curve,
          at: null,
          faint: !mean && !lined.has(one.key),
        },
      ];
    });
  const share = front?.part.per_class?.[of]?.prevalence?.value ?? 0;
  const bring = (key: number) => classes[key] !== undefined && go({ of: classes[key] });
  const charts = draw === "roc" ? (["roc", "pr"] as const) : (["recall", "lift"] as const);
  const without = chosen.filter((c) => !probable.includes(c));
  const domains = { roc: domainFor(told, "roc"), pr: domainFor(told, "pr") };
  return (
    <>
      <ViewHead title="Curves">
        <div className="flex items-baseline gap-4 text-sm text-soft flex-wrap">
          <Over />
          <Choice
            name="what is drawn"
            value={draw}
            onChange={choose}
            options={[
              ["roc", "ROC and precision-recall"],
              ["gain", "gain and lift"],
            ]}
          />
        </div>
      </ViewHead>
      <Drafted view="curves" />
      <Fault error={asked.error} again={() => void asked.refetch()} />
      {front && (
        <>
          <p className="flex items-center gap-2 text-sm text-soft mb-1">
            <InFront of={probable} front={front} /> <b className="text-ink font-semibold truncate">{front.name}</b>
          </p>
          <div className="grid grid-cols-[repeat(auto-fit,minmax(370px,1fr))] gap-x-6 gap-y-5 max-w-[1040px]">
            {charts.map((kind) => (
              <CurveChart
                key={kind}
                {...CHARTS[kind]}
                series={lines(kind)}
                spoken={at}
                onSpoken={bring}
                top={kind === "lift" ? tallest(lines(kind)) : 1}
                reference={
                  kind === "pr"
                    ? { from: [0, share], to: [1, share], label: `“${called(of)}”: base rate ${shown(share)}` }
                    : kind === "lift"
                      ? { from: [0, 1], to: [1, 1], label: "guessing: 1" }
                      : { from: [0, 0], to: [1, 1] }
                }
              />
            ))}
          </div>
          <p className="text-sm text-soft font-serif italic max-w-[90ch]">
            In colour: “{called(of)}”, chosen above, by <span className="kbd not-italic">↑</span>{" "}
            <span className="kbd not-italic">↓</span> or by its number. Thick ink: the plain mean of the classes;
            dashed: all pairs of a row and a class pooled. {classes.length > MOST && "Pale: classes of larger areas. "}
            No test compares averages.
          </p>
          <table className="mt-4 text-left" data-part="class-areas" data-candidate={front.letter}>
            <thead>
              <tr className="text-sm text-soft border-b border-rule align-bottom">
                <th className="font-normal pr-4 py-1">Class</th>
                <th className="font-normal pr-6 text-right">rows</th>
                <th className="font-normal pr-8">
                  ROC AUC
                  <WhiskerRuler domain={domains.roc} />
                </th>
                <th className="font-normal pr-8">
                  Average precision
                  <WhiskerRuler domain={domains.pr} />
                </th>
              </tr>
            </thead>
            <tbody>
              {told.map((one) => (
                <tr
                  key={one.key}
                  data-row={one.label ?? one.name}
                  className={`border-b border-light ${one.label === of ? "border-l-[3px] border-l-ink" : ""}`}
                >
                  <th
                    scope="row"
                    className={`pr-4 pl-1.5 py-1 ${one.label === null ? "font-serif italic font-normal" : "font-semibold"}`}
                  >
                    {one.label === null ? (
                      one.name
                    ) : (
                      <button
                        type="button"
                        className="text-left hover:underline max-w-64 truncate"
                        onClick={() => bring(one.key)}
                      >
                        <span className="text-soft font-normal">{one.key + 1}</span> {one.name}
                      </button>
                    )}
                  </th>
                  <td className="pr-6 text-right">{one.rows === null ? "" : count(one.rows)}</td>
                  {(["roc", "pr"] as const).map((kind) => (
                    <td key={kind} className="pr-8 whitespace-nowrap">
                      <AreaOf of={one} kind={kind} name={front.result.name} />{" "}
                      <span className="text-soft text-sm">
                        {one.of[kind].low != null && `${shown(one.of[kind].low)} to ${shown(one.of[kind].high)}`}
                      </span>
                      <Whisker of={one.of[kind]} domain={domains[kind]} color={colour(front.position)} />
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      {without.length > 0 && !few && (
        <p className="text-sm text-soft mt-3">
          {named(without.map((c) => c.name))} {without.length === 1 ? "answers" : "answer"} classes only: there is no
          probability to draw a curve from.
        </p>
      )}
    </>
  );
}

const NONE: Metric = { value: null, why: "not computed" };
const CHARTS = {
  roc: { title: "ROC", x: "False-positive rate", y: "Recall", areaName: "ROC AUC" },
  pr: { title: "Precision-recall", x: "Recall", y: "Precision", areaName: "Avg precision", steps: true },
  recall: { title: "Gain", x: "Share of rows flagged", y: "Recall", areaName: "ROC AUC" },
  lift: { title: "Lift", x: "Share of rows flagged", y: "Lift", areaName: "ROC AUC" },
};

const tallest = (series: Series[]) => Math.max(1, ...series.flatMap((s) => s.drawn.map((p) => p.y)));
const domainFor = (told: One[], kind: Kind) =>
  domainOf(told.flatMap((one) => [one.of[kind].value, one.of[kind].low, one.of[kind].high]));

function AreaOf({ of, kind, name }: { of: One; kind: Kind; name: string }) {
  if (of.label === null && kind === "pr" && of.name === "plain mean")
    return <span title={of.of.pr.why ?? undefined}>{shown(of.of.pr.value)}</span>;
  const metric =
    of.label !== null
      ? AREA[kind]
      : of.name === "pooled"
        ? kind === "roc"
          ? "roc_auc_micro"
          : "average_precision_micro"
        : "roc_auc_macro";
  return <Figure candidate={name} metric={metric} value={of.of[kind]} of={of.label ?? undefined} />;
}
