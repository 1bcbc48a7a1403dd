import { describe, expect, it } from "vitest";
import table from "../../tests/data/shown.json";
import { asSet, count, letterOf, named, several, shown } from "../src/parts/number";

type Cases = Record<"shown" | "as_set" | "count", [number | null, string][]>;
const cases = table as unknown as Cases;

describe("numbers are written as the server writes them", () => {
  it.each(cases.shown)("%d is shown as %s", (value, text) => expect(shown(value)).toBe(text));
  it.each(cases.as_set)("%d was set as %s", (value, text) => expect(asSet(value as number)).toBe(text));
  it.each(cases.count)("%d rows are counted as %s", (value, text) => expect(count(value as number)).toBe(text));
});

it("of two equally near numbers the even one is taken", () => {
  for (let n = 1; n <= 1024; n *= 2)
    for (let k = 0; k <= n; k++) {
      const thousandths = (1000 * k) / n; // exact: a power of two divides
      if (Number.isInteger(thousandths) || !Number.isInteger(2 * thousandths)) continue;
      const even = 2 * Math.round(thousandths / 2);
      expect(shown(k / n), `${k}/${n}`).toBe((even / 1000).toFixed(3));
    }
});

it("words go with their numbers", () => {
  expect([several(1, "row"), several(1200, "row"), several(2, "class", "classes")]).toEqual([
    "1 row",
    "1,200 rows",
    "2 classes",
  ]);
  expect(named(["A"])).toBe("A");
  expect(named(["A", "B", "C", "D"])).toBe("A, B, C and D");
  expect(named(["A", "B", "C", "D", "E"])).toBe("A, B, C and 2 others");
});

it("letters go on after Z", () => {
  expect([1, 26, 27, 28, 52, 53, 703].map(letterOf)).toEqual(["A", "Z", "AA", "AB", "AZ", "BA", "AAA"]);
});
