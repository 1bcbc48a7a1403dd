import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, got } from "../../api/client";
import { TopBar } from "../../app/TopBar";
import { Button, Fault } from "../../parts/basics";
import { type Answers, answersOf, entryOf, isSaid } from "./answers";
import { CandidateRow } from "./CandidateRow";
import { HoldoutForm } from "./HoldoutForm";
import { classesOf, holdoutOf, inOrder, isMany, type Mapping, mappingOf, missing, type Upload } from "./mapping";
import { type Quoted, QuotedForm, quotedOf, quotedReady } from "./QuotedForm";
import { Several } from "./Several";
import { Take } from "./Take";

/** The classes where there are three or more. */
const manyOf = (u: Upload, m: Mapping) => (isMany(u, m) ? classesOf(u, m).map((c) => c.label) : null);

/** A study from files: the hold-out, what its columns are, then each candidate's answers. */
export function NewStudy() {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [title, setTitle] = useState("");
  const [holdout, setHoldout] = useState<Upload | null>(null);
  const [mapping, setMapping] = useState<Mapping | null>(null);
  const [answers, setAnswers] = useState<Answers[]>([]);
  const [quoted, setQuoted] = useState<Quoted[]>([]);
  const [fault, setFault] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const [taking, setTaking] = useState(false);
  const many = holdout && mapping && manyOf(holdout, mapping);
  const put = (change: Partial<Mapping>) => {
    if (!holdout || !mapping) return;
    const now = { ...mapping, ...change };
    const is = manyOf(holdout, now);
    setMapping(now);
    if ((is === null) === (many === null)) return;
    setAnswers((old) =>
      old.map((a) => {
        const { kind, column } = answersOf(a.upload, now.id ?? "", is); // a score cannot speak of many classes
        return { ...a, kind, column };
      }),
    );
  };
  const take = (u: Upload) => {
    setHoldout(u);
    setMapping(mappingOf(u));
    setAnswers([]);
    setFault(null);
  };
  const unsaid = !title.trim()
    ? "the question"
    : !mapping
      ? "the labelled rows"
      : (missing(holdout as Upload, mapping) ??
        (answers.length === 0
          ? "a candidate’s answers"
          : answers.every((a) => isSaid(a, many))
            ? quoted.every(quotedReady)
              ? null
              : "name, source and values of what is quoted"
            : "which column of a candidate is its answer"));

  const make = async () => {
    if (!holdout || !mapping) return;
    setBusy(true);
    setFault(null);
    try {
      const study = await got(
        api.POST("/api/v1/studies", {
          body: {
            title: title.trim(),
            holdout: holdoutOf(holdout, mapping),
            quoted: quoted.map(quotedOf),
            candidates: answers.map((a) => entryOf(a, mapping.id ?? "", many)),
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
          <label className="block text-sm text-soft mb-1" htmlFor="title">
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
          <Take label="Hold-out file" hint="CSV, TSV, JSON Lines, Parquet or Arrow" onBusy={setTaking} onTaken={take} />
          {holdout && mapping && (
            <>
              <Several key={holdout.id} first={holdout} onBusy={setTaking} onTaken={take} />
              <HoldoutForm u={holdout} mapping={mapping} put={put} />

              <h2 className="text-lg mt-6">2 · The candidates’ answers</h2>
              {answers.map((a, i) => (
                <CandidateRow
                  key={a.upload.id}
                  a={a}
                  position={i + 1}
                  askId={Boolean(mapping.id)}
                  classes={many}
                  join={
                    mapping.id && a.id !== ""
                      ? { holdout: holdout.id, holdout_id: mapping.id, answers: a.upload.id, answers_id: a.id }
                      : null
                  }
                  onChange={(change) =>
                    setAnswers((rows) =>
                      rows.map((row) =>
                        row.upload.id === a.upload.id
                          ? { ...row, ...change }
                          : change.runs_now
                            ? { ...row, runs_now: false }
                            : row,
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
                onTaken={(u) => setAnswers((old) => [...old, answersOf(u, mapping.id ?? "", many)])}
              />
              <QuotedForm
                list={quoted}
                classes={inOrder(classesOf(holdout, mapping), mapping.positive)}
                onChange={setQuoted}
              />
            </>
          )}
          <Fault error={fault} />
          <div className="mt-6 flex items-center gap-3">
            <Button
              kind="strong"
              className="px-4 py-1.5"
              disabled={unsaid !== null || taking || busy}
              onClick={() => void make()}
            >
              {busy ? "Joining and checking …" : "Make the study"}
            </Button>
            <span className="text-sm text-soft">
              {unsaid
                ? `Still missing: ${unsaid}.`
                : "Everything is checked first. If a row does not fit, nothing is kept and you see which."}
            </span>
          </div>
        </div>
      </main>
    </div>
  );
}
