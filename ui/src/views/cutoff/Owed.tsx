import { type Shown, useScope } from "../../app/scope";
import { Tile } from "../../parts/basics";
import { count, shown } from "../../parts/number";
import { ends } from "./stretch";

/** What rests on the choice itself: how wide it is, what the metric owes to it, what of the drift it explains. */
export function Owed({ scored }: { scored: Shown[] }) {
  const { study, pending, metric } = useScope();
  const told = scored.filter((c) => c.result.optimism || (c.part.stretch && !c.part.stretch.why));
  if (told.length === 0) return null;
  return (
    <section aria-label="The choice">
      <h2 className="text-lg">The choice</h2>
      <ul className="text-sm leading-snug">
        {told.map((c) => (
          <li key={c.position} className="border-t border-light py-1 flex gap-2" data-owed={c.letter}>
            <Tile position={c.position} letter={c.letter} />
            <span className="min-w-0">
              {pending
                ? "⋯"
                : Object.entries(c.result.optimism ?? {}).map(([name, o]) => {
                    const beyond = c.result.drift?.[name]?.beyond_choosing;
                    const priced = name === "cost";
                    const title = priced ? "Cost of 1,000 rows" : metric(name).title;
                    const told = (x: number | null) => (priced && x !== null ? count(Math.round(1000 * x)) : shown(x));
                    const rows = c.result.cutoff?.chosen_on ?? "";
                    const at = rows === "all" ? "these rows" : rows;
                    return (
                      <span key={name}>
                        {o.difference === null ? (
                          <>
                            {title}: {o.why}.{" "}
                          </>
                        ) : (
                          <>
                            {title} {told(o.value)} on {at}; chosen over and over on nine tenths of them and read on the
                            rest, {told(o.cross_chosen)}
                            {o.low != null && ` (${shown(o.low)} to ${shown(o.high ?? null)})`}.{" "}
                          </>
                        )}
                        {beyond && (
                          <>
                            Beyond that, {study.holdout.report_on} is {beyond.difference > 0 ? "+" : ""}
                            {shown(beyond.difference)} ({shown(beyond.low)} to {shown(beyond.high)}).{" "}
                            {(beyond.low > 0 || beyond.high < 0) && (
                              <b className="font-semibold">The two differ by more than choosing explains. </b>
                            )}
                          </>
                        )}
                      </span>
                    );
                  })}
              {c.part.stretch && !c.part.stretch.why && (
                <>Bracket: not separable from the best here, {ends(c.part.stretch)}.</>
              )}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
