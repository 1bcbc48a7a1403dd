import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, type Dossier, got, ProblemError } from "../../api/client";
import { dossierCalls, useDossier, useDossierChange, useDossierSaving, useDraft } from "../../api/queries";
import { useScope, writeAddress } from "../../app/scope";
import { useSteps } from "../../app/steps";
import { remember, undo, useUndo } from "../../app/undo";
import { Button, Fault, Loading, ViewHead } from "../../parts/basics";
import { Modal } from "../../parts/Modal";
import { asSet } from "../../parts/number";
import { Text } from "./Text";

export function DossierView() {
  const { study } = useScope();
  const dossier = useDossier(study.id);
  if (dossier.isError) return <Fault error={dossier.error} />;
  if (!dossier.data) return <Loading what="Opening the dossier" />;
  return <OpenDossier dossier={dossier.data} />;
}

function OpenDossier({ dossier }: { dossier: Dossier }) {
  const { study, mayWrite } = useScope();
  const change = useDossierChange(study.id, dossierCalls(study.id).change);
  const draft = useDraft(study.id);
  const last = useUndo();
  /** Keep one of its texts, from what that text was. */
  const text = (key: "heading" | "summary" | "decision_note") => (to: string, from: string) =>
    change.mutateAsync({ to: { [key]: to }, from: { [key]: from } });
  const insert = async () => {
    const { text: drafted } = await draft.mutateAsync();
    await text("summary")(drafted, dossier.summary);
  };
  return (
    <div className="grid grid-cols-[372px_minmax(0,1fr)] gap-5 h-full min-h-0">
      <div className="overflow-auto pr-1">
        <ViewHead title="Dossier" />
        <Revisions dossier={dossier} />
        {mayWrite ? (
          <>
            <Text label="Title of the report" value={dossier.heading} most={300} onKeep={text("heading")} />
            <Decision
              dossier={dossier}
              onChange={(to, from) => change.mutate({ to, from })}
              onNote={text("decision_note")}
            />
            {dossier.differs.map((line) => (
              <p key={line} role="note" className="border-l-[3px] border-ochre bg-ochre-soft px-3 py-1.5 mt-2">
                {line.charAt(0).toUpperCase() + line.slice(1)}.
              </p>
            ))}
            <Text
              label="The argument, in Markdown"
              rows={9}
              value={dossier.summary}
              most={100_000}
              onKeep={text("summary")}
            >
              {dossier.summary.trim() === "" && (
                <Button
                  className="mt-1"
                  disabled={draft.isPending}
                  onClick={() => void insert().catch(() => undefined)}
                >
                  Insert a draft from the numbers
                </Button>
              )}
            </Text>
            <Fault error={draft.error ?? (told(change.error) ? change.error : null)} />
            <Exhibits dossier={dossier} />
            {last && (
              <button type="button" className="link text-sm mt-2" onClick={() => void undo()}>
                <span className="kbd">u</span> undo {last}
              </button>
            )}
            <Submit dossier={dossier} />
          </>
        ) : (
          <p className="text-soft mt-2">You read the draft here; an analyst edits it.</p>
        )}
      </div>
      <Preview address={dossier.preview} stamp={JSON.stringify(dossier)} />
    </div>
  );
}

/** That someone else was quicker is said where it happened. */
const told = (error: unknown) => !(error instanceof ProblemError && error.status === 412);

/** The draft as its reader will see it, drawn anew after each change. */
function Preview({ address, stamp }: { address: string; stamp: string }) {
  return (
    <iframe
      title="The report as its reader will see it"
      sandbox=""
      src={`${address}?v=${hashed(stamp)}`}
      className="w-full h-full border border-rule bg-paper"
    />
  );
}

/** A short name for a text, the same for the same text. */
const hashed = (text: string) => [...text].reduce((h, c) => (Math.imul(h, 31) + c.charCodeAt(0)) >>> 0, 7).toString(36);

function Revisions({ dossier }: { dossier: Dossier }) {
  const scope = useScope();
  if (dossier.revisions.length === 0) return null;
  return (
    <ul className="my-2 border-t border-rule">
      {[...dossier.revisions].reverse().map((r) => (
        <li key={r.id} className="border-b border-rule py-1.5 flex items-baseline gap-2">
          <Link
            className="link"
            to={{
              pathname: `/studies/${scope.study.id}/revisions/${r.id}`,
              search: writeAddress(scope, scope.study).toString(),
            }}
          >
            Revision {r.number}
          </Link>
          <span className="flex-1 text-sm text-soft truncate">{r.verdict?.reason || r.submitted}</span>
          <span className={`text-sm font-semibold ${TONE[r.stamp] ?? ""}`}>{r.stamp}</span>
        </li>
      ))}
    </ul>
  );
}

export const TONE: Record<string, string> = { waiting: "text-ochre", signed: "text-moss", returned: "text-scarlet" };

type Asked = Partial<Pick<Dossier, "decision_candidate" | "decision_cutoff" | "decision_groups">>;
type DecisionProps = {
  dossier: Dossier;
  onChange: (to: Asked, from: Asked) => void;
  onNote: (to: string, from: string) => Promise<unknown>;
};

function Decision({ dossier, onChange, onNote }: DecisionProps) {
  const { study, cutoffs } = useScope();
  const { decision_candidate, decision_cutoff, decision_groups } = dossier;
  const chosen = study.candidates.find((c) => c.name === decision_candidate);
  const current = chosen ? cutoffs[chosen.position] : undefined;
  const change = (to: Asked) => onChange(to, { decision_candidate, decision_cutoff, decision_groups });
  return (
    <fieldset className="mt-3 border border-rule bg-sheet rounded-md px-3 pt-1 pb-2.5 min-w-0">
      <legend className="text-sm text-soft px-1">Decision requested</legend>
      <div className="flex gap-2 items-center flex-wrap">
        <label htmlFor="decision">Use</label>
        <select
          id="decision"
          className="field flex-1 min-w-32"
          value={decision_candidate ?? ""}
          onChange={(e) => {
            const c = study.candidates.find((one) => one.name === e.target.value);
            change({ decision_candidate: c?.name ?? null, decision_cutoff: c ? (cutoffs[c.position] ?? null) : null });
          }}
        >
          <option value="">nothing chosen yet</option>
          {study.candidates.map((c) => (
            <option key={c.position} value={c.name}>
              {c.letter} · {c.name}
            </option>
          ))}
        </select>
        {decision_cutoff !== null && <span data-part="decision-cutoff">at ≥ {asSet(decision_cutoff)}</span>}
      </div>
      {decision_cutoff !== null && (
        <p className="text-sm text-soft mt-1" data-part="decision-chosen">
          {dossier.decision_chosen}
        </p>
      )}
      {decision_groups && (
        <p className="text-sm mt-1" data-part="decision-groups">
          With {dossier.decision_grouped}.{" "}
          <button type="button" className="link" onClick={() => change({ decision_groups: null })}>
            One cutoff for all
          </button>
        </p>
      )}
      {current !== undefined && current !== decision_cutoff && (
        <Button className="mt-1.5" onClick={() => change({ decision_candidate, decision_cutoff: current })}>
          Use the cutoff now set: ≥ {asSet(current)}
        </Button>
      )}
      <Text
        label="For which rows, on which conditions, until when"
        rows={2}
        value={dossier.decision_note}
        most={20_000}
        onKeep={onNote}
      />
    </fieldset>
  );
}

function Exhibits({ dossier }: { dossier: Dossier }) {
  const { titleOf } = useSteps();
  const { study } = useScope();
  const calls = dossierCalls(study.id);
  const caption = useDossierChange(study.id, calls.caption);
  const unpin = useDossierChange(study.id, calls.unpin);
  const reorder = useDossierChange(study.id, calls.reorder);
  const pin = useDossierChange(study.id, calls.pin);
  const ids = dossier.exhibits.map((e) => e.id);
  const move = (from: number, to: number) => {
    const order = [...ids];
    order.splice(to, 0, ...order.splice(from, 1));
    remember({ what: "the order", back: () => reorder.mutateAsync(ids) });
    reorder.mutate(order);
  };
  return (
    <section aria-label="Exhibits" className="mt-4">
      <h2 className="text-lg">Exhibits</h2>
      {ids.length === 0 && (
        <p className="text-soft">
          None yet. In Roster, Matrix, Curves or Cutoff, press <span className="kbd">P</span> to pin what you see.
        </p>
      )}
      <ol>
        {dossier.exhibits.map((e, i) => (
          <li key={e.id} className="border-b border-light py-2 flex gap-2" data-exhibit={e.view}>
            <span className="font-semibold w-4">{i + 1}</span>
            <div className="flex-1 min-w-0">
              <span className="text-sm text-soft">
                {titleOf(e.view)}, {e.scope.split}
              </span>
              <Text
                label={`Caption of exhibit ${i + 1}`}
                unseen
                rows={2}
                value={e.caption}
                most={2000}
                placeholder="What this shows"
                onKeep={(text, from) => caption.mutateAsync({ exhibit: e.id, caption: text, from })}
              />
            </div>
            <div className="flex flex-col gap-0.5">
              <Button
                kind="bare"
                aria-label={`Move exhibit ${i + 1} up`}
                disabled={i === 0}
                onClick={() => move(i, i - 1)}
              >
                ↑
              </Button>
              <Button
                kind="bare"
                aria-label={`Move exhibit ${i + 1} down`}
                disabled={i === ids.length - 1}
                onClick={() => move(i, i + 1)}
              >
                ↓
              </Button>
            </div>
            <Button
              kind="bare"
              aria-label={`Remove exhibit ${i + 1}`}
              className="self-start"
              onClick={() => {
                remember({
                  what: `removing exhibit ${i + 1}`,
                  back: () => pin.mutateAsync({ view: e.view, scope: e.scope, caption: e.caption, position: i }),
                });
                unpin.mutate(e.id);
              }}
            >
              ×
            </Button>
          </li>
        ))}
      </ol>
      <Fault error={unpin.error ?? reorder.error ?? pin.error} />
    </section>
  );
}

function Submit({ dossier }: { dossier: Dossier }) {
  const scope = useScope();
  const [asking, setAsking] = useState(false);
  const [fault, setFault] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  // What was typed last must be kept before anything is frozen.
  const saving = useDossierSaving(scope.study.id);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const last = dossier.revisions.at(-1);
  const lacks = [
    dossier.exhibits.length === 0 && "at least one exhibit",
    dossier.decision_candidate === null && "a decision",
    last?.stamp === "waiting" && `revision ${last.number} to be signed or returned`,
  ].filter((x): x is string => typeof x === "string");
  const send = async () => {
    setBusy(true);
    try {
      const revision = await got(
        api.POST("/api/v1/studies/{study_id}/revisions", { params: { path: { study_id: scope.study.id } } }),
      );
      await Promise.all([
        queries.invalidateQueries({ queryKey: ["dossier", scope.study.id] }),
        queries.invalidateQueries({ queryKey: ["study", scope.study.id] }),
      ]);
      navigate({
        pathname: `/studies/${scope.study.id}/revisions/${revision.id}`,
        search: writeAddress(scope, scope.study).toString(),
      });
    } catch (e) {
      setFault(e);
      setAsking(false);
    } finally {
      setBusy(false);
    }
  };
  return (
    <div className="mt-5">
      <Fault error={fault} />
      <Button kind="strong" className="w-full py-1.5" disabled={lacks.length > 0} onClick={() => setAsking(true)}>
        Submit for sign-off
      </Button>
      {lacks.length > 0 && <p className="text-sm text-soft mt-1">Needed first: {lacks.join(", ")}.</p>}
      <Modal open={asking} onOpenChange={setAsking} title={`Submit revision ${(last?.number ?? 0) + 1}?`}>
        <p>
          Its numbers, figures and words are frozen under one fingerprint and cannot be changed by anyone. You cannot
          sign it yourself; if it is returned, you go on with the next revision.
        </p>
        <div className="flex gap-2 justify-end mt-4">
          <Button onClick={() => setAsking(false)}>Not yet</Button>
          <Button kind="scarlet" disabled={busy || saving} onClick={() => void send()}>
            Freeze and submit
          </Button>
        </div>
      </Modal>
    </div>
  );
}
