import { describe, expect, it } from "vitest";
import type { Study } from "../src/api/client";
import type { Read } from "../src/app/results";
import { cutoffsQuery, isPending, readAddress, scopeOf, sliceNamed, withinQuery, writeAddress } from "../src/app/scope";
import { colour, dash } from "../src/parts/marks";
import { letterOf } from "../src/parts/number";

const MANY = 30;
const study = {
  balance: { tuning: {}, test: {} },
  holdout: { report_on: "test", tune_on: "tuning", classes: ["no", "yes"], positive: "yes" },
  metrics: [
    { name: "recall", title: "Recall", short: "Recall", better: "higher", needs: "counts" },
    { name: "roc_auc", title: "ROC AUC", short: "ROC AUC", better: "higher", needs: "scores" },
  ],
  candidates: Array.from({ length: MANY }, (_, i) => ({
    position: i + 1,
    letter: letterOf(i + 1),
    name: `Candidate ${i + 1}`,
    cutoff: i === 2 ? null : 0.5,
  })),
} as unknown as Study;

describe("the address", () => {
  it("says what the study keeps where it says nothing", () => {
    const a = readAddress(new URLSearchParams(), study);
    expect(a.split).toBe("test");
    expect(a.show).toHaveLength(MANY);
    expect(a.cutoffs[3]).toBeUndefined();
  });
  it("keeps letters beyond Z apart", () => {
    const a = { split: "tuning", show: [28, 1, 2], cutoffs: { 1: 0.1, 28: 1e-7 }, of: "", within: {}, own: {} };
    const written = writeAddress(a, study);
    expect(written.get("show")).toBe("A,B,AB");
    const again = readAddress(written, study);
    expect(again.show).toEqual([1, 2, 28]);
    expect(again.cutoffs[28]).toBe(1e-7);
    expect(again.split).toBe("tuning");
    expect(readAddress(new URLSearchParams("show=AB"), study).show).toEqual([28]);
  });
  it("carries the class that is read, of three or more", () => {
    const many = { ...study, holdout: { ...study.holdout, classes: ["x", "y", "z"], positive: null } } as Study;
    const a = readAddress(new URLSearchParams("class=y"), many);
    expect(a.of).toBe("y");
    expect(writeAddress(a, many).get("class")).toBe("y");
    expect(readAddress(new URLSearchParams("class=moon"), many).of).toBe("x");
    expect(readAddress(new URLSearchParams("class=yes"), study).of).toBe("");
  });
  it("carries the slice that is read, whatever is written in it", () => {
    const within = { ward: "North = top, & left", age: "" };
    const a = { split: "test", show: [1], cutoffs: {}, of: "", within, own: {} };
    expect(writeAddress(a, study).getAll("in")).toEqual(["ward=North = top, & left", "age="]);
    expect(readAddress(new URLSearchParams(writeAddress(a, study).toString()), study).within).toEqual(within);
    expect(withinQuery(within)).toEqual(["ward=North = top, & left", "age="]);
    expect(sliceNamed(within)).toBe("ward is North = top, & left and age is absent");
    expect(readAddress(new URLSearchParams("in=ward"), study).within).toEqual({});
  });
  it("carries what a view lets choose, and nothing that all views share", () => {
    const a = readAddress(new URLSearchParams("split=test&bins=equal_width&front=B"), study);
    expect(a.own).toEqual({ bins: "equal_width", front: "B" });
    expect(readAddress(writeAddress(a, study), study)).toEqual(a);
  });
  it("can show nobody", () => expect(readAddress(new URLSearchParams("show="), study).show).toEqual([]));
  it("ignores what is not there", () => {
    const a = readAddress(new URLSearchParams("split=moon&show=ZZ,A&cut=C:0.4,A:x,B:0.7"), study);
    expect([a.split, a.show]).toEqual(["test", [1]]);
    expect([a.cutoffs[1], a.cutoffs[2], a.cutoffs[3]]).toEqual([0.5, 0.7, undefined]);
  });
  it("is asked for by position", () => expect(cutoffsQuery({ 1: 0.25, 2: -3 })).toBe("1:0.25,2:-3"));
});

describe("what is pending", () => {
  const part = { metrics: {} };
  const results = {
    holdout: { classes: ["no", "yes"], positive: "yes", names: { yes: "failed" }, words: {}, splits: { test: 29 } },
    settings: { min_slice: 30 },
    candidates: [
      { name: "Candidate 1", gives: "scores", cutoff: { value: 0.5 }, splits: { test: part } },
      { name: "Candidate 3", gives: "classes", splits: { test: part } },
      { name: "always no", gives: "baseline", baseline: { kind: "always", label: "no" }, splits: { test: part } },
    ],
  } as unknown as Read;
  const at = (cutoff: number, late = false) =>
    scopeOf(study, results, { split: "test", show: [1, 3], cutoffs: { 1: cutoff }, of: "", within: {}, own: {} }, late);
  it("is a candidate whose results are of another cutoff, and none without one", () => {
    expect(at(0.5).all.map((c) => [c.letter, c.pending])).toEqual([
      ["A", false],
      ["C", false],
    ]);
    expect(at(0.4).all.map((c) => c.pending)).toEqual([true, false]);
    expect([at(0.5).pending, at(0.4).pending]).toEqual([false, true]);
    expect(at(0.5, true).pending, "another part of what is shown is on its way").toBe(true);
  });
  it("is told by counts alone where a slice has few rows", () => {
    const of = (within: Record<string, string>) =>
      scopeOf(study, results, { split: "test", show: [1], cutoffs: {}, of: "", within, own: {} }, false).few;
    expect([of({}), of({ ward: "North" })]).toEqual([false, true]);
  });
  it("leaves what reads scores alone as it stands", () => {
    const { all, metric, baselines } = at(0.4);
    const [a] = all;
    expect(a && isPending(a, metric("recall"))).toBe(true);
    expect(a && isPending(a, metric("roc_auc"))).toBe(false);
    expect(baselines[0] && isPending(baselines[0], metric("recall"))).toBe(false);
  });
  it("finds results by name, whatever stands between", () => {
    expect(at(0.5).positive).toBe("failed");
    expect(at(0.5).baselines.map((b) => b.label)).toEqual(["always “no”"]);
  });
});

it("32 candidates look like no other", () => {
  const looks = Array.from({ length: 32 }, (_, i) => `${colour(i + 1)} ${dash(i + 1)}`);
  expect(new Set(looks).size).toBe(32);
});

describe("the rows that are read, in words", () => {
  it.each([
    [{ ward: "North", girth: "" }, "ward is North and girth is absent"],
    [{ "": 'girth >= 80 or ward = "North"' }, 'girth >= 80 or ward = "North"'],
    [{ "": 'named "the \\"worst\\" of all"' }, '“the "worst" of all” holds'],
    [{ "": 'named "a" and named "b"' }, 'named "a" and named "b"'],
  ])("%j", (within, said) => {
    expect(sliceNamed(within as Record<string, string>)).toBe(said);
  });
});
