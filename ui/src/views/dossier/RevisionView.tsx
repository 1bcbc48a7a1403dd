import { useQuery, useQueryClient } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useParams } from "react-router";
import { api, got, type Revision } from "../../api/client";
import { useSession } from "../../api/queries";
import { useScope } from "../../app/scope";
import { Button, Fault, Loading } from "../../parts/basics";
import { TONE } from "./DossierView";

const WORDS: Record<string, string> = { waiting: "waiting for signature", signed: "signed", returned: "returned" };

/** A frozen revision: the report to read, and beside it the sign-off. */
export function RevisionView() {
  const id = Number(useParams().revisionId);
  const asked = useQuery({
    queryKey: ["revision", id],
    queryFn: () => got(api.GET("/api/v1/revisions/{revision_id}", { params: { path: { revision_id: id } } })),
  });
  if (asked.isError) return <Fault error={asked.error} />;
  if (!asked.data) return <Loading what="Opening the revision" />;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_248px] gap-5 h-full min-h-0">
      <iframe
        key={asked.data.stamp}
        title={`Report, revision ${asked.data.number}`}
        sandbox=""
        src={`/api/v1/reports/${id}`}
        className="w-full h-full border border-rule bg-paper"
      />
      <SignOff revision={asked.data} />
    </div>
  );
}

function SignOff({ revision }: { revision: Revision }) {
  const user = useSession().data?.user;
  const { maySign } = useScope();
  const own = user !== null && user !== undefined && revision.author_ids.includes(user.id);
  return (
    <aside aria-label="Sign-off" className="overflow-auto">
      <h1 className="text-xl">Revision {revision.number}</h1>
      <p className="my-4">
        <span className={`stamp text-base ${TONE[revision.stamp] ?? ""}`} data-part="stamp">
          {WORDS[revision.stamp] ?? revision.stamp}
        </span>
      </p>
      <dl className="text-sm space-y-2">
        <div>
          <dt className="text-soft">Author</dt>
          <dd>
            {revision.author}, {revision.submitted}
          </dd>
        </div>
        {revision.verdict && (
          <div>
            <dt className="text-soft">{revision.verdict.verdict === "signed" ? "Signed by" : "Returned by"}</dt>
            <dd>
              {revision.verdict.by}, {revision.verdict.at}
              {revision.verdict.reason && <q className="font-serif text-lg block mt-1">{revision.verdict.reason}</q>}
            </dd>
          </div>
        )}
        <div>
          <dt className="text-soft">Fingerprint (SHA-256)</dt>
          <dd className="font-mono text-xs break-all" data-part="fingerprint">
            {revision.sha256}
          </dd>
        </div>
        <div>
          <dt className="text-soft">The report</dt>
          <dd>
            <a className="link" href={`/api/v1/reports/${revision.id}`} target="_blank" rel="noreferrer">
              its own page
            </a>{" "}
            ·{" "}
            <a className="link" href={`/api/v1/reports/${revision.id}?download=true`} download>
              save as one HTML file
            </a>
          </dd>
        </div>
      </dl>
      {revision.stamp === "waiting" && maySign && !own && <Verdict revision={revision} />}
      {revision.stamp === "waiting" && own && (
        <p className="text-sm text-soft mt-4">You wrote part of this revision, so someone else signs it.</p>
      )}
      {revision.stamp === "waiting" && !own && !maySign && (
        <p className="text-sm text-soft mt-4">An approver signs it or sends it back.</p>
      )}
    </aside>
  );
}

function Verdict({ revision }: { revision: Revision }) {
  const queries = useQueryClient();
  const [returning, setReturning] = useState(false);
  const [fault, setFault] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const params = { path: { revision_id: revision.id } };
  const send = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault();
    const text = String(new FormData(event.currentTarget).get("text"));
    setBusy(true);
    try {
      const after = returning
        ? await got(api.POST("/api/v1/revisions/{revision_id}/return", { params, body: { reason: text } }))
        : await got(api.POST("/api/v1/revisions/{revision_id}/signature", { params, body: { password: text } }));
      queries.setQueryData(["revision", revision.id], after);
      void queries.invalidateQueries({ queryKey: ["dossier"] });
      void queries.invalidateQueries({ queryKey: ["study"] });
    } catch (e) {
      setFault(e);
    } finally {
      setBusy(false);
    }
  };
  return (
    <form onSubmit={send} className="mt-5 border-t border-rule pt-4">
      {returning ? (
        <>
          <label className="block text-sm text-soft" htmlFor="text">
            Why it goes back
          </label>
          <textarea
            key="reason"
            id="text"
            name="text"
            required
            rows={4}
            maxLength={5000}
            className="field font-serif"
          />
        </>
      ) : (
        <>
          <p className="font-serif text-lg leading-snug mb-2">I have read this report and agree with its decision.</p>
          <label className="block text-sm text-soft" htmlFor="text">
            Your password, as your signature
          </label>
          <input
            key="password"
            id="text"
            name="text"
            type="password"
            required
            autoComplete="current-password"
            className="field"
          />
        </>
      )}
      <Fault error={fault} />
      <Button kind="scarlet" type="submit" disabled={busy} className="w-full mt-2 py-1.5">
        {returning ? "Send it back" : "Sign this revision"}
      </Button>
      <Button
        kind="strong"
        className="w-full mt-2"
        onClick={() => {
          setReturning(!returning);
          setFault(null);
        }}
      >
        {returning ? "Sign it instead" : "Send it back with a reason"}
      </Button>
    </form>
  );
}
