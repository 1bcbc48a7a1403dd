import { useMemo } from "react";
import { useTallies } from "../../api/queries";
import { Drafted } from "../../app/Drafted";
import { metricOf, ofClass, type Shown, useOwn, useScope } from "../../app/scope";
import type { Stretch } from "../../charts/Band";
import { type Alone, CurveChart, type Point, type Series } from "../../charts/CurveChart";
import { place, type Tally } from "../../charts/tally";
import { ViewHead } from "../../parts/basics";
import { Choice } from "../../parts/Choice";
import { colour, dash } from "../../parts/marks";
import { named, shown } from "../../parts/number";
import { Areas } from "./Areas";
import { ClassCurves } from "./ClassCurves";
import { AREA, type Drawn, drawn, gained, type Kind } from "./drawn";
import { OVER, Over } from "./Over";

const DRAWN = ["roc", "gain"] as const;

/** The band around a ROC curve as one outline: steps of the upper side, and of the lower. */
function banded({ roc_band: found }: Drawn): Stretch[] | null {
  if (!found) return null;
  const { upper, lower } = found;
  const over = (x: number) => upper.tpr[upper.fpr.findLastIndex((f) => f <= x)] ?? 0;
  const under = (x: number) => lower.tpr[lower.fpr.findIndex((f) => f >= x)] ?? lower.tpr.at(-1) ?? 1;
  const places = [...new Set([0, ...upper.fpr, ...lower.fpr, 1])].sort((a, b) => a - b);
  return places.flatMap((x, i) => {
    const before = places[i - 1];
    const here = { x, low: under(x), high: over(x) };
    if (before === undefined) return [here];
    const middle = (before + x) / 2; // between two places both sides are level
    return [{ x: before, low: under(middle), high: over(middle) }, { x, low: under(middle), high: over(middle) }, here];
  });
}

/** The band around a precision-recall curve, where any cutoff is close enough to tell one. */
function bandedPr({ pr_band: found }: Drawn): Stretch[] | null {
  const told = (found?.recall ?? []).flatMap((x, i): Stretch[] => {
    const [low, high] = [found?.low[i] ?? null, found?.high[i] ?? null];
    return low === null || high === null ? [] : [{ x, low, high }];
  });
  return told.length > 0 ? told : null;
}

/** Every place that the tally counts, as points of a curve; of what the tally counts, rows without an answer are part. */
function exact(t: Tally, kind: Kind): Point[] {
  const [p, n] = [t.positives - t.unanswered_positive, t.negatives - t.unanswered_negative];
  return t.tp.map((tp, k) => {
    const fp = t.fp[k] ?? 0;
    const cutoff = place(t, k);
    return kind === "roc" ? { x: fp / n, y: tp / p, cutoff } : { x: tp / p, y: tp / (tp + fp), cutoff };
  });
}

/** Where a candidate's cutoff stands on its curve: among the rows that have a score, as the curve is. */
function ring(c: Shown, kind: Kind): Point | null {
  const n = c.part.outcomes;
  if (c.pending || !n) return null;
  const [p, all] = [n.tp + n.fn - n.unanswered_positive, n.fp + n.tn];
  if (kind === "roc") return { x: n.fp / all, y: n.tp / p, cutoff: c.shownCutoff };
  return n.tp + n.fp > 0 ? { x: n.tp / p, y: n.tp / (n.tp + n.fp), cutoff: c.shownCutoff } : null;
}

const read = (c: Shown, of: string): Drawn => ofClass(c.part, of) ?? c.part;
const areaOf = (c: Shown, of: string, name: "roc_auc" | "average_precision") =>
  ofClass(c.part, of)?.[name] ?? metricOf(c.part, name);

/** A candidate of classes only, as the point where it stands. */
function alone(c: Shown, kind: Kind): Alone[] {
  const [x, y] = (kind === "roc" ? ["fpr", "recall"] : ["recall", "precision"]).map((m) => metricOf(c.part, m));
  if (x?.value == null || y?.value == null) return [];
  const look = { key: c.position, letter: c.letter, name: c.name, color: colour(c.position) };
  return [{ ...look, x: { ...x, value: x.value }, y: { ...y, value: y.value } }];
}

export function CurvesView() {
  const { many } = useScope();
  const [over] = useOwn("over", OVER);
  return many && over === "classes" ? <ClassCurves /> : <CandidateCurves />;
}

function CandidateCurves() {
  const { study, split, slice, chosen, many, of, called, baseRate, baselines, few, own, setOwn, results, keep } =
    useScope();
  const tallies = useTallies(study.id, split, slice).data?.tallies;
  const scored = chosen.filter((c) => read(c, of).roc && read(c, of).pr);
  const series = useMemo(() => {
    const lines = (kind: Kind): Series[] =>
      scored.map((c) => {
        const t = many ? undefined : tallies?.find((one) => one.position === c.position);
        return {
          key: c.position,
          color: colour(c.position),
          dash: dash(c.position),
          letter: c.letter,
          name: c.name,
          area: areaOf(c, of, AREA[kind]).value,
          drawn: drawn(read(c, of), kind),
          exact: t ? exact(t, kind) : drawn(read(c, of), kind),
          at: many ? null : ring(c, kind),
        };
      });
    return { roc: lines("roc"), pr: lines("pr") };
  }, [scored, tallies, many, of]);
  const gains = useMemo(() => {
    const lines = (kind: "recall" | "lift"): Series[] =>
      scored.map((c) => {
        const points = gained(read(c, of), kind);
        const look = {
          key: c.position,
          color: colour(c.position),
          dash: dash(c.position),
          letter: c.letter,
          name: c.name,
        };
        return { ...look, area: areaOf(c, of, "roc_auc").value, drawn: points, exact: points, at: null };
      });
    return { recall: lines("recall"), lift: lines("lift") };
  }, [scored, of]);
  const [draw, choose] = useOwn("draw", DRAWN);
  const highest = [...series.roc].sort((a, b) => (b.area ?? 0) - (a.area ?? 0))[0];
  const front = series.roc.find((s) => s.letter === own.front) ?? highest;
  const inFront = scored.find((c) => c.position === front?.key);
  const [rocs, prs] = useMemo(() => {
    const part = inFront && read(inFront, of);
    const along = (lines: Series[], band: Stretch[] | null) =>
      lines.map((s) => (s.key === inFront?.position ? { ...s, band } : s));
    return [along(series.roc, part ? banded(part) : null), along(series.pr, part ? bandedPr(part) : null)];
  }, [series, inFront, of]);
  const bring = (key: number) => {
    const letter = series.roc.find((s) => s.key === key)?.letter;
    if (letter) setOwn({ front: letter });
  };
  const base = (many ? baselines[0] && ofClass(baselines[0].part, of)?.prevalence?.value : baseRate) ?? 0;
  const without = chosen.filter((c) => !read(c, of).roc);
  const tallest = Math.max(1, ...gains.lift.flatMap((s) => s.drawn.map((p) => p.y)));
  return (
    <>
      <ViewHead title="Curves">
        <div className="flex items-baseline gap-4 text-sm text-soft flex-wrap">
          {many ? <Over /> : null}
          <span>{many ? `“${called(of)}” against the rest` : "exact: one point a distinct score"}</span>
          {scored.length > 0 && (
            <Choice
              name="what is drawn"
              value={draw}
              onChange={choose}
              options={[
                ["roc", "ROC and precision-recall"],
                ["gain", "gain and lift"],
              ]}
            />
          )}
        </div>
      </ViewHead>
      <Drafted view="curves" />
      {scored.length > 0 && draw === "roc" && (
        <div className="grid grid-cols-[repeat(auto-fit,minmax(370px,1fr))] gap-x-6 gap-y-5 max-w-[1040px]">
          <CurveChart
            title="ROC"
            x="False-positive rate"
            y="Recall"
            areaName="ROC AUC"
            series={rocs}
            alone={many ? [] : without.flatMap((c) => alone(c, "roc"))}
            spoken={front?.key}
            onSpoken={bring}
            onCutoff={many ? undefined : keep}
            reference={{ from: [0, 0], to: [1, 1] }}
          />
          <CurveChart
            title="Precision-recall"
            x="Recall"
            y="Precision"
            areaName="Avg precision"
            series={prs}
            spoken={front?.key}
            onSpoken={bring}
            alone={many ? [] : without.flatMap((c) => alone(c, "pr"))}
            steps
            onCutoff={many ? undefined : keep}
            reference={{ from: [0, base], to: [1, base], label: `base rate ${shown(base)}` }}
          />
        </div>
      )}
      {scored.length > 0 && draw === "gain" && (
        <div className="grid grid-cols-[repeat(auto-fit,minmax(370px,1fr))] gap-x-6 gap-y-5 max-w-[1040px]">
          <CurveChart
            title="Gain"
            x="Share of rows flagged"
            y="Recall"
            areaName="ROC AUC"
            series={gains.recall}
            reference={{ from: [0, 0], to: [1, 1] }}
          />
          <CurveChart
            title="Lift"
            x="Share of rows flagged"
            y="Lift"
            areaName="ROC AUC"
            series={gains.lift}
            top={tallest}
            reference={{ from: [0, 1], to: [1, 1], label: "guessing: 1" }}
          />
        </div>
      )}
      {scored.length > 0 && (
        <p className="text-sm text-soft font-serif italic max-w-[90ch]">
          {draw === "roc"
            ? `Bands: what the curves of ${front?.name ?? ""} may be at each cutoff, ${results.settings.confidence * 100} %, never the whole curve; press a letter for another. ${without.length > 0 && !many ? "Crosses: candidates of classes only, with both intervals. " : ""}ROC area by trapezoids, average precision by steps.`
            : "Gain: of all positives, how many are found among the rows flagged first. Lift: how many times as often as by guessing."}
        </p>
      )}
      {scored.length > 0 && <Areas scored={scored} />}
      {without.length > 0 && !few && (
        <p className="text-sm text-soft mt-3">
          {named(without.map((c) => c.name))} {without.length === 1 ? "answers" : "answer"} classes only: there is no{" "}
          {many ? "probability" : "score"} to draw a curve from.
        </p>
      )}
    </>
  );
}
