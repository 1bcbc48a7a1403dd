import { createContext, useContext } from "react";
import type { Results, Schemas, Study } from "../api/client";

export type Candidate = Schemas["CandidateOut"];
export type SplitResult = Schemas["SplitResult"];
export type CandidateResult = Schemas["CandidateResult"];

/** What is being read. It lives in the address and nowhere else. */
export type Address = { split: string; show: number[]; cutoffs: Record<number, number> };

const letterOf = (position: number) => String.fromCharCode(64 + position);
const positionOf = (letter: string) => letter.charCodeAt(0) - 64;

/** Read an address; what it does not say, or says of things that are not there, is as the study keeps it. */
export function readAddress(search: URLSearchParams, study: Study): Address {
  const splits = Object.keys(study.balance);
  const split = search.get("split") ?? "";
  const known = new Set(study.candidates.map((c) => c.position));
  const show = [...(search.get("show") ?? "")].map(positionOf).filter((p) => known.has(p));
  const cutoffs: Record<number, number> = {};
  for (const c of study.candidates) if (c.cutoff !== null) cutoffs[c.position] = c.cutoff;
  for (const part of (search.get("cut") ?? "").split(",")) {
    const [letter = "", value = ""] = part.split(":");
    const cutoff = Number(value);
    if (value !== "" && Number.isFinite(cutoff) && positionOf(letter) in cutoffs) cutoffs[positionOf(letter)] = cutoff;
  }
  return {
    split: splits.includes(split) ? split : String(study.holdout.report_on),
    show: search.has("show") ? show : [...known],
    cutoffs,
  };
}

/** Write an address in full, so that a shared link shows what its sender saw. */
export function writeAddress(a: Address): URLSearchParams {
  return new URLSearchParams({
    split: a.split,
    show: [...a.show]
      .sort((x, y) => x - y)
      .map(letterOf)
      .join(""),
    cut: Object.entries(a.cutoffs)
      .map(([position, value]) => `${letterOf(Number(position))}:${value}`)
      .join(","),
  });
}

/** The cutoffs as the HTTP interface takes them. */
export const cutoffsQuery = (cutoffs: Record<number, number>) =>
  Object.entries(cutoffs)
    .map(([position, value]) => `${position}:${value}`)
    .join(",");

export type Shown = Candidate & { result: CandidateResult; part: SplitResult; shownCutoff: number | null };

export type Scope = Address & {
  study: Study;
  results: Results;
  query: string;
  all: Shown[];
  chosen: Shown[];
  baselines: { name: string; label: string; part: SplitResult }[];
  /** Whether there are three classes or more, none of which is the positive one. */
  many: boolean;
  called: (label: string) => string;
  positiveLabel: string;
  positive: string;
  negative: string;
  words: { tp: string; fn: string; fp: string; tn: string };
  mayWrite: boolean;
  go: (change: Partial<Address>) => void;
  keep: (position: number, value: number) => void;
};

export const ScopeContext = createContext<Scope | null>(null);

export function useScope(): Scope {
  const scope = useContext(ScopeContext);
  if (!scope) throw new Error("there is no study around this view");
  return scope;
}

/** Everything the views read, from a study, its results and the address. */
export function scopeOf(study: Study, results: Results, address: Address) {
  const own = results.candidates.filter((c) => c.gives !== "baseline");
  const all = study.candidates.flatMap((c, i): Shown[] => {
    const result = own[i];
    const part = result?.splits[address.split];
    return result && part ? [{ ...c, result, part, shownCutoff: address.cutoffs[c.position] ?? null }] : [];
  });
  const names = results.holdout.names ?? {};
  const called = (label: string) => names[label] ?? label;
  const baselines = results.candidates.flatMap((c) => {
    const part = c.splits[address.split];
    const kind = c.name.startsWith("always ") ? `always “${called(c.name.slice(7))}”` : c.name;
    return c.gives === "baseline" && part ? [{ name: c.name, label: kind, part }] : [];
  });
  const { classes } = results.holdout;
  const positive = results.holdout.positive ?? "";
  const plain = { tp: "true positives", fn: "false negatives", fp: "false positives", tn: "true negatives" };
  return {
    all,
    chosen: all.filter((c) => address.show.includes(c.position)),
    baselines,
    many: positive === "",
    called,
    positiveLabel: positive,
    positive: called(positive),
    negative: called(classes.find((c) => c !== positive) ?? ""),
    words: { ...plain, ...(results.holdout.words as Partial<typeof plain>) },
  };
}

/** The four outcomes in a two-class matrix. */
export function outcomes(results: Results, part: SplitResult) {
  const p = results.holdout.classes.indexOf(results.holdout.positive ?? "");
  const cell = (actual: number, predicted: number) => part.matrix?.[actual]?.[predicted] ?? 0;
  return { tp: cell(p, p), fn: cell(p, 1 - p), fp: cell(1 - p, p), tn: cell(1 - p, 1 - p) };
}

export const colour = (position: number) => `var(--color-c${((position - 1) % 8) + 1})`;
export const dash = (position: number) => ["", "7 3", "2.5 2.5", "7 2.5 1.5 2.5"][(position - 1) % 4];
