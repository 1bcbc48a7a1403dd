import { describe, expect, it } from "vitest";
import { columnOf, confused, groupsOf, ordered, renumbered, rowOf, shareOf } from "../src/views/matrix/grid";

const cells = [
  [50, 2, 8, 0],
  [1, 20, 0, 9],
  [12, 0, 5, 3],
  [0, 0, 0, 0],
];
const names = ["ash", "Elm", "beech", "oak"];

describe("a matrix", () => {
  it("has shares of the actual class, of the predicted one, of all", () => {
    expect([rowOf(cells, 0), columnOf(cells, 0)]).toEqual([60, 63]);
    expect(shareOf(cells, 0, 2, "actual")).toBe(8 / 60);
    expect(shareOf(cells, 0, 2, "predicted")).toBe(8 / 13);
    expect(shareOf(cells, 0, 2, "all")).toBe(8 / 110);
    expect(shareOf(cells, 3, 0, "actual")).toBeNull();
  });
  it("lists what is confused by both cells of a pair", () => {
    expect(confused(cells, 3).map(({ i, j, together }) => [i, j, together])).toEqual([
      [2, 0, 20],
      [0, 2, 20],
      [1, 3, 9],
    ]);
    expect(
      confused(
        [
          [3, 0],
          [0, 4],
        ],
        3,
      ),
    ).toEqual([]);
  });
  it("stands in the study's order, by rows, by name, or with what is confused side by side", () => {
    expect(ordered(cells, names, "study")).toEqual([0, 1, 2, 3]);
    expect(ordered(cells, names, "rows")).toEqual([0, 1, 2, 3]);
    expect(ordered(cells, names, "name")).toEqual([0, 2, 1, 3]);
    const taken = ordered(cells, names, "taken");
    expect(Math.abs(taken.indexOf(0) - taken.indexOf(2))).toBe(1);
    expect(Math.abs(taken.indexOf(1) - taken.indexOf(3))).toBe(1);
    expect([...taken].sort()).toEqual([0, 1, 2, 3]);
    expect(
      ordered(
        [
          [3, 0],
          [0, 4],
        ],
        ["a", "b"],
        "taken",
      ),
    ).toEqual([0, 1]);
  });
});

describe("classes taken together", () => {
  it("are read from an address only where they fit", () => {
    expect(groupsOf("0,0,1", 3)).toEqual([0, 0, 1]);
    for (const text of [undefined, "", "0,0", "0,1,2", "0,0,0", "0,2,2", "0,x,1", "0,-1,1"])
      expect(groupsOf(text, 3)).toBeNull();
  });
  it("are numbered as they come", () => {
    expect(renumbered(["b", "a", "b"])).toEqual([0, 1, 0]);
    expect(renumbered([1, 1, 1])).toBeNull();
    expect(renumbered([1, 2, 3])).toBeNull();
  });
});
