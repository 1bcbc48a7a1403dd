import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, got, importStudy, type Schemas } from "../../api/client";
import { useDeleted, useSession, useStudies } from "../../api/queries";
import { TopBar } from "../../app/TopBar";
import { Button, Fault, Loading } from "../../parts/basics";
import { Confirm } from "../../parts/Confirm";
import { Modal } from "../../parts/Modal";
import { day, several } from "../../parts/number";

export function Studies() {
  const studies = useStudies();
  const mayWrite = useSession().data?.may.includes("write") ?? false;
  const list = studies.data?.studies ?? [];
  return (
    <div className="h-full flex flex-col">
      <TopBar title="" />
      <main className="w-full max-w-[860px] mx-auto px-6 py-9">
        <header className="flex items-center gap-4 mb-4">
          <h1 className="text-xl flex-1">Studies</h1>
          {mayWrite && <Import />}
          {mayWrite && (
            <Link to="/new" className="border border-ink bg-sheet font-semibold rounded-md px-3 py-1.5 hover:bg-light">
              New study from files
            </Link>
          )}
        </header>
        <Fault error={studies.error} />
        {studies.isPending && <Loading what="Looking" />}
        {studies.isSuccess && list.length === 0 && (
          <p className="font-serif text-lg">
            There is no study yet. {mayWrite ? "Make one from a hold-out file and the candidates’ answers." : ""}
          </p>
        )}
        <ul className="border-t border-rule">
          {list.map((s) => (
            <li key={s.id} className="border-b border-rule flex items-center">
              <Link
                to={`/studies/${s.id}`}
                className="flex-1 min-w-0 flex items-center gap-4 py-3.5 px-2 hover:bg-sheet"
              >
                <span className="flex-1 min-w-0">
                  <span className="font-serif text-[17px] font-semibold block truncate">{s.title}</span>
                  <span className="text-sm text-soft block truncate">{s.candidates.join(" · ")}</span>
                </span>
                <span className="text-sm text-soft whitespace-nowrap">
                  {s.author}, {day(s.created)}
                </span>
                <span className="w-36 text-right">
                  <Stamp study={s} />
                </span>
              </Link>
              {mayWrite && <Delete study={s} />}
            </li>
          ))}
        </ul>
        {mayWrite && <Deleted />}
      </main>
    </div>
  );
}

function Delete({ study: { id, title, revisions, signed } }: { study: Schemas["StudyLine"] }) {
  const queries = useQueryClient();
  const go = async () => {
    const left = await got(api.DELETE("/api/v1/studies/{study_id}", { params: { path: { study_id: id } } }));
    queries.setQueryData(["studies"], left);
    await queries.invalidateQueries({ queryKey: ["deleted"] });
  };
  return (
    <Confirm
      trigger={
        <Button kind="bare" className="text-sm text-soft" aria-label={`Delete ${title}`}>
          Delete
        </Button>
      }
      title={`Delete “${title}”?`}
      yes={revisions > 0 ? null : "Delete the study"}
      onYes={go}
    >
      {revisions > 0 ? (
        <>
          {signed !== null
            ? `Its revision ${signed} is signed. `
            : `It has ${several(revisions, "revision")} submitted for sign-off. `}
          A study with a frozen report cannot be deleted, so that its signatures can always be checked.
        </>
      ) : (
        "Its rows, candidates and dossier go with it. For 30 days it can be restored, below the list."
      )}
    </Confirm>
  );
}

/** What was deleted in the last 30 days, to be restored. */
function Deleted() {
  const queries = useQueryClient();
  const list = useDeleted().data?.deleted ?? [];
  const back = useMutation({
    mutationFn: (line: (typeof list)[number]) =>
      got(
        api.POST("/api/v1/deleted/{kind}/{record_id}/restore", {
          params: { path: { kind: line.kind, record_id: line.id } },
        }),
      ),
    onSuccess: ({ study_id }) => {
      for (const key of ["studies", "deleted"]) void queries.invalidateQueries({ queryKey: [key] });
      for (const key of ["study", "parts", "fields", "findings", "tallies"])
        queries.removeQueries({ queryKey: [key, study_id] });
    },
  });
  if (list.length === 0) return null;
  return (
    <section aria-label="Deleted" className="mt-8">
      <h2 className="text-lg mb-1">Deleted</h2>
      <ul className="text-sm">
        {list.map((line) => (
          <li key={`${line.kind}${line.id}`} className="border-b border-light py-1.5 px-2 flex items-baseline gap-3">
            <span className="flex-1 min-w-0 truncate">
              {line.name}
              {line.kind !== "study" && <span className="text-soft"> of {line.study}</span>}
            </span>
            <span className="text-soft">gone for good on {day(line.until)}</span>
            <Button
              kind="bare"
              className="text-sm"
              aria-label={`Restore ${line.name}`}
              disabled={back.isPending}
              onClick={() => back.mutate(line)}
            >
              Restore
            </Button>
          </li>
        ))}
      </ul>
      <Fault error={back.error} />
    </section>
  );
}

/** A study that was saved as files comes in again. */
function Import() {
  const navigate = useNavigate();
  const [fault, setFault] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const take = async (file: File) => {
    setBusy(true);
    setFault(null);
    try {
      const { id } = await importStudy(file);
      navigate(`/studies/${id}/intake`);
    } catch (e) {
      setFault(e);
    } finally {
      setBusy(false);
    }
  };
  return (
    <>
      <label className="border border-rule bg-sheet rounded-md px-3 py-1.5 hover:border-ink cursor-pointer focus-within:outline-2">
        {busy ? "Importing …" : "Import a saved study"}
        <input
          type="file"
          accept=".zip"
          className="sr-only"
          disabled={busy}
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) void take(file);
            e.target.value = "";
          }}
        />
      </label>
      <Modal open={fault !== null} onOpenChange={() => setFault(null)} title="Import failed">
        <Fault error={fault} />
      </Modal>
    </>
  );
}

const TONE: Record<string, string> = { waiting: "text-ochre", signed: "text-moss", returned: "text-scarlet" };

function Stamp({ study: { stamp, signed, revisions, exhibits } }: { study: Schemas["StudyLine"] }) {
  if (!stamp) return <span className="text-sm text-soft">{several(exhibits, "exhibit")}</span>;
  return (
    <>
      {signed !== null && signed !== revisions && <span className="text-xs text-moss block">{signed} · signed</span>}
      <span className={`stamp text-xs ${TONE[stamp] ?? ""}`}>
        {revisions} · {stamp}
      </span>
    </>
  );
}
