import { scaleLinear } from "d3-scale";
import { useRef } from "react";
import type { Schemas } from "../../api/client";
import { type Shown, useScope } from "../../app/scope";
import { Ruler } from "../../charts/Ruler";
import { SaveMenu } from "../../charts/SaveMenu";
import { domainOf, type Interval } from "../../charts/scales";
import { colour } from "../../parts/marks";
import { count } from "../../parts/number";

const [SIDE, LEFT, TOP, BOTTOM] = [300, 46, 10, 36];

type Props = { a: Shown; b: Shown; told: Schemas["DisagreementResult"] };

/** Score against score, with both cutoffs; in colour what one alone flags of the positive rows. */
export function Scores({ a, b, told }: Props) {
  const { positive, negative, results, positiveLabel, few } = useScope();
  const figure = useRef<SVGSVGElement>(null);
  const { points } = told;
  if (!points || points.a.length === 0 || few) return null;
  const p = results.holdout.classes.indexOf(positiveLabel);
  const within = (xs: number[]): Interval => (xs.every((x) => x >= 0 && x <= 1) ? [0, 1] : (domainOf(xs) ?? [0, 1]));
  const x = scaleLinear(within(points.a), [LEFT, LEFT + SIDE]);
  const y = scaleLinear(within(points.b), [TOP + SIDE, TOP]);
  const flags = (v: number, c: Shown) => c.shownCutoff !== null && v >= c.shownCutoff;
  const order = points.actual
    .map((_, i) => i)
    .sort((i, j) => Number(points.actual[i] === p) - Number(points.actual[j] === p));
  const saved = () => [
    [a.name, b.name, "actual"],
    ...points.a.map((v, i) => [v, points.b[i] ?? null, results.holdout.classes[points.actual[i] ?? 0] ?? ""]),
  ];
  return (
    <section aria-label="Score against score" className="text-sm">
      <header className="flex items-baseline gap-3 border-b border-ink pb-0.5">
        <h2 className="text-lg flex-1">Score against score</h2>
        <SaveMenu figure={figure} name={`scores-${a.letter}-${b.letter}`} rows={saved} />
      </header>
      <svg
        ref={figure}
        viewBox={`0 0 ${LEFT + SIDE + 12} ${TOP + SIDE + BOTTOM}`}
        className="w-full max-w-[400px]"
        role="img"
        aria-label={`Scores of ${b.name} against those of ${a.name}`}
        data-part="scores"
      >
        <rect x={LEFT} y={TOP} width={SIDE} height={SIDE} fill="var(--color-sheet)" stroke="var(--color-rule)" />
        {order.map((i) => {
          const [u, v] = [points.a[i] ?? 0, points.b[i] ?? 0];
          const is = points.actual[i] === p;
          const [one, other] = [flags(u, a), flags(v, b)];
          const mine =
            is && one !== other ? colour((one ? a : b).position) : is ? "var(--color-ink)" : "var(--color-passed)";
          return <circle key={i} cx={x(u)} cy={y(v)} r={is ? 2 : 1.4} fill={mine} opacity={is ? 0.85 : 0.6} />;
        })}
        {a.shownCutoff !== null && (
          <line x1={x(a.shownCutoff)} x2={x(a.shownCutoff)} y1={TOP} y2={TOP + SIDE} stroke="var(--color-ink)" />
        )}
        {b.shownCutoff !== null && (
          <line x1={LEFT} x2={LEFT + SIDE} y1={y(b.shownCutoff)} y2={y(b.shownCutoff)} stroke="var(--color-ink)" />
        )}
        <Ruler scale={x} side="bottom" at={TOP + SIDE} ticks={5} />
        <Ruler scale={y} side="left" at={LEFT} ticks={5} />
        <text x={LEFT + SIDE / 2} y={TOP + SIDE + 32} textAnchor="middle">
          score of {a.letter}
        </text>
        <text transform={`translate(12 ${TOP + SIDE / 2}) rotate(-90)`} textAnchor="middle">
          score of {b.letter}
        </text>
      </svg>
      <p className="font-serif italic text-soft">
        Dark: {positive}; pale: {negative}; in colour: {positive}, and only that one flags it. Lines: the cutoffs.{" "}
        {points.of > points.a.length && `${count(points.a.length)} of ${count(points.of)} rows are drawn, evenly.`}
      </p>
    </section>
  );
}
