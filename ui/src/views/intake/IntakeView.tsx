import { useLook } from "../../api/queries";
import { useScope } from "../../app/scope";
import { Tile, ViewHead } from "../../parts/basics";
import { count, shown } from "../../parts/number";
import { Fields } from "./Fields";
import { Noticed } from "./Noticed";

/** What came in: files, columns, classes by split. */
export function IntakeView() {
  const { study, results, positive, positiveLabel: p, negative } = useScope();
  const columns = (c: Record<string, unknown>) =>
    Object.entries(c)
      .map(([what, name]) => `${what}: ${String(name)}`)
      .join(", ");
  const missing = (useLook(study.id).data?.joins ?? []).filter((j) => j.missing > 0);
  const { id, truth, split } = study.mapping as Record<string, string | undefined>;
  return (
    <>
      <ViewHead title="Intake" note={`made by ${study.author}`}>
        <a
          className="text-sm underline underline-offset-2"
          href={`/api/v1/studies/${study.id}/export.zip`}
          download
          title="study.toml and every file, as skarlo evaluate reads them"
        >
          Save as files
        </a>
      </ViewHead>
      <p className="font-serif text-lg leading-snug border-l-[3px] border-ink pl-3 my-3 max-w-[104ch]">
        {count(results.holdout.rows)} labelled rows;{" "}
        {missing.length === 0
          ? "every candidate answers each of them once"
          : `${missing.map((j) => j.candidate).join(", ")} ${missing.length === 1 ? "leaves" : "leave"} rows without an answer`}
        {id ? `, joined on ${id}` : ", matched by position"}.
      </p>
      <Noticed />
      <h2 className="text-lg mt-5 mb-1">The hold-out</h2>
      <p>
        <b className="font-semibold">{study.holdout_file}</b> <span className="text-soft">actual class in</span> {truth}
        {split && (
          <>
            <span className="text-soft">, split in</span> {split}
          </>
        )}
        <span className="text-soft">, positive is</span> {p}
        {positive !== p && <span className="text-soft"> (shown as “{positive}”)</span>}
      </p>
      <p className="font-mono text-xs text-soft break-all">{study.holdout.sha256 as string}</p>
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
            const rows = Object.values(actual).reduce((a, b) => a + b, 0);
            const share = results.candidates[0]?.splits[name]?.metrics.prevalence?.value ?? null;
            return (
              <tr key={name} className="border-b border-light">
                <th scope="row" className="font-semibold pr-8 py-1.5">
                  {name}
                  <span className="text-soft font-normal text-sm">
                    {name === study.holdout.report_on && " · reported on"}
                    {name === study.holdout.tune_on && " · choices are made here"}
                  </span>
                </th>
                <td className="pr-8 text-right">{count(rows)}</td>
                <td className="pr-8 text-right">{count(rows - (actual[p] ?? 0))}</td>
                <td className="pr-8 text-right">{count(actual[p] ?? 0)}</td>
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
      <h2 className="text-lg mt-6 mb-1">The candidates</h2>
      <ul className="max-w-[820px]">
        {study.candidates.map((c) => (
          <li key={c.position} className="border-b border-light py-2 flex gap-3">
            <Tile position={c.position} letter={c.letter} />
            <span className="min-w-0">
              <b className="font-semibold">{c.name}</b>{" "}
              <span className="text-soft">
                {c.file} · {columns(c.columns)}
                {c.in_use && " · in use now"}
              </span>
              <Join name={c.name} />
              <span className="block font-mono text-xs text-soft break-all">{c.sha256}</span>
            </span>
          </li>
        ))}
      </ul>
      <Fields />
    </>
  );
}

/** How a candidate's answers joined the rows. */
function Join({ name }: { name: string }) {
  const { study } = useScope();
  const found = useLook(study.id).data?.joins.find((j) => j.candidate === name);
  if (!found) return null;
  return (
    <span className="block text-sm">
      {count(found.matched)} rows matched
      {found.missing > 0 &&
        `, ${count(found.missing)} without an answer (${found.first_missing.slice(0, 3).join(", ")}${found.missing > 3 ? ", …" : ""})`}
    </span>
  );
}
