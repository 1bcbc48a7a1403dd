import { scaleLinear } from "d3-scale";
import { describe, expect, it } from "vitest";
import { apart } from "../src/charts/labels";
import { Places } from "../src/charts/pointer";
import { domainOf, ticksOf, zoomed } from "../src/charts/scales";

describe("labels moved apart", () => {
  it("stay where they are while there is room", () => expect(apart([10, 50, 90], 20, [0, 100])).toEqual([10, 50, 90]));
  it("lie a gap apart around the place they share", () => {
    expect(apart([50, 50, 50], 20, [0, 100])).toEqual([30, 50, 70]);
  });
  it("keep the order of their places, and stand in it whatever order they come in", () => {
    const [a, b, c] = apart([52, 50, 51], 10, [0, 100]) as [number, number, number];
    expect([b, c, a]).toEqual([41, 51, 61]);
  });
  it("stay inside of the room", () => {
    expect(apart([0, 0, 0], 10, [5, 60])).toEqual([5, 15, 25]);
    expect(apart([99, 99, 99], 10, [5, 60])).toEqual([40, 50, 60]);
  });
  it("move as little as they can: no other order or place has a smaller sum of squares", () => {
    const places = [3, 14, 15, 9, 26, 53, 58, 9, 7];
    const moved = apart(places, 6, [-100, 200]);
    const cost = (xs: number[]) => xs.reduce((sum, x, i) => sum + (x - (places[i] ?? 0)) ** 2, 0);
    const order = [...moved].sort((a, b) => a - b);
    for (let k = 1; k < order.length; k++)
      expect((order[k] ?? 0) - (order[k - 1] ?? 0)).toBeGreaterThanOrEqual(6 - 1e-9);
    for (const [i, by] of [0, 3, 5, 8].flatMap(
      (i) =>
        [
          [i, 0.5],
          [i, -0.5],
        ] as const,
    )) {
      const other = moved.map((x, j) => (j === i ? x + by : x));
      const sorted = [...other].sort((a, b) => a - b);
      const fits = sorted.every((x, k) => k === 0 || x - (sorted[k - 1] ?? 0) >= 6 - 1e-9);
      if (fits) expect(cost(other)).toBeGreaterThan(cost(moved));
    }
  });
  it("can be none", () => expect(apart([], 10, [0, 10])).toEqual([]));
});

describe("rulers", () => {
  it("have four short ticks between two long ones", () => {
    const { major, minor } = ticksOf([0, 1], 5);
    expect(major).toEqual([0, 0.2, 0.4, 0.6, 0.8, 1]);
    expect(minor).toHaveLength(20);
    expect(minor.slice(0, 4)).toEqual([0.04, 0.08, 0.12, 0.16]);
  });
  it("stay inside of what they measure", () => {
    const { major, minor } = ticksOf([0.713, 0.897], 2);
    for (const v of [...major, ...minor]) expect(v >= 0.713 && v <= 0.897).toBe(true);
  });
  it("have a domain with room, and none without numbers", () => {
    expect(domainOf([0.5, null, 0.7])?.map((v) => Number(v.toFixed(3)))).toEqual([0.488, 0.712]);
    expect(domainOf([0.5])).toEqual([0.45, 0.55]);
    expect(domainOf([null, undefined])).toBeNull();
  });
});

describe("going nearer", () => {
  it("keeps what it goes to in its place", () => {
    const [low, high] = zoomed([0, 1], 0.5, 0.2, [0, 1]);
    expect([low, high]).toEqual([0.1, 0.6]);
  });
  it("stays within the whole, and above a hundredth of it", () => {
    expect(zoomed([0.5, 0.9], 10, 0.6, [0, 1])).toEqual([0, 1]);
    const [low, high] = zoomed([0.5, 0.51], 0.01, 0.505, [0, 1]);
    expect(high - low).toBeCloseTo(0.01);
    expect(zoomed([0.75, 1], 2, 1, [0, 1])).toEqual([0.5, 1]);
  });
});

describe("what lies under the pointer", () => {
  const x = scaleLinear([0, 1], [40, 318]);
  const y = scaleLinear([0, 1], [332, 12]);
  const lines = [0, 1, 2].map((k) => Array.from({ length: 20 }, (_, i) => ({ x: i / 19, y: ((i + k) % 7) / 7 })));
  const places = new Places(lines);
  it("is the nearest place of all lines, as by looking at each", () => {
    for (const at of [
      { x: 60, y: 300 },
      { x: 200, y: 100 },
      { x: 310, y: 20 },
    ]) {
      const each = lines.flatMap((line, l) =>
        line.map((p, i) => ({ l, i, d: (x(p.x) - at.x) ** 2 + (y(p.y) - at.y) ** 2 })),
      );
      const best = each.reduce((a, b) => (b.d < a.d ? b : a));
      expect(places.nearest(at, x, y, 1000)).toEqual({ line: best.l, point: best.i });
    }
  });
  it("is nothing where none is near", () => expect(places.nearest({ x: 5000, y: 5000 }, x, y, 40)).toBeNull());
  it("is nothing where there are no lines", () => expect(new Places([]).nearest({ x: 0, y: 0 }, x, y, 40)).toBeNull());
});
