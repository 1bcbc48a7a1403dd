import { createContext, useContext } from "react";
import type { Metric, Schemas, Study } from "../api/client";
import type { Read } from "./results";

export type Candidate = Schemas["CandidateOut"];
export type SplitResult = Schemas["SplitResult"];
export type CandidateResult = Read["candidates"][number];
export type MetricInfo = Schemas["MetricInfo"];

/** What is being read. It lives in the address and nowhere else. */
export type Address = {
  split: string;
  show: number[];
  cutoffs: Record<number, number>;
  /** Of three classes or more, the one that is read against the rest; empty where there are two. */
  of: string;
  /** Fields with the value that rows have to have: the slice that is read; empty for all rows. */
  within: Record<string, string>;
  /** What the open view lets choose besides: how its bins are cut, which candidate stands in front. */
  own: Record<string, string>;
};

const SHARED = new Set(["split", "show", "cut", "class", "in"]);

/** The candidates that are shown, with one switched. */
export const toggled = (show: number[], position: number) =>
  show.includes(position) ? show.filter((p) => p !== position) : [...show, position];

/** The slice as the HTTP interface takes it; a condition has no name before it. */
export const withinQuery = (within: Record<string, string>) =>
  Object.entries(within).map(([name, value]) => `${name}=${value}`);

/** The slice in words. */
export const sliceNamed = (within: Record<string, string>) =>
  Object.entries(within)
    .map(([name, value]) => (name ? `${name} is ${value || "absent"}` : conditionSaid(value)))
    .join(" and ");

/** A condition inside a sentence: one that is nothing but a name holds, any other stands as it is. */
function conditionSaid(text: string): string {
  const alone = /^named "((?:[^"\\]|\\.)*)"$/.exec(text.trim());
  return alone ? `“${(alone[1] ?? "").replace(/\\(.)/g, "$1")}” holds` : text;
}

const pairs = (texts: string[]) =>
  Object.fromEntries(
    texts.flatMap((text) => {
      const at = text.indexOf("=");
      return at >= 0 ? [[text.slice(0, at), text.slice(at + 1)] as const] : [];
    }),
  );

const parts = (text: string | null) => (text ?? "").split(",").filter((part) => part !== "");

/** Read an address; what it does not say, or says of things that are not there, is as the study keeps it. */
export function readAddress(search: URLSearchParams, study: Study): Address {
  const splits = Object.keys(study.balance);
  const split = search.get("split") ?? "";
  const positions = new Map(study.candidates.map((c) => [c.letter, c.position]));
  const cutoffs: Record<number, number> = {};
  for (const c of study.candidates) if (c.cutoff !== null) cutoffs[c.position] = c.cutoff;
  for (const part of parts(search.get("cut"))) {
    const [letter = "", value = ""] = part.split(":");
    const position = positions.get(letter);
    const cutoff = Number(value);
    if (value !== "" && Number.isFinite(cutoff) && position !== undefined && position in cutoffs)
      cutoffs[position] = cutoff;
  }
  const { classes, positive } = study.holdout;
  const of = search.get("class") ?? "";
  return {
    of: positive !== null ? "" : classes.includes(of) ? of : (classes[0] ?? ""),
    split: splits.includes(split) ? split : study.holdout.report_on,
    show: search.has("show")
      ? parts(search.get("show")).flatMap((letter) => positions.get(letter) ?? [])
      : [...positions.values()],
    cutoffs,
    within: pairs(search.getAll("in")),
    own: Object.fromEntries([...search].filter(([key]) => !SHARED.has(key))),
  };
}

/** Write an address in full, so that a shared link shows what its sender saw. */
export function writeAddress(a: Address, study: Study): URLSearchParams {
  const shown = study.candidates.filter((c) => a.show.includes(c.position));
  const search = new URLSearchParams({
    split: a.split,
    show: shown.map((c) => c.letter).join(","),
    cut: study.candidates
      .flatMap((c) => (c.position in a.cutoffs ? `${c.letter}:${a.cutoffs[c.position]}` : []))
      .join(","),
    ...(a.of ? { class: a.of } : {}),
  });
  for (const text of withinQuery(a.within)) search.append("in", text);
  for (const [key, value] of Object.entries(a.own)) search.set(key, value);
  return search;
}

/** The cutoffs as the HTTP interface takes them. */
export const cutoffsQuery = (cutoffs: Record<number, number>) =>
  Object.entries(cutoffs)
    .map(([position, value]) => `${position}:${value}`)
    .join(",");

/** A candidate on the split that is read. `pending`: its results are those of another cutoff than the address says, so
 * that no number which a cutoff changes may be shown of it. */
export type Shown = Candidate & {
  result: CandidateResult;
  part: SplitResult;
  shownCutoff: number | null;
  pending: boolean;
};

export type Baseline = { name: string; label: string; part: SplitResult };

/** What changes of the view's own choices: null leaves one out of the address. */
type OwnChange = Record<string, string | null>;

export type Scope = Address & {
  study: Study;
  results: Read;
  query: string;
  slice: string[];
  all: Shown[];
  chosen: Shown[];
  baselines: Baseline[];
  /** The share of positive rows among all of the split, whoever answers them; null of three classes or more. */
  baseRate: number | null;
  /** Whether there are three classes or more, none of which is the positive one. */
  many: boolean;
  /** Whether any candidate's results are on their way: nothing that is concluded from several may be shown. */
  pending: boolean;
  /** Whether a slice was picked out that has too few rows for rates: counts alone are told of it. */
  few: boolean;
  /** Whether nothing of what is read is there yet: then no number at all may be shown. */
  lacking: boolean;
  called: (label: string) => string;
  metric: (name: string) => MetricInfo;
  positiveLabel: string;
  positive: string;
  negative: string;
  words: { tp: string; fn: string; fp: string; tn: string };
  mayWrite: boolean;
  maySign: boolean;
  /** Change the address: from what it was last asked to be, which may be ahead of what is shown. */
  go: (change: Partial<Address> | ((now: Address) => Partial<Address>)) => void;
  /** Change the view's own choices; null leaves one out of the address. */
  setOwn: (change: OwnChange | ((now: Record<string, string>) => OwnChange)) => void;
  keep: (position: number, value: number) => void;
};

export const ScopeContext = createContext<Scope | null>(null);

export function useScope(): Scope {
  const scope = useContext(ScopeContext);
  if (!scope) throw new Error("there is no study around this view");
  return scope;
}

/** A choice of the open view's own, kept in the address; the first of the choices where none was made. */
export function useOwn<T extends string>(key: string, choices: readonly [T, ...T[]]): [T, (to: T) => void] {
  const { own, setOwn } = useScope();
  const chosen = choices.find((one) => one === own[key]) ?? choices[0];
  return [chosen, (to) => setOwn({ [key]: to === choices[0] ? null : to })];
}

const ABSENT: Metric = { value: null, why: "not computed" };

/** A metric of a part, or that there is none. */
export const metricOf = (part: SplitResult, name: string): Metric => part.metrics[name] ?? ABSENT;

/** What a part tells of one class against the rest; of two classes the part itself tells it. */
export const ofClass = (part: SplitResult, of: string) => (of ? part.per_class?.[of] : undefined);

/** Everything the views read, from a study, its results and the address. */
export function scopeOf(study: Study, results: Read, address: Address, late: boolean, lacking = false) {
  const own = new Map(results.candidates.filter((c) => c.gives !== "baseline").map((c) => [c.name, c]));
  const all = study.candidates.flatMap((c): Shown[] => {
    const result = own.get(c.name);
    const part = result?.splits[address.split];
    if (!result || !part) return [];
    const shownCutoff = address.cutoffs[c.position] ?? null;
    const pending = shownCutoff !== null && result.cutoff?.value !== shownCutoff;
    return [{ ...c, result, part, shownCutoff, pending }];
  });
  const names = results.holdout.names ?? {};
  const called = (label: string) => names[label] ?? label;
  const infos = new Map(study.metrics.map((m) => [m.name, m]));
  const metric = (name: string): MetricInfo =>
    infos.get(name) ?? { name, title: name, short: name, better: "neither", needs: "counts" };
  const baselines = results.candidates.flatMap((c) => {
    const part = c.splits[address.split];
    const label = c.baseline?.label === undefined ? c.name : `always “${called(c.baseline.label)}”`;
    return c.gives === "baseline" && part ? [{ name: c.name, label, part }] : [];
  });
  const { classes } = results.holdout;
  const positive = results.holdout.positive ?? "";
  const plain = { tp: "true positives", fn: "false negatives", fp: "false positives", tn: "true negatives" };
  return {
    all,
    chosen: all.filter((c) => address.show.includes(c.position)),
    baselines,
    baseRate: baselines[0] ? metricOf(baselines[0].part, "prevalence").value : null,
    many: positive === "",
    lacking,
    few:
      Object.keys(address.within).length > 0 &&
      (results.holdout.splits[address.split] ?? 0) < results.settings.min_slice,
    pending: late || lacking || all.some((c) => c.pending),
    called,
    metric,
    positiveLabel: positive,
    positive: called(positive),
    negative: called(classes.find((c) => c !== positive) ?? ""),
    words: { ...plain, ...(results.holdout.words as Partial<typeof plain>) },
  };
}

/** Whether a metric of a candidate may be shown: those that read scores alone stand whatever the cutoff. */
export const isPending = (c: { pending: boolean } | Baseline, info: MetricInfo) =>
  "pending" in c && c.pending && info.needs === "counts";
