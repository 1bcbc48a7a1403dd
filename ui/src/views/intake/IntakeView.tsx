import { useFields, useFindings } from "../../api/queries";
import { useScope } from "../../app/scope";
import { Loading, ViewHead } from "../../parts/basics";
import { named, several } from "../../parts/number";
import { Balance } from "./Balance";
import { Candidates } from "./Candidates";
import { Fields } from "./Fields";
import { Noticed } from "./Noticed";
import { Pictures } from "./Pictures";

/** What came in: files, columns, classes by split. */
export function IntakeView() {
  const { study, query } = useScope();
  const found = useFindings(study.id, query);
  const fields = useFields(study.id);
  // all of it at once: what comes later would push down what is being read
  if (found.isPending || fields.isPending) return <Loading what="Looking at the files" />;
  return <Opened />;
}

function Opened() {
  const { study, results, positive, positiveLabel: p, many, all } = useScope();
  const missing = all.filter((c) => Object.values(c.result.splits).some((s) => s.no_answer > 0));
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
        {several(results.holdout.rows, "labelled row")};{" "}
        {missing.length === 0
          ? "every candidate answers each of them once"
          : `${named(missing.map((c) => c.name))} ${missing.length === 1 ? "leaves" : "leave"} rows without an answer`}
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
        {!many && (
          <>
            <span className="text-soft">, positive is</span> {p}
          </>
        )}
        {positive !== p && <span className="text-soft"> (shown as “{positive}”)</span>}
      </p>
      <p className="font-mono text-xs text-soft break-all">{study.holdout.sha256}</p>
      <Pictures />
      <Balance />
      <Candidates />
      <Quoted />
      <Fields />
    </>
  );
}

/** Published results that stand beside the candidates. */
function Quoted() {
  const { results } = useScope();
  if (!results.quoted?.length) return null;
  return (
    <>
      <h2 className="text-lg mt-6 mb-1">Quoted results</h2>
      <ul className="max-w-[820px]">
        {results.quoted.map((q) => (
          <li key={q.name} className="border-b border-light py-2">
            <b className="font-semibold">{q.name}</b>{" "}
            <span className="text-soft">
              from {q.source}: {q.matrix ? "a whole matrix" : Object.keys(q.metrics).join(", ")}
            </span>
          </li>
        ))}
      </ul>
    </>
  );
}
