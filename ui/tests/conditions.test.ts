import { describe, expect, it } from "vitest";
import { lasting } from "../src/parts/conditions";

const NAMED = ["old planes", 'the "worst"', "predicted wrong"];

describe("rows to read alone", () => {
  it.each([
    ['ward = "North"', true],
    ["score(A) between 0.4 and 0.6", true],
    ['score("Neural net") < 0.2 and girth > 3', true],
    ['predicted(D) = "failed"', true],
    ["right(D) and score(B) > 0.1", true],
    ["score > 0.3", false],
    ["predicted != actual", false],
    ["right", false],
    ["right(A)", false],
    ['predicted("Neural net") = "failed"', false],
    ["score(A) > 0.3 and right", false],
    ['named "old planes"', true],
    ['named "the \\"worst\\"" and ward = "North"', true],
    ['named "missed by A"', false],
    ['not named "predicted wrong"', true],
    ['ward = "right of the river" and `score(A)` > 1', true],
  ])("%s: %s", (condition, same) => {
    expect(lasting(condition, ["A", "B", "Gradient boosting", "Neural net"], NAMED)).toBe(same);
  });
});
