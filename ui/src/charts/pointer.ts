import type { Scale } from "./scales";

export type Found = { line: number; point: number };

/** Places of many lines, flat, so that the nearest to the pointer is found without an object for each. */
export class Places {
  private readonly xs: Float64Array;
  private readonly ys: Float64Array;
  private readonly starts: number[] = [0];

  constructor(lines: { x: number; y: number }[][]) {
    for (const line of lines) this.starts.push((this.starts.at(-1) ?? 0) + line.length);
    const size = this.starts.at(-1) ?? 0;
    this.xs = new Float64Array(size);
    this.ys = new Float64Array(size);
    let i = 0;
    for (const line of lines)
      for (const p of line) {
        this.xs[i] = p.x;
        this.ys[i++] = p.y;
      }
  }

  /** The place nearest to a point of the figure, if any lies within so many units of it. */
  nearest(at: { x: number; y: number }, x: Scale, y: Scale, within: number): Found | null {
    // scales are straight lines: two numbers each, in place of a call for every place
    const [kx, ky] = [x(1) - x(0), y(1) - y(0)];
    const [x0, y0] = [x(0) - at.x, y(0) - at.y];
    let [best, least] = [-1, within ** 2];
    for (let i = 0; i < this.xs.length; i++) {
      const d = (x0 + kx * (this.xs[i] ?? 0)) ** 2 + (y0 + ky * (this.ys[i] ?? 0)) ** 2;
      if (d < least) [best, least] = [i, d];
    }
    if (best < 0) return null;
    const line = this.starts.findIndex((start, k) => start <= best && best < (this.starts[k + 1] ?? 0));
    return { line, point: best - (this.starts[line] ?? 0) };
  }
}
