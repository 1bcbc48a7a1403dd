import { describe, expect, it } from "vitest";
import { decode, LEFT_OUT, type Mapped, NO_ANSWER } from "../src/api/mapped";
import { box, errorOf, inside, lineOf, lineText, whole, worstPlaces } from "../src/views/casebook/place";

const about = {
  rows: 3,
  placed: 3,
  x: { name: "girth", categories: [] },
  y: { name: "height", categories: [] },
  classes: ["no", "yes"],
  values: [],
  share: [],
  loadings: {},
  filled: {},
  constant: [],
  arbitrary: false,
};

function mapped(points: [number, number][], actual: number[], said: number[]): Mapped {
  const n = points.length;
  return {
    about: { ...about, rows: n, placed: n },
    n,
    row: Uint32Array.from(points, (_, i) => i + 1),
    x: Float32Array.from(points, ([x]) => x),
    y: Float32Array.from(points, ([, y]) => y),
    by: new Uint16Array(n),
    actual: Uint8Array.from(actual),
    said: Uint8Array.from(said),
    differ: new Uint8Array(n),
  };
}

describe("a map", () => {
  it("comes back from its bytes", () => {
    const text = JSON.stringify(about);
    const padded = text + " ".repeat((4 - (text.length % 4)) % 4);
    const bytes = new ArrayBuffer(4 + padded.length + 3 * (4 + 4 + 4 + 2 + 3));
    new DataView(bytes).setUint32(0, padded.length, true);
    new Uint8Array(bytes, 4).set(new TextEncoder().encode(padded));
    let at = 4 + padded.length;
    new Uint32Array(bytes, at, 3).set([7, 8, 9]);
    at += 12;
    new Float32Array(bytes, at, 6).set([1, 2, 3, 4, 5, 6]);
    at += 24;
    new Uint16Array(bytes, at, 3).set([0, 1, 65535]);
    at += 6;
    new Uint8Array(bytes, at).set([0, 1, 1, 1, 1, NO_ANSWER, 0, 0, 1]);
    const m = decode(bytes);
    expect([...m.row]).toEqual([7, 8, 9]);
    expect([...m.y]).toEqual([4, 5, 6]);
    expect([...m.by]).toEqual([0, 1, 65535]);
    expect([...m.said]).toEqual([1, 1, NO_ANSWER]);
    expect([...m.differ]).toEqual([0, 0, 1]);
  });

  it("tells misses, needless flags and rows without an answer apart", () => {
    const m = mapped(Array(5).fill([0, 0]), [1, 0, 1, 0, 1], [0, 1, NO_ANSWER, 0, LEFT_OUT]);
    expect([0, 1, 2, 3, 4].map((i) => errorOf(m, i, 1))).toEqual([1, 2, 1, 0, 0]);
    expect([0, 1].map((i) => errorOf(m, i, -1))).toEqual([1, 1]);
  });

  it("finds the points within a line, also one that bends inwards", () => {
    const m = mapped(
      [
        [1, 1],
        [3, 1],
        [2, 3],
        [9, 9],
      ],
      [0, 0, 0, 0],
      [0, 0, 0, 0],
    );
    expect(inside(m, box({ x0: 0, x1: 4, y0: 0, y1: 4 }))).toEqual([0, 1, 2]);
    const notch: [number, number][] = [
      [0, 0],
      [4, 0],
      [4, 4],
      [2, 2],
      [0, 4],
    ];
    expect(inside(m, notch)).toEqual([0, 1]);
    expect(inside(m, [[0, 0]])).toEqual([]);
  });

  it("names the places with the highest share of errors among those of enough rows", () => {
    const points: [number, number][] = [];
    const said: number[] = [];
    for (let i = 0; i < 400; i++) {
      points.push([0.05, 0.05], [0.95, 0.95], [0.5, 0.5]);
      said.push(i < 100 ? 0 : 1, i < 300 ? 0 : 1, 1);
    }
    points.push([0.05, 0.95]);
    said.push(0);
    const m = mapped(points, Array(points.length).fill(1), said);
    const found = worstPlaces(m, 1, { x0: 0, x1: 1, y0: 0, y1: 1 });
    expect(found.map((p) => [p.rows, p.errors])).toEqual([
      [400, 300],
      [400, 100],
    ]);
    // of fewer rows the fields are larger, so that they hold enough of them
    const few = mapped(points.slice(0, 120), Array(120).fill(1), said.slice(0, 120));
    expect(worstPlaces(few, 1, { x0: 0, x1: 1, y0: 0, y1: 1 }).map((p) => p.rows)).toEqual([40, 80]);
  });

  it("writes a line into the address and reads it back", () => {
    const line: [number, number][] = [
      [1, 2],
      [3.1234567, 4],
      [5, -6],
    ];
    expect(lineOf(lineText(line))).toEqual([
      [1, 2],
      [3.1235, 4],
      [5, -6],
    ]);
    expect(lineOf("1,2;x,3;4,5")).toEqual([]);
    expect(lineOf("")).toEqual([]);
    expect(whole(mapped([[2, 2]], [0], [0])).x0).toBeLessThan(2);
  });
});
