import { useSentence, useTallies } from "../../api/queries";
import { outcomes, useScope } from "../../app/scope";
import { CurveChart, type Point, type Series } from "../../charts/CurveChart";
import { Sentence, Tile, ViewHead } from "../../parts/basics";
import { Figure } from "../../parts/Figure";
import { shown } from "../../parts/number";

export function CurvesView() {
  const { study, split, show, query, chosen, results, many } = useScope();
  const sentence = useSentence(study.id, { view: "curves", split, show, cutoffs: query }).data?.sentence;
  const tallies = useTallies(study.id, split).data?.tallies;
  const scored = chosen.filter((c) => c.part.roc && c.part.pr);
  const series = (kind: "roc" | "pr"): Series[] =>
    scored.map((c) => {
      const t = tallies?.find((one) => one.position === c.position);
      const n = outcomes(results, c.part);
      const drawn: Point[] =
        kind === "roc"
          ? (c.part.roc?.fpr ?? []).map((x, i) => ({
              x,
              y: c.part.roc?.tpr[i] ?? 0,
              cutoff: c.part.roc?.cutoff[i] ?? null,
            }))
          : (c.part.pr?.recall ?? []).map((x, i) => ({
              x,
              y: c.part.pr?.precision[i] ?? 0,
              cutoff: c.part.pr?.cutoff[i] ?? null,
            }));
      const place = (tp: number, fp: number, cutoff: number | null): Point =>
        kind === "roc"
          ? { x: fp / (n.fp + n.tn), y: tp / (n.tp + n.fn), cutoff }
          : { x: tp / (n.tp + n.fn), y: tp / (tp + fp), cutoff };
      return {
        position: c.position,
        letter: c.letter,
        name: c.name,
        area: c.part.metrics[kind === "roc" ? "roc_auc" : "average_precision"]?.value ?? null,
        drawn,
        exact: t ? t.score.map((score, i) => place(t.tp[i] ?? 0, t.fp[i] ?? 0, score)) : drawn,
        at: kind === "roc" || n.tp + n.fp > 0 ? place(n.tp, n.fp, c.shownCutoff) : null,
      };
    });
  if (many)
    return (
      <>
        <ViewHead title="Curves" />
        {sentence && <Sentence>{sentence}</Sentence>}
      </>
    );
  const base = chosen[0]?.part.metrics.prevalence?.value ?? 0;
  const without = chosen.filter((c) => !c.part.roc);
  return (
    <>
      <ViewHead
        title="Curves"
        note="exact: one point a distinct score · ROC area by trapezoids, average precision by steps"
      />
      {sentence && <Sentence>{sentence}</Sentence>}
      {scored.length > 0 && (
        <div className="grid grid-cols-[repeat(auto-fit,minmax(370px,1fr))] gap-x-6 gap-y-5 max-w-[1040px]">
          <CurveChart
            title="ROC"
            x="False-positive rate"
            y="Recall"
            areaName="ROC AUC"
            series={series("roc")}
            reference={{ from: [0, 0], to: [1, 1] }}
          />
          <CurveChart
            title="Precision-recall"
            x="Recall"
            y="Precision"
            areaName="Avg precision"
            series={series("pr")}
            reference={{ from: [0, base], to: [1, base], label: `base rate ${shown(base)}` }}
          />
        </div>
      )}
      <table className="mt-5 text-left">
        <thead>
          <tr className="text-sm text-soft border-b border-rule">
            <th className="font-normal pr-8 py-1">Candidate</th>
            <th className="font-normal pr-8">ROC AUC</th>
            <th className="font-normal pr-8">Average precision</th>
          </tr>
        </thead>
        <tbody>
          {scored.map((c) => (
            <tr key={c.position} className="border-b border-light">
              <th scope="row" className="font-semibold pr-8 py-1.5">
                <span className="flex items-center gap-2">
                  <Tile position={c.position} letter={c.letter} /> {c.name}
                </span>
              </th>
              {(["roc_auc", "average_precision"] as const).map((m) => {
                const metric = c.part.metrics[m];
                return (
                  <td key={m} className="pr-8">
                    {metric && <Figure candidate={c.name} metric={m} value={metric} />}{" "}
                    <span className="text-soft text-sm">
                      {metric?.low != null && `${shown(metric.low)} to ${shown(metric.high)}`}
                    </span>
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
      {without.length > 0 && (
        <p className="text-sm text-soft mt-3">
          {without.map((c) => c.name).join(", ")} {without.length === 1 ? "answers" : "answer"} classes only, with no
          score to draw a curve from.
        </p>
      )}
    </>
  );
}
