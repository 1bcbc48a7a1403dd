import { useEffect, useState } from "react";
import { api, got, type Schemas } from "../../api/client";
import { useChange, useFields } from "../../api/queries";
import { useScope } from "../../app/scope";
import { Button, Fault, Tile } from "../../parts/basics";
import { Confirm } from "../../parts/Confirm";
import { Modal } from "../../parts/Modal";
import { count, day, several } from "../../parts/number";
import { type Answers, answersOf, entryOf, isSaid, made } from "./answers";
import { CandidateRow } from "./CandidateRow";
import { MadeWith } from "./MadeWith";
import { Pick as PickOne } from "./Pick";
import { Take } from "./Take";

type Candidate = Schemas["CandidateOut"];
type Version = Schemas["VersionOut"];

const READ = ["id", "score", "predicted", "probabilities", "reason", "no_answer"];
const said = (columns: Record<string, unknown>) =>
  Object.entries(columns)
    .filter(([what]) => READ.includes(what))
    .map(
      ([what, name]) =>
        `${what.replace("_", " ")}: ${typeof name === "object" && name ? Object.values(name).join(", ") : String(name)}`,
    )
    .join(", ");

/** The candidates: their files, how they joined, their versions. */
export function Candidates() {
  const { study, mayWrite } = useScope();
  const [adding, setAdding] = useState(false);
  return (
    <>
      <h2 className="text-lg mt-6 mb-1">The candidates</h2>
      <ul className="max-w-[820px]">
        {study.candidates.map((c) => (
          <One key={c.position} c={c} />
        ))}
      </ul>
      {mayWrite && (
        <Button className="mt-2" onClick={() => setAdding(true)}>
          Add a candidate
        </Button>
      )}
      {adding && <NewCandidate onDone={() => setAdding(false)} />}
    </>
  );
}

/** One more candidate: its file, and what its columns are. */
function NewCandidate({ onDone }: { onDone: () => void }) {
  const { study, results, many, go } = useScope();
  const change = useChange(study.id);
  const [answers, setAnswers] = useState<Answers | null>(null);
  const [added, setAdded] = useState<number | null>(null);
  const holdoutId = String((study.mapping as { id?: string }).id ?? "");
  const classes = many ? results.holdout.classes : null;
  const position = 1 + Math.max(...study.candidates.map((c) => c.position));
  useEffect(() => {
    // it is shown at once, as soon as the address may speak of it
    if (added === null || !study.candidates.some((c) => c.position === added)) return;
    queueMicrotask(() => go((now) => ({ show: [...now.show, added] })));
    onDone();
  }, [added, study, go, onDone]);
  const keep = async (a: Answers) => {
    await change.mutateAsync(() =>
      got(
        api.POST("/api/v1/studies/{study_id}/candidates", {
          params: { path: { study_id: study.id } },
          body: entryOf(a, holdoutId, classes),
        }),
      ),
    );
    setAdded(position);
  };
  return (
    <Modal open onOpenChange={(open) => !open && onDone()} title="One more candidate" wide>
      {answers ? (
        <CandidateRow
          a={answers}
          position={position}
          askId={holdoutId !== ""}
          classes={classes}
          join={null}
          onChange={(said) => setAnswers({ ...answers, ...said })}
          onRemove={() => setAnswers(null)}
        />
      ) : (
        <Take
          label="File of answers"
          hint="for the rows of this study"
          onBusy={() => undefined}
          onTaken={(u) => setAnswers(answersOf(u, holdoutId, classes))}
        />
      )}
      <Fault error={change.error} />
      <Button
        kind="strong"
        className="mt-3"
        disabled={!answers || !isSaid(answers, classes) || change.isPending}
        onClick={() => answers && void keep(answers).catch(() => undefined)}
      >
        {change.isPending ? "Joining and checking …" : "Add it to the study"}
      </Button>
    </Modal>
  );
}

function One({ c }: { c: Candidate }) {
  const { study, mayWrite } = useScope();
  const [adding, setAdding] = useState(false);
  const change = useChange(study.id);
  const params = (number: number) => ({ path: { study_id: study.id, position: c.position, number } });
  const at = "/api/v1/studies/{study_id}/candidates/{position}/versions/{number}" as const;
  const current = c.versions.find((v) => v.number === c.version_number);
  return (
    <li className="border-b border-light py-2 flex gap-3" data-candidate={c.name}>
      <Tile position={c.position} letter={c.letter} />
      <div className="min-w-0 flex-1">
        <div className="flex gap-3 items-baseline">
          <p className="flex-1">
            <b className="font-semibold">{c.name}</b>{" "}
            <span className="text-soft">
              {c.file} · {said(c.columns)}
              {c.runs_now && " · runs now"}
            </span>
          </p>
          {mayWrite && (
            <>
              <Button kind="bare" className="text-sm" onClick={() => setAdding(true)}>
                New version
              </Button>
              <Confirm
                trigger={
                  <Button kind="bare" className="text-sm" aria-label={`Delete ${c.name}`}>
                    Delete
                  </Button>
                }
                title={`Delete ${c.name}?`}
                yes="Delete it"
                onYes={() =>
                  change.mutateAsync(() =>
                    got(
                      api.DELETE("/api/v1/studies/{study_id}/candidates/{position}", {
                        params: { path: { study_id: study.id, position: c.position } },
                      }),
                    ),
                  )
                }
              >
                It leaves every view of this study. For 30 days it can be restored from the list of studies.
              </Confirm>
            </>
          )}
        </div>
        <Join name={c.name} />
        {current && <How v={current} />}
        <p className="font-mono text-xs text-soft break-all">{c.sha256}</p>
        {c.versions.length > 1 && (
          <ol className="mt-1.5 text-sm" aria-label={`Versions of ${c.name}`}>
            {[...c.versions].reverse().map((v) => (
              <li key={v.number} className="border-l-[3px] border-rule pl-2 py-1 mt-1" data-version={v.number}>
                <span className="flex gap-3 items-baseline">
                  <span className="flex-1">
                    <b className="font-semibold">Version {v.number}</b> {v.file}, {v.by}, {day(v.created)}
                    {v.number === c.version_number && <b className="font-semibold"> · evaluated here</b>}
                  </span>
                  {mayWrite && v.number !== c.version_number && (
                    <>
                      <Button
                        kind="bare"
                        className="text-sm"
                        disabled={change.isPending}
                        onClick={() => change.mutate(() => got(api.PUT(at, { params: params(v.number) })))}
                      >
                        Evaluate this version
                      </Button>
                      <Button
                        kind="bare"
                        className="text-sm"
                        disabled={change.isPending}
                        onClick={() =>
                          change.mutate(() => got(api.POST(`${at}/candidate`, { params: params(v.number) })))
                        }
                      >
                        Take it along as a candidate
                      </Button>
                      <Confirm
                        trigger={
                          <Button kind="bare" className="text-sm" aria-label={`Delete version ${v.number}`}>
                            Delete
                          </Button>
                        }
                        title={`Delete version ${v.number} of ${c.name}?`}
                        yes="Delete it"
                        onYes={() => change.mutateAsync(() => got(api.DELETE(at, { params: params(v.number) })))}
                      >
                        For 30 days it can be restored from the list of studies.
                      </Confirm>
                    </>
                  )}
                </span>
                {v.note && <span className="block font-serif italic">{v.note}</span>}
                {v.number !== c.version_number && <How v={v} />}
              </li>
            ))}
          </ol>
        )}
        <Fault error={change.error} />
      </div>
      {adding && <NewVersion c={c} onDone={() => setAdding(false)} />}
    </li>
  );
}

/** How a version was made, in one line. */
function How({ v }: { v: Version }) {
  const columns = v.columns as Record<string, unknown>;
  const made_with = (columns.made_with ?? {}) as Record<string, unknown>;
  const parts = [
    ...(columns.version ? [`version ${String(columns.version)}`] : []),
    ...Object.entries(made_with).map(([k, x]) => `${k}: ${typeof x === "object" ? JSON.stringify(x) : String(x)}`),
    ...(columns.price === undefined ? [] : [`price of each answer in ${String(columns.price)}`]),
    ...(columns.price_per_1000 === undefined ? [] : [`${String(columns.price_per_1000)} per 1,000 rows`]),
    ...(columns.latency_ms === undefined ? [] : [`${String(columns.latency_ms)} ms a row`]),
  ];
  return parts.length ? <p className="text-sm text-soft break-words">{parts.join(" · ")}</p> : null;
}

/** A new file for the same candidate. */
function NewVersion({ c, onDone }: { c: Candidate; onDone: () => void }) {
  const { study } = useScope();
  const change = useChange(study.id);
  const [u, setUpload] = useState<Schemas["UploadOut"] | null>(null);
  const [note, setNote] = useState("");
  const [column, setColumn] = useState("");
  const [how, setHow] = useState({
    version: "",
    price: "",
    priced: "",
    reason: "",
    latency: "",
    made_with: {} as Record<string, unknown>,
  });
  const columns = c.columns as Record<string, unknown>;
  const probable = "probabilities" in columns; // the same columns as before, one for each class
  const kind = "predicted" in columns ? "predicted" : "score";
  const before = typeof columns[kind] === "string" ? String(columns[kind]) : "";
  const names = u?.columns.map((x) => x.name) ?? [];
  const keep = async () => {
    if (!u) return;
    const body = {
      upload: u.id,
      note,
      ...made(how),
      reason: how.reason,
      price: how.priced,
      ...(column && column !== before ? { [kind]: column } : {}),
    };
    const path = { study_id: study.id, position: c.position };
    await change.mutateAsync(() =>
      got(api.POST("/api/v1/studies/{study_id}/candidates/{position}/versions", { params: { path }, body })),
    );
    onDone();
  };
  return (
    <Modal open onOpenChange={(open) => !open && onDone()} title={`A new version of ${c.name}`} wide>
      <Take
        label="File of answers"
        hint="for the same rows"
        onBusy={() => undefined}
        onTaken={(taken) => {
          setUpload(taken);
          const there = (x: unknown) => (taken.columns.some((o) => o.name === x) ? String(x) : "");
          setColumn(there(before));
          setHow((old) => ({ ...old, reason: there(columns.reason), priced: there(columns.price) }));
        }}
      />
      {u && (
        <>
          <p className="text-sm text-soft mt-1">
            {u.name}, {several(u.rows, "row")}
          </p>
          {!probable && (
            <PickOne
              label={kind === "score" ? "Score column" : "Predicted class column"}
              value={column || null}
              options={names}
              onPick={setColumn}
            />
          )}
          <label className="block mt-2">
            <span className="block text-sm text-soft">What changed</span>
            <textarea className="field h-16" maxLength={2000} value={note} onChange={(e) => setNote(e.target.value)} />
          </label>
          <div className="mt-2 text-sm">
            <MadeWith u={u} value={how} onChange={(x) => setHow((old) => ({ ...old, ...x }))} />
          </div>
        </>
      )}
      <Fault error={change.error} />
      <Button
        kind="strong"
        className="mt-3"
        disabled={!u || !(column || probable) || change.isPending}
        onClick={() => void keep().catch(() => undefined)}
      >
        {change.isPending ? "Joining and checking …" : "Evaluate this version"}
      </Button>
    </Modal>
  );
}

/** How a candidate's answers joined the rows. */
function Join({ name }: { name: string }) {
  const { study } = useScope();
  const found = useFields(study.id).data?.joins.find((j) => j.candidate === name);
  if (!found) return null;
  return (
    <span className="block text-sm">
      {several(found.matched, "row")} matched
      {found.missing > 0 &&
        `, ${count(found.missing)} without an answer (${found.first_missing.slice(0, 3).join(", ")}${found.missing > 3 ? ", …" : ""})`}
    </span>
  );
}
