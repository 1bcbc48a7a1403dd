import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, got, type Schemas } from "../../api/client";
import { TopBar } from "../../app/TopBar";
import { Button, Fault } from "../../parts/basics";
import { count } from "../../parts/number";
import { type Answers, CandidateRow } from "./CandidateRow";
import { Pick } from "./Pick";
import { Take } from "./Take";

type Upload = Schemas["UploadOut"];
type Mapping = {
  id: string;
  truth: string;
  positive: string;
  split: string;
  report_on: string;
  tune_on: string;
  weight: string;
  group: string;
  slices: string[];
};
const column = (u: Upload, name: string) => u.columns.find((c) => c.name === name);

function mappingOf(u: Upload): Mapping {
  const { id, truth, split } = u.guess;
  const values = (split && column(u, split)?.values) || [];
  return {
    id: id ?? "",
    truth: truth ?? "",
    positive: "",
    split: split ?? "",
    report_on: values.find((v) => v.toLowerCase() === "test") ?? "",
    tune_on: values.find((v) => /^(tun|val|dev)/i.test(v)) ?? "",
    weight: "",
    group: "",
    slices: [],
  };
}

function answersOf(u: Upload, holdoutId: string): Answers {
  const { score, label } = u.guess;
  return {
    upload: u,
    name: u.name.replace(/(\.[a-z]+)+$/i, "").replaceAll(/[_-]+/g, " "),
    id: column(u, holdoutId) ? holdoutId : (u.guess.id ?? ""),
    kind: score ? "score" : "label",
    column: score ?? label ?? "",
    cutoff: "0.5",
    in_use: false,
    no_answer: "error",
  };
}

/** A study from files: the hold-out, what its columns are, then each candidate's answers. */
export function NewStudy() {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [title, setTitle] = useState("");
  const [holdout, setHoldout] = useState<Upload | null>(null);
  const [mapping, setMapping] = useState<Mapping | null>(null);
  const [answers, setAnswers] = useState<Answers[]>([]);
  const [fault, setFault] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const [taking, setTaking] = useState(false);
  const put = (change: Partial<Mapping>) => mapping && setMapping({ ...mapping, ...change });
  const classes = (holdout && mapping && column(holdout, mapping.truth)?.values) || [];
  const splits = (holdout && mapping && column(holdout, mapping.split)?.values) || [];
  const ready =
    !taking &&
    title.trim() !== "" &&
    mapping !== null &&
    mapping.truth !== "" &&
    mapping.positive !== "" &&
    (mapping.split === "" || mapping.report_on !== "") &&
    answers.length > 0 &&
    answers.every((a) => a.column !== "" && a.name.trim() !== "");

  const make = async () => {
    if (!holdout || !mapping) return;
    setBusy(true);
    setFault(null);
    const others = splits.filter((s) => s !== mapping.report_on && s !== mapping.tune_on);
    try {
      const study = await got(
        api.POST("/api/v1/studies", {
          body: {
            title: title.trim(),
            holdout: {
              upload: holdout.id,
              id: mapping.id || null,
              truth: mapping.truth,
              positive: mapping.positive,
              split: mapping.split || null,
              report_on: mapping.split ? mapping.report_on : null,
              tune_on: mapping.split && mapping.tune_on ? mapping.tune_on : null,
              also: mapping.split ? others : [],
              weight: mapping.weight || null,
              group: mapping.group || null,
              slices: mapping.slices.map((field) => [field]),
              names: {},
              words: {},
            },
            candidates: answers.map((a) => ({
              upload: a.upload.id,
              name: a.name.trim(),
              id: mapping.id && a.id !== mapping.id ? a.id : null,
              score: a.kind === "score" ? a.column : null,
              label: a.kind === "label" ? a.column : null,
              cutoff: a.kind === "score" ? Number(a.cutoff) : null,
              in_use: a.in_use,
              no_answer: a.no_answer,
            })),
          },
        }),
      );
      queries.setQueryData(["study", study.id], study);
      navigate(`/studies/${study.id}/intake`);
    } catch (e) {
      setFault(e);
    } finally {
      setBusy(false);
    }
  };

  return (
    <div className="h-full flex flex-col">
      <TopBar title="A new study" />
      <main className="flex-1 overflow-auto">
        <div className="max-w-[900px] mx-auto px-6 py-7">
          <h1 className="text-xl mb-3">From files to a study</h1>
          <label className="block text-sm text-soft" htmlFor="title">
            The question, as the report’s reader would put it
          </label>
          <input
            id="title"
            className="field font-serif text-lg"
            value={title}
            maxLength={200}
            onChange={(e) => setTitle(e.target.value)}
          />

          <h2 className="text-lg mt-6">1 · The labelled rows</h2>
          <Take
            label="Hold-out file"
            hint="CSV, TSV, JSON Lines, Parquet or Arrow"
            onBusy={setTaking}
            onTaken={(u) => {
              setHoldout(u);
              setMapping(mappingOf(u));
              setAnswers([]);
              setFault(null);
            }}
          />
          {holdout && mapping && (
            <>
              <FirstRows u={holdout} />
              <div className="grid grid-cols-3 gap-3 mt-3">
                <Pick
                  label="Row id"
                  value={mapping.id}
                  options={holdout.columns.map((c) => c.name)}
                  none="none: match by position"
                  onPick={(id) => put({ id })}
                />
                <Pick
                  label="Actual class"
                  value={mapping.truth}
                  options={holdout.columns.map((c) => c.name)}
                  onPick={(truth) => put({ truth, positive: "" })}
                />
                <Pick
                  label="Positive class"
                  value={mapping.positive}
                  options={classes}
                  none={classes.length ? "choose one" : "first say the actual class"}
                  onPick={(positive) => put({ positive })}
                />
                <Pick
                  label="Split"
                  value={mapping.split}
                  options={holdout.columns.map((c) => c.name)}
                  none="none: all rows"
                  onPick={(split) => put({ split, report_on: "", tune_on: "" })}
                />
                {mapping.split && (
                  <>
                    <Pick
                      label="Reported on"
                      value={mapping.report_on}
                      options={splits}
                      none="choose one"
                      onPick={(report_on) => put({ report_on })}
                    />
                    <Pick
                      label="Choices are made on"
                      value={mapping.tune_on}
                      options={splits.filter((s) => s !== mapping.report_on)}
                      none="no split"
                      onPick={(tune_on) => put({ tune_on })}
                    />
                  </>
                )}
                <Pick
                  label="Rows that belong together share"
                  value={mapping.group}
                  options={holdout.columns.map((c) => c.name)}
                  none="nothing: each row stands alone"
                  onPick={(group) => put({ group })}
                />
                <Pick
                  label="Sampling weight"
                  value={mapping.weight}
                  options={holdout.columns.filter((c) => c.numeric).map((c) => c.name)}
                  none="none: rows count alike"
                  onPick={(weight) => put({ weight })}
                />
              </div>
              <SliceFields u={holdout} mapping={mapping} onChange={(slices) => put({ slices })} />

              <h2 className="text-lg mt-6">2 · The candidates’ answers</h2>
              {answers.map((a, i) => (
                <CandidateRow
                  key={a.upload.id}
                  a={a}
                  position={i + 1}
                  askId={mapping.id !== ""}
                  join={
                    mapping.id !== "" && a.id !== ""
                      ? { holdout: holdout.id, holdout_id: mapping.id, answers: a.upload.id, answers_id: a.id }
                      : null
                  }
                  onChange={(next) =>
                    setAnswers((rows) =>
                      rows.map((row) =>
                        row.upload.id === next.upload.id ? next : next.in_use ? { ...row, in_use: false } : row,
                      ),
                    )
                  }
                  onRemove={() => setAnswers((rows) => rows.filter((row) => row.upload.id !== a.upload.id))}
                />
              ))}
              <Take
                label="Candidate file"
                many
                onBusy={setTaking}
                hint="one file for each candidate: the row id, and a score or a predicted class"
                onTaken={(u) => setAnswers((old) => [...old, answersOf(u, mapping.id)])}
              />
            </>
          )}
          <Fault error={fault} />
          <div className="mt-6 flex items-center gap-3">
            <Button kind="scarlet" className="px-4 py-1.5" disabled={!ready || busy} onClick={() => void make()}>
              {busy ? "Joining and checking …" : "Make the study"}
            </Button>
            <span className="text-sm text-soft">
              Everything is checked first. If a row does not fit, nothing is kept and you see which.
            </span>
          </div>
        </div>
      </main>
    </div>
  );
}

/** Which fields the numbers are also given for, value by value. */
function SliceFields({ u, mapping, onChange }: { u: Upload; mapping: Mapping; onChange: (fields: string[]) => void }) {
  const taken = [mapping.id, mapping.truth, mapping.split, mapping.weight];
  const fields = u.columns.filter((c) => !taken.includes(c.name) && c.distinct >= 2 && c.distinct <= 12);
  if (!fields.length) return null;
  return (
    <fieldset className="mt-3">
      <legend className="text-sm text-soft">Slice by</legend>
      <div className="flex flex-wrap gap-x-4 gap-y-1">
        {fields.map((c) => (
          <label key={c.name} className="text-sm">
            <input
              type="checkbox"
              checked={mapping.slices.includes(c.name)}
              onChange={(e) =>
                onChange(e.target.checked ? [...mapping.slices, c.name] : mapping.slices.filter((f) => f !== c.name))
              }
            />{" "}
            {c.name}
          </label>
        ))}
      </div>
    </fieldset>
  );
}

function FirstRows({ u }: { u: Upload }) {
  const rows = u.columns[0]?.first.map((_, i) => i) ?? [];
  return (
    <div className="mt-3">
      <p className="text-sm text-soft">
        {u.name}: {count(u.rows)} rows, {u.columns.length} columns. The first rows:
      </p>
      <div className="overflow-x-auto border border-rule bg-sheet mt-1">
        <table className="text-sm">
          <thead>
            <tr className="text-left text-soft border-b border-rule">
              {u.columns.map((c) => (
                <th key={c.name} className="font-normal px-2.5 py-1 whitespace-nowrap">
                  {c.name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((i) => (
              <tr key={i} className="border-b border-light last:border-0">
                {u.columns.map((c) => (
                  <td key={c.name} className="px-2.5 py-1 whitespace-nowrap max-w-48 truncate">
                    {c.first[i]}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}
