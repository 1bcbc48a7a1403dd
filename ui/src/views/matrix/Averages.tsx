import { useRef } from "react";
import type { Metric } from "../../api/client";
import { useParts } from "../../api/queries";
import { differenceOf, Less, reported } from "../../app/Difference";
import { SaveTable } from "../../app/SaveTable";
import { type Shown, useScope } from "../../app/scope";
import { domainOf } from "../../charts/scales";
import { Whisker, WhiskerRuler } from "../../charts/Whisker";
import { PENDING } from "../../parts/basics";
import { colour } from "../../parts/marks";
import { shown } from "../../parts/number";
import type { Face } from "./Rungs";

const BLOCKS = [
  ["macro", "plain mean over classes", ["precision", "recall", "f1"]],
  ["weighted", "weighted by rows", ["precision", "f1"]], // the weighted recall is the accuracy
  ["micro", "pooled", ["precision"]],
] as const;

type Means = Record<string, Record<string, Metric> | undefined>;
type Props = { faces: (Face & { means: Means })[] };

/** Averages over the classes, on one ruler; whether two are apart is told where one is taken off another. */
export function Averages({ faces }: Props) {
  const { metric, pending } = useScope();
  const of = (f: Props["faces"][number], block: string, name: string): Metric =>
    f.means[block]?.[name] ?? { value: null, why: "not computed" };
  const domain = domainOf(
    BLOCKS.flatMap(([block, , names]) =>
      names.flatMap((name) =>
        faces.flatMap((f) => {
          const m = of(f, block, name);
          return [m.value, m.low, m.high];
        }),
      ),
    ),
  );
  return (
    <section aria-label="Averages" className="min-w-0" data-part="averages">
      <header className="flex items-end gap-3">
        <h2 className="font-sans text-sm font-semibold flex-1">averages</h2>
        <span className="mr-14">
          <WhiskerRuler domain={domain} />
        </span>
      </header>
      {BLOCKS.map(([block, title, names]) => (
        <div key={block} className="mb-2">
          <h3 className="font-serif italic text-sm border-b border-light font-normal">{title}</h3>
          {names.map((name) => (
            <dl key={name} className="grid grid-cols-[1fr_auto] items-center gap-x-2 text-sm mt-0.5">
              <dt>{block === "micro" ? "precision, recall, F1" : metric(name).title}</dt>
              <dd>
                {faces.map((f) => {
                  const m = of(f, block, name);
                  return (
                    <span
                      key={f.c.position}
                      className="flex items-center gap-2 leading-tight"
                      data-average={`${block}-${name}-${f.c.letter}`}
                      title={m.low == null ? (m.why ?? undefined) : `${shown(m.low)} to ${shown(m.high ?? null)}`}
                    >
                      {!pending && <Whisker of={m} domain={domain} color={colour(f.c.position)} />}
                      <span className="w-12 text-right">{pending ? PENDING : shown(m.value)}</span>
                    </span>
                  );
                })}
              </dd>
            </dl>
          ))}
        </div>
      ))}
    </section>
  );
}

const TESTED = BLOCKS.filter(([block]) => block !== "micro");

/** One candidate's averages less another's, by the paired tests on the reported rows. */
export function LessAverages({ pair: [a, b] }: { pair: [Shown, Shown] }) {
  const table = useRef<HTMLDivElement>(null);
  const scope = useScope();
  const { study, split, slice, query, results, metric, pending, few } = scope;
  const there = reported(scope) && !few;
  const asked = useParts(study.id, there ? { kinds: ["pairs"], split, cutoffs: query, within: slice } : null);
  if (!there) return null;
  const told = TESTED.map(([block, title, names]) => ({
    block,
    title,
    lines: names.map((name) => ({
      name,
      d: differenceOf(
        asked.data?.pairs ?? [],
        a,
        b,
        (of) => of.averages?.[block]?.[name],
        1 - results.settings.confidence,
      ),
    })),
  }));
  const domain = domainOf([0, ...told.flatMap(({ lines }) => lines.flatMap(({ d }) => [d.low, d.high]))]);
  const rows = () => [
    ["candidate", "less", "split", ...slice.map(() => "slice"), "average", "metric", "difference", "low", "high"],
    ...told.flatMap(({ block, lines }) =>
      lines.map(({ name, d }) => [
        a.name,
        b.name,
        split,
        ...slice,
        block,
        name,
        d.value,
        d.low ?? null,
        d.high ?? null,
      ]),
    ),
  ];
  return (
    <section aria-label="Averages compared" className="text-sm" data-part="less-averages">
      <h2 className="font-sans text-sm font-semibold">
        averages, {a.letter} less {b.letter}{" "}
        <SaveTable
          figure={table}
          of={`Averages, ${a.name} less ${b.name}`}
          name={`averages-${a.letter}-less-${b.letter}-${split}`}
          rows={rows}
          disabled={!asked.data}
        />
      </h2>
      <div ref={table} className="flex flex-wrap gap-x-8 gap-y-2">
        {told.map(({ block, title, lines }) => (
          <dl key={block} className="flex gap-6">
            <dt className="font-serif italic text-soft w-24">{title}</dt>
            {lines.map(({ name, d }) => (
              <dd key={name} data-less-average={`${block}-${name}`}>
                <span className="block text-soft">{metric(name).title}</span>
                <Less
                  of={d}
                  own={false}
                  waiting={pending || !asked.data || asked.isPlaceholderData}
                  domain={domain}
                  color={colour(a.position)}
                  written
                />
              </dd>
            ))}
          </dl>
        ))}
      </div>
    </section>
  );
}
