import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { Outlet, useLocation, useNavigate, useParams, useSearchParams } from "react-router";
import { api, got, type Results, type Study } from "../api/client";
import { keepCutoff, useResults, useSession, useStudy } from "../api/queries";
import { Fault, Loading } from "../parts/basics";
import { Finder } from "./Finder";
import { KeyList } from "./KeyList";
import { useKeys } from "./keys";
import { PinDialog } from "./PinDialog";
import { Rail } from "./Rail";
import { ScopeBar } from "./ScopeBar";
import { Spine } from "./Spine";
import { type Address, cutoffsQuery, readAddress, type Scope, ScopeContext, scopeOf, writeAddress } from "./scope";
import { isView, OPEN_STEPS, type Step, titleOf } from "./steps";
import { TopBar } from "./TopBar";
import { remember, undo } from "./undo";

/** The frame around a study: it finds the study and its results, then hands them to the views. */
export function StudyFrame() {
  const id = Number(useParams().studyId);
  const study = useStudy(id);
  const [search] = useSearchParams();
  const address = study.data ? readAddress(search, study.data) : null;
  const results = useResults(id, address ? cutoffsQuery(address.cutoffs) : null);
  if (study.isError)
    return <Standing title="Study" body={<Fault error={study.error} again={() => void study.refetch()} />} />;
  if (!study.data || !address) return <Standing title="" body={<Loading what="Opening the study" />} />;
  if (results.isError)
    return (
      <Standing title={study.data.title} body={<Fault error={results.error} again={() => void results.refetch()} />} />
    );
  if (!results.data) return <Standing title={study.data.title} body={<Loading what="Evaluating" />} />;
  return <OpenStudy study={study.data} results={results.data} address={address} stale={results.isPlaceholderData} />;
}

function Standing({ title, body }: { title: string; body: React.ReactNode }) {
  return (
    <div className="h-full flex flex-col">
      <TopBar title={title} />
      <main className="px-8 py-6">{body}</main>
    </div>
  );
}

type OpenProps = { study: Study; results: Results; address: Address; stale: boolean };

/** `stale`: the results shown are those of the last cutoffs; those of the address are on their way. */
function OpenStudy({ study, results, address, stale }: OpenProps) {
  const { pathname } = useLocation();
  const [search, setSearch] = useSearchParams();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const session = useSession();
  const step = pathname.split("/")[3] ?? "line-up";
  const [pinning, setPinning] = useState(false);
  const [listing, setListing] = useState(false);
  const [finding, setFinding] = useState(false);
  const [fault, setFault] = useState<unknown>(null);
  const written = writeAddress(address).toString();
  const mayWrite = ["analyst", "admin"].includes(session.data?.user?.role ?? "");

  useEffect(() => {
    if (search.toString() === written) return;
    // from the address as it is by now: what changed it in this very moment must not be undone
    const now = new URLSearchParams(window.location.search);
    setSearch(writeAddress(readAddress(now, study)), { replace: true });
  }, [search, written, study, setSearch]);

  useEffect(() => {
    document.title = `${titleOf(step)} · ${study.title} · Skarlo`;
    if (!OPEN_STEPS.includes(step as Step) || study.steps_read.includes(step)) return;
    got(
      api.PUT("/api/v1/studies/{study_id}/steps/{step}", {
        params: { path: { study_id: study.id, step: step as Step } },
      }),
    ).then(
      (read) => queries.setQueryData(["study", study.id], read),
      () => undefined,
    );
  }, [step, study, queries]);

  const scope: Scope = useMemo(() => {
    // From the address as it is at that moment: two quick changes must not undo one another.
    const now = () => readAddress(new URLSearchParams(window.location.search), study);
    const go = (change: Partial<Address>) => setSearch(writeAddress({ ...now(), ...change }), { replace: true });
    const store = async (position: number, value: number, chosenOn: string | null) => {
      go({ cutoffs: { ...now().cutoffs, [position]: value } });
      if (!mayWrite) return;
      try {
        queries.setQueryData(["study", study.id], await keepCutoff(study.id, position, value, chosenOn));
        void queries.invalidateQueries({ queryKey: ["dossier", study.id] });
        setFault(null);
      } catch (e) {
        setFault(e);
      }
    };
    return {
      ...address,
      ...scopeOf(study, results, address),
      study,
      results,
      query: cutoffsQuery(address.cutoffs),
      mayWrite,
      go,
      keep: (position, value) => {
        const was = study.candidates.find((c) => c.position === position);
        const before = address.cutoffs[position];
        if (value === before) return;
        if (was && before !== undefined)
          remember({
            what: `cutoff of ${was.letter}`,
            back: () => store(position, before, before === was.cutoff ? was.cutoff_chosen_on : address.split),
          });
        void store(position, value, address.split);
      },
    };
  }, [address, study, results, mayWrite, queries, setSearch]);

  const walk = (by: number) => {
    const { pathname, search } = window.location;
    const next = OPEN_STEPS[OPEN_STEPS.indexOf(pathname.split("/")[3] as Step) + by];
    if (next) navigate({ pathname: `/studies/${study.id}/${next}`, search });
  };
  const digits = Object.fromEntries(
    study.candidates.slice(0, 9).map((c) => [
      String(c.position),
      () => {
        const { show } = readAddress(new URLSearchParams(window.location.search), study);
        scope.go({ show: show.includes(c.position) ? show.filter((p) => p !== c.position) : [...show, c.position] });
      },
    ]),
  );
  useKeys({
    ...digits,
    p: () => isView(step) && mayWrite && !scope.many && setPinning(true),
    j: () => walk(1),
    k: () => walk(-1),
    u: () => void undo(),
    "?": () => setListing(true),
    "/": () => setFinding(true),
  });

  const whole = step === "dossier" || step === "revisions";
  return (
    <ScopeContext.Provider value={scope}>
      <div className="h-full flex flex-col">
        <TopBar title={study.title} study={study} onKeys={() => setListing(true)} onFind={() => setFinding(true)} />
        <ScopeBar />
        <div className="flex flex-1 min-h-0">
          <Spine step={step} />
          <main
            className={`flex-1 min-w-0 overflow-auto px-5 pt-4 ${whole ? "pb-4" : "pb-10"} ${stale ? "opacity-60" : ""}`}
            data-view={step}
            aria-busy={stale}
            data-stale={stale}
          >
            <Fault error={fault} />
            <Outlet />
          </main>
          {!whole && <Rail step={step} onPin={() => setPinning(true)} />}
        </div>
      </div>
      {isView(step) && <PinDialog open={pinning} onOpenChange={setPinning} view={step} />}
      <KeyList open={listing} onOpenChange={setListing} />
      <Finder open={finding} onOpenChange={setFinding} />
    </ScopeContext.Provider>
  );
}
