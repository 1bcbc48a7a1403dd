import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { Link, Outlet, useLocation, useNavigate, useParams, useSearchParams } from "react-router";
import { api, got, type Study } from "../api/client";
import { useCutoffKeeping, useStudy } from "../api/queries";
import type { operations } from "../api/schema";
import { Fault, Loading } from "../parts/basics";
import { Finder } from "./Finder";
import { KeyList } from "./KeyList";
import { useKeys } from "./keys";
import { PinDialog } from "./PinDialog";
import { Rail } from "./Rail";
import { type Read, useRead } from "./results";
import { ScopeBar } from "./ScopeBar";
import { Spine } from "./Spine";
import {
  type Address,
  cutoffsQuery,
  readAddress,
  type Scope,
  ScopeContext,
  scopeOf,
  toggled,
  withinQuery,
  writeAddress,
} from "./scope";
import { useSteps } from "./steps";
import { TopBar } from "./TopBar";
import { remember, undo } from "./undo";

type ReadStep = operations["readStep"]["parameters"]["path"]["step"];

/** The frame around a study: it finds the study and its results, then hands them to the views. */
export function StudyFrame() {
  const id = Number(useParams().studyId);
  const study = useStudy(id);
  const [search] = useSearchParams();
  const address = study.data ? readAddress(search, study.data) : null;
  const step = useLocation().pathname.split("/")[3] ?? "roster";
  const { results, error, pending, lacking, waiting } = useRead(study.data, address, step);
  const [over, setOver] = useState<Over>(null);
  const { data } = study;
  const open = data && address && results && !study.isError && !error;
  const said = () => {
    if (study.isError) return <Fault error={study.error} again={() => void study.refetch()} list />;
    if (!data || !address) return <Loading what="Opening the study" />;
    if (!error) return <Loading what="Evaluating" />;
    return (
      <>
        <Fault error={error.error} again={() => void error.refetch()} />
        {Object.keys(address.within).length > 0 && (
          <Link className="link" to={{ search: writeAddress({ ...address, within: {} }, data).toString() }}>
            Read all rows
          </Link>
        )}
      </>
    );
  };
  // the bar stays the same while the study comes, so that whoever is in it already is not thrown out
  return (
    <div className="h-full flex flex-col">
      <TopBar
        title={study.isError ? "Study" : (data?.title ?? "")}
        study={open ? data : undefined}
        onKeys={open ? () => setOver("keys") : undefined}
        onFind={open ? () => setOver("finder") : undefined}
      />
      {open ? (
        <OpenStudy study={data} {...{ address, step, results, pending, lacking, waiting, over, setOver }} />
      ) : (
        <main className="px-8 py-6">{said()}</main>
      )}
    </div>
  );
}

/** What stands over the page, besides a pin. */
type Over = "keys" | "finder" | null;

type Open = {
  study: Study;
  results: Read;
  address: Address;
  step: string;
  pending: boolean;
  lacking: boolean;
  waiting: boolean;
  over: Over;
  setOver: (over: Over) => void;
};

/** `results` may still be those of other cutoffs than the address says: `Scope.pending` tells, candidate by candidate. */
function OpenStudy({ study, results, address, step, pending, lacking, waiting, over, setOver }: Open) {
  const { pathname } = useLocation();
  const [search, setSearch] = useSearchParams();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [pinning, setPinning] = useState(false);
  const { open, titleOf, canPin } = useSteps();
  const keeping = useCutoffKeeping(study.id);
  const [fault, setFault] = useState<unknown>(null);
  const written = writeAddress(address, study).toString();
  const mayWrite = study.may.includes("write");

  useEffect(() => {
    // a study without a step is on its way to one: nothing may stop it
    if (search.toString() === written || !pathname.split("/")[3]) return;
    // from the address as it is by now: what changed it in this very moment must not be undone
    const now = new URLSearchParams(window.location.search);
    setSearch(writeAddress(readAddress(now, study), study), { replace: true });
  }, [search, written, study, setSearch, pathname]);

  useEffect(() => {
    document.title = `${titleOf(step)} · ${study.title} · Skarlo`;
    if (!open.includes(step) || study.steps_read.includes(step)) return;
    got(
      api.PUT("/api/v1/studies/{study_id}/steps/{step}", {
        params: { path: { study_id: study.id, step: step as ReadStep } },
      }),
    ).then(
      (read) =>
        // only what this request changed: the rest may be newer here by now
        queries.setQueryData(
          ["study", study.id],
          (now: Study | undefined) => now && { ...now, steps_read: read.steps_read },
        ),
      () => undefined,
    );
  }, [step, study, queries, open, titleOf]);

  const keep = keeping.mutateAsync;
  // The address as it was last asked for: going there takes a moment, in which the next change may come.
  const wanted = useRef<string | null>(null);
  useEffect(() => {
    if (search.toString() === wanted.current) wanted.current = null;
    const back = () => {
      wanted.current = null;
    };
    window.addEventListener("popstate", back);
    return () => window.removeEventListener("popstate", back);
  }, [search]);
  const scope: Scope = useMemo(() => {
    const now = () => readAddress(new URLSearchParams(wanted.current ?? window.location.search), study);
    const go: Scope["go"] = (change) => {
      const from = now();
      const next = writeAddress({ ...from, ...(typeof change === "function" ? change(from) : change) }, study);
      wanted.current = next.toString();
      // at once: what was clicked shows what was chosen, also while something large is being drawn
      setSearch(next, { replace: true, flushSync: true });
    };
    const put = (position: number, value: number) =>
      go(({ cutoffs }) => ({ cutoffs: { ...cutoffs, [position]: value } }));
    const store = async (position: number, value: number, chosen_on: string) => {
      put(position, value);
      if (!mayWrite) return;
      try {
        await keep({ position, value, chosen_on });
        setFault(null);
      } catch (e) {
        setFault(e);
        // what is shown is what the study keeps, unless the hand has gone on meanwhile
        const kept = queries
          .getQueryData<Study>(["study", study.id])
          ?.candidates.find((c) => c.position === position)?.cutoff;
        if (typeof kept === "number" && now().cutoffs[position] === value) put(position, kept);
      }
    };
    return {
      ...address,
      ...scopeOf(study, results, address, pending, lacking),
      study,
      results,
      query: cutoffsQuery(address.cutoffs),
      slice: withinQuery(address.within),
      mayWrite,
      maySign: study.may.includes("sign"),
      go,
      setOwn: (change) =>
        go(({ own }) => {
          const next = Object.entries({ ...own, ...(typeof change === "function" ? change(own) : change) }).filter(
            ([, value]) => value !== null,
          );
          return { own: Object.fromEntries(next) as Record<string, string> };
        }),
      keep: (position, value) => {
        const { cutoffs, split } = now();
        const before = cutoffs[position];
        if (before === undefined || value === before) return;
        const letter = study.candidates.find((c) => c.position === position)?.letter;
        remember({ what: `cutoff of ${letter}`, back: () => store(position, before, split) });
        void store(position, value, split);
      },
    };
  }, [address, study, results, pending, lacking, mayWrite, keep, queries, setSearch]);

  const walk = (by: number) => {
    const { pathname, search } = window.location;
    const next = open[open.indexOf(pathname.split("/")[3] ?? "") + by];
    if (next) navigate({ pathname: `/studies/${study.id}/${next}`, search });
  };
  const digits = Object.fromEntries(
    study.candidates
      .slice(0, 9)
      .map((c) => [String(c.position), () => scope.go(({ show }) => ({ show: toggled(show, c.position) }))]),
  );
  useKeys({
    ...digits,
    p: () => canPin(step) && mayWrite && setPinning(true),
    j: () => walk(1),
    k: () => walk(-1),
    u: () => void undo(),
    "?": () => setOver("keys"),
    "/": () => setOver("finder"),
  });

  const whole = step === "dossier" || step === "revisions";
  return (
    <ScopeContext.Provider value={scope}>
      <ScopeBar />
      <div className="flex flex-1 min-h-0">
        <Spine step={step} />
        <main
          className={`flex-1 min-w-0 overflow-auto px-5 pt-4 ${whole ? "pb-4" : "pb-10"}`}
          data-view={step}
          aria-busy={scope.pending || waiting || keeping.isPending}
        >
          <Fault error={fault} done={() => setFault(null)} />
          {waiting ? <Loading what="Evaluating" /> : <Outlet />}
        </main>
        {!whole && <Rail step={step} onPin={() => setPinning(true)} />}
      </div>
      {canPin(step) && <PinDialog open={pinning} onOpenChange={setPinning} view={step} />}
      <KeyList open={over === "keys"} onOpenChange={(open) => setOver(open ? "keys" : null)} />
      <Finder open={over === "finder"} onOpenChange={(open) => setOver(open ? "finder" : null)} />
    </ScopeContext.Provider>
  );
}
