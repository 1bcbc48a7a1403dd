import { Fragment, useEffect, useRef } from "react";
import type { Schemas } from "../../api/client";
import { useRecalibrating } from "../../api/queries";
import { Figure } from "../../app/Figure";
import { metricOf, type Shown, useOwn, useScope } from "../../app/scope";
import { domainOf } from "../../charts/scales";
import { Whisker, WhiskerRuler } from "../../charts/Whisker";
import { Fault, Loading, Tile } from "../../parts/basics";
import { Choice } from "../../parts/Choice";
import { colour } from "../../parts/marks";
import { shown } from "../../parts/number";

export const METHODS = ["logistic", "isotonic", "temperature"] as const;
const NAMES = { logistic: "shift and stretch", isotonic: "monotone", temperature: "stretch" };
const DRAWN = [
  { name: "calibration_slope", head: "slope", ideal: 1 },
  { name: "calibration_intercept", head: "intercept", ideal: 0 },
] as const;

type Repaired = { c: Shown; one: Schemas["Recalibrated"] };

/** What a recalibration learned on tuning does to each candidate: as given, and after. */
export function Repairs() {
  const { chosen, many, study, show, go, mayWrite } = useScope();
  const adding = useRecalibrating(study.id);
  const known = useRef(study.candidates);
  useEffect(() => {
    // what is new while this view is open is shown, once the study has it
    const before = new Set(known.current.map((c) => c.position));
    const more = study.candidates.map((c) => c.position).filter((p) => !before.has(p) && !show.includes(p));
    known.current = study.candidates;
    if (more.length > 0) queueMicrotask(() => go((now) => ({ show: [...now.show, ...more] })));
  }, [study.candidates, show, go]);
  const methods = many ? (["temperature"] as const) : METHODS;
  const [method, choose] = useOwn<(typeof METHODS)[number]>("repair", methods);
  const found = chosen.flatMap(({ result, ...c }) =>
    result.recalibration ? [{ c: { ...c, result }, how: result.recalibration }] : [],
  );
  const [first] = found;
  if (!first) return null;
  const { learned_on, judged_on } = first.how;
  if (!learned_on)
    return (
      <section aria-label="Recalibrated">
        <h2 className="text-lg border-b border-rule pb-0.5">Recalibrated</h2>
        <p className="text-sm text-soft mt-1.5">
          {study.title} has no tuning split, so there are no other rows to learn a recalibration on.
        </p>
      </section>
    );
  const take = (position: number) => adding.mutate({ position, method });
  const told = found.flatMap(({ c, how }): Repaired[] => {
    const one = how.methods?.[method];
    return one ? [{ c, one }] : [];
  });
  const drawn = many ? [] : DRAWN;
  const domains = Object.fromEntries(
    drawn.map(({ name, ideal }) => [
      name,
      domainOf([
        ideal,
        ...told
          .flatMap(({ c, one }) => [metricOf(c.result.splits[judged_on] ?? c.part, name), one.metrics?.[name]])
          .flatMap((m) => [m?.value, m?.low, m?.high]),
      ]),
    ]),
  );
  return (
    <section aria-label="Recalibrated">
      <header className="flex items-baseline gap-3 border-b border-rule pb-0.5 flex-wrap">
        <h2 className="text-lg flex-1">Recalibrated on {learned_on}</h2>
        <Choice name="repair" value={method} onChange={choose} options={methods.map((m) => [m, NAMES[m]])} />
      </header>
      <table className="w-full text-left">
        <thead>
          <tr className="text-sm text-soft align-bottom">
            <th className="font-normal py-1 pr-2">Candidate</th>
            <th className="font-normal pr-2 text-right">Brier</th>
            <th className="font-normal pr-2">change</th>
            {drawn.map(({ name, head, ideal }) => (
              <th key={name} className="font-normal pr-2">
                <span className="block">{head}</span>ideal {ideal}
                <WhiskerRuler domain={domains[name] ?? null} />
              </th>
            ))}
            <th className="font-normal text-right">expected gap</th>
          </tr>
        </thead>
        <tbody>
          {told.map(({ c, one }) => (
            <Fragment key={c.position}>
              <tr className="border-t border-light" data-row={c.name}>
                <th scope="row" className="font-normal pr-2 pt-1">
                  <span className="flex items-center gap-2">
                    <Tile position={c.position} letter={c.letter} /> given
                  </span>
                </th>
                <Given
                  c={c}
                  change={one.change?.brier}
                  split={judged_on}
                  drawn={drawn.map((d) => d.name)}
                  domains={domains}
                />
              </tr>
              <tr data-row={`${c.name} after`}>
                <th scope="row" className="font-normal pr-2 pb-1 pl-[26px] text-soft whitespace-nowrap">
                  after
                  {mayWrite && one.metrics && (
                    <button
                      type="button"
                      className="link text-xs block"
                      disabled={adding.isPending}
                      aria-label={`take along ${c.name}, recalibrated`}
                      onClick={() => take(c.position)}
                    >
                      take along
                    </button>
                  )}
                </th>
                {one.metrics ? (
                  <>
                    <td className="text-right pr-2 tabular-nums">{shown(one.metrics.brier?.value)}</td>
                    {drawn.map(({ name }) => (
                      <td key={name} className="pr-2" title={shown(one.metrics?.[name]?.value)}>
                        <Whisker
                          of={one.metrics?.[name] ?? NONE}
                          domain={domains[name] ?? null}
                          color={colour(c.position)}
                          ring
                        />
                      </td>
                    ))}
                    <td className="text-right tabular-nums">{shown(one.metrics.ece?.value)}</td>
                  </>
                ) : (
                  <td colSpan={2 + drawn.length} className="text-sm text-soft pb-1">
                    {one.why}
                  </td>
                )}
              </tr>
            </Fragment>
          ))}
        </tbody>
      </table>
      <Fault error={adding.error} done={() => adding.reset()} />
      {adding.isPending && <Loading what="Recalibrating" />}
      <p className="text-sm text-soft font-serif italic">
        Learned on {learned_on}, read on {judged_on}. {drawn.length > 0 && "Filled: as given. Ring: recalibrated. "}
        {method === "isotonic"
          ? "Steps tie rows that were in order, so areas may fall."
          : "The order of the rows stays as it is, so areas and ranks do not change."}
      </p>
    </section>
  );
}

const NONE = { value: null };

function Given({
  c,
  split,
  change,
  drawn,
  domains,
}: {
  c: Shown;
  split: string;
  change?: Schemas["Difference"];
  drawn: string[];
  domains: Record<string, [number, number] | null>;
}) {
  const here = useScope().split === split;
  const part = c.result.splits[split];
  const number = (name: string) =>
    part && here ? (
      <Figure candidate={c.result.name} metric={name} value={metricOf(part, name)} />
    ) : (
      <span className="text-soft" title={`read ${split} to see it`}>
        —
      </span>
    );
  return (
    <>
      <td className="text-right pr-2 pt-1">{number("brier")}</td>
      <td rowSpan={2} className="pr-2 py-1 text-sm whitespace-nowrap align-bottom">
        <Change d={change} />
      </td>
      {drawn.map((name) => (
        <td key={name} className="pr-2 pt-1" title={part && here ? shown(metricOf(part, name).value) : undefined}>
          {part && here && (
            <Whisker of={metricOf(part, name)} domain={domains[name] ?? null} color={colour(c.position)} />
          )}
        </td>
      ))}
      <td className="text-right pt-1">{number("ece")}</td>
    </>
  );
}

function Change({ d }: { d?: Schemas["Difference"] }) {
  if (d?.difference == null) return <span className="text-soft">—</span>;
  return (
    <>
      {shown(d.difference)}
      {d.low_adjusted != null && (
        <span className="block text-soft">
          {shown(d.low_adjusted)} to {shown(d.high_adjusted)}
        </span>
      )}
    </>
  );
}
