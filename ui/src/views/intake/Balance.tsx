import { useScope } from "../../app/scope";
import { count, shown } from "../../parts/number";

/** The rows of each split by class. */
export function Balance() {
  return useScope().many ? <ManyClasses /> : <TwoClasses />;
}

/** What a split is for. */
function Use({ split }: { split: string }) {
  const { study } = useScope();
  return (
    <span className="text-soft font-normal text-sm">
      {split === study.holdout.report_on && " · reported on"}
      {split === study.holdout.tune_on && " · cutoffs are chosen here"}
    </span>
  );
}

function TwoClasses() {
  const { study, positive, positiveLabel: p, negative } = useScope();
  const n = study.holdout.classes.find((label) => label !== p) ?? "";
  return (
    <table className="mt-3 text-left">
      <thead>
        <tr className="text-sm text-soft border-b border-rule">
          <th className="font-normal pr-8 py-1">Split</th>
          <th className="font-normal pr-8 text-right">rows</th>
          <th className="font-normal pr-8 text-right">{negative}</th>
          <th className="font-normal pr-8 text-right">{positive}</th>
          <th className="font-normal pr-3 text-right">share {positive}</th>
          <th className="font-normal">
            <span className="sr-only">as a bar</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {Object.entries(study.balance).map(([name, actual]) => {
          const share = actual[p]?.share ?? null;
          return (
            <tr key={name} className="border-b border-light">
              <th scope="row" className="font-semibold pr-8 py-1.5">
                {name}
                <Use split={name} />
              </th>
              <td className="pr-8 text-right">{count(study.holdout.splits[name] ?? 0)}</td>
              <td className="pr-8 text-right">{count(actual[n]?.rows ?? 0)}</td>
              <td className="pr-8 text-right">{count(actual[p]?.rows ?? 0)}</td>
              <td className="pr-3 text-right">{shown(share)}</td>
              <td>
                <span className="block w-32 h-2 bg-passed">
                  <span className="block h-2 bg-ink" style={{ width: `${100 * (share ?? 0)}%` }} />
                </span>
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** A line for each class, for there may be many. */
function ManyClasses() {
  const { study, called } = useScope();
  const splits = Object.entries(study.balance);
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by key
    <section className="relative overflow-auto max-h-[420px] max-w-[820px]" tabIndex={0} aria-label="Rows by class">
      <table className="mt-3 text-left">
        <thead>
          <tr className="text-sm text-soft border-b border-rule">
            <th className="font-normal pr-8 py-1">Class</th>
            {splits.map(([name]) => (
              <th key={name} className="font-normal pr-8 text-right">
                {name}
                <Use split={name} />
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {study.holdout.classes.map((label) => (
            <tr key={label} className="border-b border-light">
              <th scope="row" className="font-semibold pr-8 py-1">
                {called(label)}
              </th>
              {splits.map(([name, actual]) => (
                <td key={name} className="pr-8 text-right">
                  {count(actual[label]?.rows ?? 0)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
