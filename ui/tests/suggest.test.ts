import { describe, expect, it } from "vitest";
import { clausesOf, type Known, suggest } from "../src/views/casebook/suggest";

const KNOWN: Known = {
  fields: [
    { name: "ward", kind: "text", values: ["North", 'the "old" one'] },
    { name: "girth in cm", kind: "number", values: [] },
  ],
  classes: ["failed", "intact"],
  letters: ["A", "B"],
  scoring: ["A"],
  marks: ["storm"],
  named: ["old planes"],
};
const offered = (text: string) => suggest(text, KNOWN).all;

describe("what may come next in a condition", () => {
  it("starts with what can be read", () => {
    expect(offered("")).toContain("actual");
    expect(offered("")).toContain("`girth in cm`");
    expect(offered("")).toContain("score(A)");
    expect(offered("")).not.toContain("score(B)");
    expect(offered("actual = predicted(A) and ")).toContain("ward");
  });
  it("follows what stands before", () => {
    expect(offered("ward ")).toEqual(["=", "!=", "in", "is absent"]);
    expect(offered("`girth in cm` ")).toContain("between");
    expect(offered("ward = ")).toEqual(['"North"', '"the \\"old\\" one"']);
    expect(offered("predicted(B) != ")).toEqual(['"failed"', '"intact"', "actual"]);
    expect(offered("score(A) ")).toContain(">=");
    expect(offered("mark ")).toEqual(['"storm"']);
    expect(offered("named ")).toEqual(['"old planes"']);
    expect(offered('ward = "North" ')).toEqual(["and", "or"]);
    expect(offered("right(A) ")).toEqual(["and", "or"]);
  });
  it("completes what was begun, in its place", () => {
    expect(suggest('ward = "No', KNOWN)).toEqual({ at: 7, all: ['"North"'] });
    expect(suggest("wa", KNOWN)).toEqual({ at: 0, all: ["ward"] });
    expect(suggest("ward = x", KNOWN).all).toEqual([]);
  });
});

describe("the clauses of a condition", () => {
  it("are what an and joins outside of parentheses and between", () => {
    expect(clausesOf('ward = "a and b" and x between 1 and 3 and (y = 1 or y = 2)')).toEqual([
      'ward = "a and b"',
      "x between 1 and 3",
      "(y = 1 or y = 2)",
    ]);
    expect(clausesOf("a = 1 or b = 2 and c = 3")).toEqual(["a = 1 or b = 2 and c = 3"]);
    expect(clausesOf("  ")).toEqual([]);
  });
});
