import type { Schemas, Study } from "../../api/client";
import { type Shown, useScope } from "../../app/scope";
import { PENDING } from "../../parts/basics";
import { asSet, count, shown } from "../../parts/number";

const DRIFTING = ["recall", "precision", "flagged_share"] as const;

/** What is told of the stretch that holds a cutoff, where a rule chose it and these rows tell of one. */
export function stretchOf(c: Shown, study: Study, split: string) {
  const found = c.part.stretch;
  if (!found || found.why || c.pending) return null;
  const rule = study.rules.find((r) => r.name === found.rule)?.title ?? found.rule;
  const rows = split === "all" ? "these rows" : `the ${split} rows`;
  return {
    low: found.low,
    high: found.high,
    title: `${rule}: ${rows} cannot separate the cutoffs ${ends(found)} from the best`,
  };
}

function ends({ low, high }: Schemas["Stretch"]): string {
  if (low === null && high === null) return "of all scores";
  if (low === null) return `up to ${asSet(high ?? 1)}`;
  return high === null ? `from ${asSet(low)} on` : `from ${asSet(low)} to ${asSet(high)}`;
}

/** What the next catches cost from here, and what became of the choice on the rows that are reported on. */
export function Beside({ c, still }: { c: Shown; still: boolean }) {
  const { pending, split, study, metric } = useScope();
  const ready = still && !pending;
  const { next_catch: next, last_catch: last, stretch } = c.part;
  const reported = split === study.holdout.report_on;
  const drift = reported ? c.result.drift : undefined;
  if (!stretch && !next && !last && !drift) return null;
  return (
    <dl className="text-sm grid grid-cols-[auto_1fr] gap-x-2 mt-1 text-soft" data-beside={c.letter}>
      {(next || last) && (
        <>
          <dt>catches</dt>
          <dd>
            {!ready ? (
              PENDING
            ) : (
              <>
                {next ? <Price catches={next} what="next" /> : "none is left below"}
                {last && (
                  <>
                    {" · "}
                    <Price catches={last} what="last" />
                  </>
                )}
              </>
            )}
          </dd>
        </>
      )}
      {stretch && !stretch.why && (
        <>
          <dt>bracket</dt>
          <dd>not separable from the best here: {ends(stretch)}</dd>
        </>
      )}
      {drift && (
        <>
          <dt>since {study.holdout.tune_on}</dt>
          <dd>
            {!ready
              ? PENDING
              : DRIFTING.flatMap((name) => {
                  const d = drift[name];
                  return d?.difference == null ? [] : [<Drifted key={name} name={metric(name).short} d={d} />];
                })}
          </dd>
        </>
      )}
    </dl>
  );
}

function Price({ catches: c, what }: { catches: Schemas["Catch"]; what: string }) {
  const { value, low, high } = c.price;
  return (
    <span
      title={
        low == null ? undefined : `needless flags a catch: ${shown(value)}, ${shown(low)} to ${shown(high ?? null)}`
      }
    >
      {what} {count(c.catches)}
      {c.all_left && " (all there are)"}: <b className="font-semibold text-ochre">{count(c.needless)}</b> needless,{" "}
      {c.cutoff === null ? "above every score" : `≥ ${asSet(c.cutoff)}`}
    </span>
  );
}

/** A ring where the difference cannot be told from nought, a dot where it can. */
function Drifted({ name, d }: { name: string; d: Schemas["Drift"] }) {
  const apart = d.low != null && d.high != null && (d.low > 0 || d.high < 0);
  return (
    <span className="mr-3 inline-block" data-apart={apart} title={d.why ?? undefined}>
      {name} {(d.difference ?? 0) > 0 ? "+" : ""}
      {shown(d.difference)}
      {d.low != null && ` (${shown(d.low)} to ${shown(d.high)})`} <span aria-hidden="true">{apart ? "●" : "○"}</span>
      <span className="sr-only">{apart ? "separated from nought" : "not separated from nought"}</span>
    </span>
  );
}
