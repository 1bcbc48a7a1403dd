import { useRef } from "react";
import type { Metric } from "../../api/client";
import { Figure } from "../../app/Figure";
import { InFront } from "../../app/InFront";
import { SaveTable } from "../../app/SaveTable";
import { type Shown, useOwn, useScope } from "../../app/scope";
import { domainOf } from "../../charts/scales";
import { Whisker, WhiskerRuler } from "../../charts/Whisker";
import { PENDING } from "../../parts/basics";
import { colour } from "../../parts/marks";
import { count, shown } from "../../parts/number";

const TOLD = ["precision", "recall", "f1"] as const;
const AVERAGES = [
  ["macro", "plain mean of the classes"],
  ["weighted", "mean weighted by their rows"],
  ["micro", "all pooled"],
] as const;

const NONE: Metric = { value: null, why: "not computed" };
type Line = {
  key: string;
  name: string;
  label: string | null;
  rows: number | null;
  predicted: number | null;
  of: (metric: string) => Metric;
};

function linesOf(c: Shown, classes: string[], called: (label: string) => string): Line[] {
  const each = classes.map((label): Line => {
    const one = c.part.per_class?.[label];
    const metrics = (one ?? {}) as Record<string, unknown>;
    return {
      key: label,
      name: called(label),
      label,
      rows: one?.actual_rows ?? null,
      predicted: one?.predicted_rows ?? null,
      of: (metric) => (metrics[metric] as Metric | undefined) ?? NONE,
    };
  });
  const means = AVERAGES.map(
    ([key, name]): Line => ({
      key,
      name,
      label: null,
      rows: null,
      predicted: null,
      of: (metric) => c.part.averages?.[key]?.[metric] ?? NONE,
    }),
  );
  return [...each, ...means];
}

/** Each class against the rest, and the averages over them: of the candidate in front on screen, of all in the file. */
export function Classes() {
  const table = useRef<HTMLTableElement>(null);
  const { chosen, results, called, split, slice, own, pending, few, metric } = useScope();
  const [open, unfold] = useOwn("classes", ["no", "yes"]);
  const { classes } = results.holdout;
  const told = chosen.filter((c) => c.part.matrix);
  const front = told.find((c) => c.letter === own.front) ?? told[0];
  if (!front || few) return null;
  if (open === "no")
    return (
      <p className="text-sm mt-3">
        <button type="button" className="link" onClick={() => unfold("yes")}>
          each class, with averages
        </button>
      </p>
    );
  const lines = linesOf(front, classes, called);
  const domains = TOLD.map((name) =>
    domainOf(lines.map((line) => line.of(name)).flatMap((m) => [m.value, m.low, m.high])),
  );
  const rows = () => [
    [
      "candidate",
      "split",
      ...slice.map(() => "slice"),
      "cutoff",
      "class",
      "actual_rows",
      "predicted_rows",
      ...TOLD.flatMap((n) => [n, `${n}_low`, `${n}_high`]),
    ],
    ...told.flatMap((c) =>
      linesOf(c, classes, (label) => label).map((line) => [
        c.name,
        split,
        ...slice,
        c.shownCutoff,
        line.label ?? line.key,
        line.rows,
        line.predicted,
        ...TOLD.flatMap((n) => {
          const m = line.of(n);
          return [m.value, m.low ?? null, m.high ?? null];
        }),
      ]),
    ),
  ];
  return (
    <section aria-label="Each class" className="mt-5 max-w-[860px]">
      <header className="flex items-baseline gap-x-4 gap-y-1 flex-wrap text-sm text-soft">
        <h2 className="text-lg text-ink">Each class against the rest</h2>
        <InFront of={told} front={front} />
        <SaveTable
          figure={table}
          of={`${front.name}: each class against the rest`}
          name={`classes-${split}`}
          rows={rows}
          disabled={pending}
        />
        <button type="button" className="link" onClick={() => unfold("no")}>
          close
        </button>
      </header>
      <div className="border border-rule bg-sheet rounded-[4px] mt-1.5 overflow-x-auto">
        <table ref={table} className="w-full text-left" data-part="classes" data-candidate={front.letter}>
          <thead>
            <tr className="text-sm text-soft border-b border-rule align-bottom">
              <th className="font-normal px-3 py-1.5">Class</th>
              <th className="font-normal px-2 text-right">actual</th>
              <th className="font-normal px-2 text-right">predicted</th>
              {TOLD.map((name, i) => (
                <th key={name} className="font-normal px-2">
                  {metric(name).title}
                  <WhiskerRuler domain={domains[i] ?? null} />
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {lines.map((line, at) => (
              <tr
                key={line.key}
                className={`border-b border-light last:border-0 ${at === classes.length ? "border-t border-t-rule" : ""} ${line.label === null ? "bg-paper" : ""}`}
                data-row={line.key}
              >
                <th
                  scope="row"
                  className={`px-3 py-1 ${line.label === null ? "font-serif italic font-normal" : "font-semibold"} break-words max-w-[16rem]`}
                >
                  {line.name}
                </th>
                <td className="px-2 text-right">{line.rows === null ? "" : count(line.rows)}</td>
                <td className="px-2 text-right">
                  {front.pending ? PENDING : line.predicted === null ? "" : count(line.predicted)}
                </td>
                {TOLD.map((name, i) => {
                  const m = line.of(name);
                  return (
                    <td key={name} className="px-2 py-1 whitespace-nowrap">
                      {line.label === null ? (
                        <span title={m.why ?? undefined}>{front.pending ? PENDING : shown(m.value)}</span>
                      ) : (
                        <Figure
                          candidate={front.result.name}
                          metric={name}
                          value={m}
                          of={line.label}
                          pending={front.pending}
                        />
                      )}
                      {!front.pending && m.low != null && (
                        <span className="text-sm text-soft">
                          {" "}
                          {shown(m.low)} to {shown(m.high)}
                        </span>
                      )}
                      {!front.pending && <Whisker of={m} domain={domains[i] ?? null} color={colour(front.position)} />}
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="text-sm text-soft font-serif italic mt-1">
        No test compares averages of one candidate with each other. Rows without an answer are predicted as no class.
      </p>
    </section>
  );
}
