import type { Metric } from "../../api/client";
import { useParts } from "../../api/queries";
import { Figure } from "../../app/Figure";
import { metricOf, ofClass, type Shown, useOwn, useScope } from "../../app/scope";
import { Tile } from "../../parts/basics";
import { NumberField } from "../../parts/NumberField";
import { shown } from "../../parts/number";
import { AREA } from "./drawn";

const AREAS = { roc_auc: "ROC AUC", average_precision: "Average precision" };

/** The areas with their intervals; on request that by straight lines, and a part of the area under ROC. */
export function Areas({ scored }: { scored: Shown[] }) {
  const { study, split, slice, of, own, setOwn, few } = useScope();
  const [lines, setLines] = useOwn("lines", ["no", "yes"]);
  const typed = Number(own.upto ?? "");
  const upTo = own.upto && typed > 0 && typed <= 1 ? typed : null;
  const more = !few && (lines === "yes" || upTo !== null);
  const asked = useParts(
    study.id,
    more ? { kinds: ["areas"], split, cutoffs: "", within: slice, ...(upTo ? { upTo } : {}) } : null,
  );
  const found = new Map(
    (asked.data?.candidates ?? []).map((c) => {
      const part = c.splits?.[split];
      return [c.name, of ? part?.per_class?.[of]?.areas : part?.areas];
    }),
  );
  const area = (c: Shown, name: keyof typeof AREAS): Metric => ofClass(c.part, of)?.[name] ?? metricOf(c.part, name);
  const setUpTo = (to: number | null) => setOwn({ upto: to?.toString() ?? null });
  return (
    <>
      <table className="mt-5 text-left" data-part="areas">
        <thead>
          <tr className="text-sm text-soft border-b border-rule">
            <th className="font-normal pr-6 py-1">Candidate</th>
            {Object.values(AREA).map((name) => (
              <th key={name} className="font-normal pr-6">
                {AREAS[name]}
              </th>
            ))}
            {upTo !== null && <th className="font-normal pr-6">ROC up to {upTo}</th>}
            {lines === "yes" && <th className="font-normal pr-6">by straight lines</th>}
          </tr>
        </thead>
        <tbody>
          {scored.map((c) => {
            const told = found.get(c.result.name);
            return (
              <tr key={c.position} className="border-b border-light" data-row={c.letter}>
                <th scope="row" className="font-semibold pr-6 py-1.5">
                  <span className="flex items-center gap-2">
                    <Tile position={c.position} letter={c.letter} /> {c.name}
                  </span>
                </th>
                {Object.values(AREA).map((name) => {
                  const m = area(c, name);
                  return (
                    <td key={name} className="pr-6">
                      <Figure candidate={c.name} metric={name} value={m} of={of || undefined} /> <Ends of={m} />
                    </td>
                  );
                })}
                {upTo !== null && (
                  <td className="pr-6" data-area="partial" title={told?.partial_area?.why_interval ?? undefined}>
                    <b className="font-semibold">{shown(told?.partial_area?.value)}</b>{" "}
                    {told?.partial_area && <Ends of={told.partial_area} />}
                  </td>
                )}
                {lines === "yes" && (
                  <td className="pr-6" data-area="lines">
                    {shown(told?.average_precision_trapezoid)}
                  </td>
                )}
              </tr>
            );
          })}
        </tbody>
      </table>
      <p className="text-sm text-soft flex items-baseline gap-4 flex-wrap mt-1.5">
        <span className="flex items-baseline gap-1.5">
          ROC up to a false-positive rate of
          <NumberField
            label="Part of the area up to"
            value={upTo}
            optional
            placeholder="0.1"
            allowed={(x) => x > 0 && x <= 1}
            onSet={setUpTo}
          />
        </span>
        <button type="button" className="link" onClick={() => setLines(lines === "yes" ? "no" : "yes")}>
          {lines === "yes" ? "without" : "with"} precision-recall by straight lines
        </button>
        {lines === "yes" && (
          <span className="font-serif italic">
            Straight lines between points lie above what can be reached: too high.
          </span>
        )}
      </p>
    </>
  );
}

function Ends({ of }: { of: Metric }) {
  if (of.low == null) return null;
  return (
    <span className="text-soft text-sm">
      {shown(of.low)} to {shown(of.high ?? null)}
    </span>
  );
}
