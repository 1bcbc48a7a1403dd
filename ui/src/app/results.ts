import { useEffect, useMemo, useRef } from "react";
import type { Parts, Schemas, Study } from "../api/client";
import { type PartsAsked, prefetchParts, useParts } from "../api/queries";
import { type Address, cutoffsQuery, withinQuery } from "./scope";
import { type StepEntry, useSteps } from "./steps";

type SplitResult = Schemas["SplitResult"];
type CandidateResult = Omit<Schemas["CandidateResult"], "splits"> & { splits: Record<string, SplitResult> };

/** The parts of the results that the page has read: every candidate on the split that is read, and what the open view
 * and the frame show besides. */
export type Read = Pick<Schemas["Results"], "holdout" | "settings"> &
  Omit<Parts, "candidates" | "holdout" | "settings"> & { candidates: CandidateResult[] };

const LINES = ["lines", "classes"] as const;

/** Parts in one document, as the results file has them. The lines of all candidates have to be among them. */
export function putTogether(parts: Parts[]): Read {
  const out: Parts = Object.assign({}, ...parts);
  const candidates = parts[0]?.candidates?.map((c) => {
    const same = parts.flatMap((p) => p.candidates?.find((other) => other.name === c.name) ?? []);
    const names = new Set(same.flatMap((one) => Object.keys(one.splits ?? {})));
    const splits = [...names].map((name) => [name, merged(same.flatMap((one) => one.splits?.[name] ?? []))]);
    return { ...Object.assign({}, ...same.toReversed()), splits: Object.fromEntries(splits) }; // the first says its cutoff
  });
  return { ...out, candidates } as Read;
}

function merged(parts: Schemas["SplitParts"][]): Schemas["SplitParts"] {
  const out: Schemas["SplitParts"] = Object.assign({}, ...parts);
  const labels = new Set(parts.flatMap((p) => Object.keys(p.per_class ?? {})));
  if (labels.size === 0) return out;
  const one = (label: string) => Object.assign({}, ...parts.map((p) => p.per_class?.[label]));
  return { ...out, per_class: Object.fromEntries([...labels].map((label) => [label, one(label)])) };
}

/**
 * What the page reads of the results. `pending`: some of it is on its way, and what stands here in its place belongs to
 * other cutoffs. `lacking`: nothing of this split or slice is there yet; `waiting`: something that the open view shows is not.
 */
export function useRead(study: Study | undefined, address: Address | null, step: string) {
  const { all, entry } = useSteps();
  const id = study?.id ?? 0;
  const split = address?.split ?? "";
  const cutoffs = address ? cutoffsQuery(address.cutoffs) : "";
  const within = address ? withinQuery(address.within) : [];
  const whole = within.length === 0;
  const asked = (kinds: PartsAsked["kinds"] | undefined, at = cutoffs): PartsAsked | null =>
    address && kinds?.length ? { kinds, split, cutoffs: at, within } : null;
  const view = entry(step);
  const lines = useParts(id, asked(LINES));
  const gates = useParts(id, whole ? asked(["gates"]) : null); // they are set for all rows
  const reads = useParts(id, asked(view?.reads));
  const draws = useParts(id, asked(view?.draws, ""));
  const there = lines.isSuccess && !lines.isPlaceholderData;
  useEffect(() => {
    if (!there || !study || !whole) return;
    const later = setTimeout(() => void ahead(study, split, cutoffs, all), 600);
    return () => clearTimeout(later);
  }, [there, study, split, cutoffs, all, whole]);
  const found = useMemo(() => {
    const parts = [lines.data, whole && gates.data, view?.reads && reads.data, view?.draws && draws.data];
    return lines.data && putTogether(parts.flatMap((p) => p || []));
  }, [lines.data, gates.data, reads.data, draws.data, view, whole]);
  // where nothing of this split or slice is there yet the frame stays as it was, and says that it waits
  const last = useRef<{ id: number; split: string; results: Read } | null>(null);
  if (found) last.current = { id, split, results: found };
  const before = last.current?.id === id ? last.current : null;
  return {
    results: found ?? (before ? moved(before.results, before.split, split) : undefined),
    error: [lines, gates, reads, draws].find((q) => q.isError),
    pending: [lines, gates, reads].some((q) => q.isPlaceholderData || q.isLoading),
    lacking: !found,
    waiting: Boolean(!found || (view?.reads && !reads.data) || (view?.draws && !draws.data)),
  };
}

/** Results of one split under the name of another: what the frame is laid out with while it waits, no number of it is shown. */
function moved(results: Read, from: string, to: string): Read {
  const candidates = results.candidates.flatMap((c) => {
    const part = c.splits[from];
    return part ? [{ ...c, splits: { [to]: part } }] : [];
  });
  return { ...results, candidates };
}

const fetched = new Set<string>();

/** Once a view stands, what other views and splits show, one time each: going there then waits for nothing. */
async function ahead(study: Study, split: string, cutoffs: string, all: StepEntry[]) {
  const what = `${study.id} ${split}`;
  if (fetched.has(what)) return;
  fetched.add(what);
  for (const { reads, draws } of all) {
    if (draws) await prefetchParts(study.id, { kinds: draws, split, cutoffs: "", within: [] });
    if (reads) await prefetchParts(study.id, { kinds: reads, split, cutoffs, within: [] });
  }
  for (const other of Object.keys(study.balance))
    if (other !== split) await prefetchParts(study.id, { kinds: LINES, split: other, cutoffs, within: [] });
}
