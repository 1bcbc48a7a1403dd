import { describe, expect, it } from "vitest";
import { answersOf } from "../src/views/intake/answers";
import type { Upload } from "../src/views/intake/mapping";

const upload = (name: string): Upload => ({
  id: 1,
  name,
  sha256: "0".repeat(64),
  size: 1,
  rows: 1,
  columns: [],
  guess: {},
});

describe("a candidate’s name", () => {
  it("is proposed from its file’s", () => {
    expect(answersOf(upload("gradient_boosting-v2.csv.gz"), "id", null).name).toBe("gradient boosting v2");
  });
  it("is never longer than one may be", () => {
    const long = answersOf(upload(`${"a very long name of a file ".repeat(9)}.csv`), "id", null).name;
    expect(long.length).toBeLessThanOrEqual(80);
    expect(long).toBe(long.trim());
  });
});
