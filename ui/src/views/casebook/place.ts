import { LEFT_OUT, type Mapped, NO_ANSWER } from "../../api/mapped";

/** What of the plane is seen. */
export type Seen = { x0: number; x1: number; y0: number; y1: number };
export type Corner = [number, number];

/** All of it, with a little room round it. */
export function whole(m: Mapped): Seen {
  let [x0, x1, y0, y1] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY, -Infinity];
  for (let i = 0; i < m.n; i++) {
    const [x, y] = [m.x[i] as number, m.y[i] as number];
    if (x < x0) x0 = x;
    if (x > x1) x1 = x;
    if (y < y0) y0 = y;
    if (y > y1) y1 = y;
  }
  if (!(x1 >= x0)) return { x0: 0, x1: 1, y0: 0, y1: 1 };
  const [w, h] = [(x1 - x0 || 1) * 0.04, (y1 - y0 || 1) * 0.04];
  return { x0: x0 - w, x1: x1 + w, y0: y0 - h, y1: y1 + h };
}

/** Whether a candidate errs on a row: 1 missed, of many classes wrong; 2 needless; 0 right, or left out. Without an answer
 * that counts it errs. */
export function errorOf(m: Mapped, i: number, positive: number): 0 | 1 | 2 {
  const [actual, said] = [m.actual[i] as number, m.said[i] as number];
  if (actual === said || said === LEFT_OUT) return 0;
  return positive < 0 || actual === positive || said === NO_ANSWER ? 1 : 2;
}

/** The points within a closed line, in their order: a point is inside where a ray from it crosses the line an odd number
 * of times. */
export function inside(m: Mapped, line: Corner[]): number[] {
  if (line.length < 3) return [];
  const xs = line.map(([x]) => x);
  const ys = line.map(([, y]) => y);
  const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  const out: number[] = [];
  for (let i = 0; i < m.n; i++) {
    const [x, y] = [m.x[i] as number, m.y[i] as number];
    if (x < x0 || x > x1 || y < y0 || y > y1) continue;
    let odd = false;
    for (let a = 0, b = line.length - 1; a < line.length; b = a++) {
      const [ax, ay] = line[a] as Corner;
      const [bx, by] = line[b] as Corner;
      if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) odd = !odd;
    }
    if (odd) out.push(i);
  }
  return out;
}

export const box = ({ x0, x1, y0, y1 }: Seen): Corner[] => [
  [x0, y0],
  [x1, y0],
  [x1, y1],
  [x0, y1],
];

export type Place = { at: Seen; rows: number; errors: number };
const [FINEST, COARSEST, LEAST, MOST] = [10, 2, 30, 5];

/** Where the plane is cut into equal fields, as many as leave each twice as many rows as are enough on the mean, those
 * of enough rows with the highest share of errors. */
export function worstPlaces(m: Mapped, positive: number, seen: Seen): Place[] {
  const bins = Math.max(COARSEST, Math.min(FINEST, Math.floor(Math.sqrt(m.n / (2 * LEAST)))));
  const rows = new Uint32Array(bins * bins);
  const errors = new Uint32Array(bins * bins);
  const [w, h] = [(seen.x1 - seen.x0) / bins, (seen.y1 - seen.y0) / bins];
  for (let i = 0; i < m.n; i++) {
    const [cx, cy] = [Math.floor(((m.x[i] as number) - seen.x0) / w), Math.floor(((m.y[i] as number) - seen.y0) / h)];
    if (cx < 0 || cy < 0 || cx >= bins || cy >= bins) continue;
    const k = cy * bins + cx;
    rows[k] = (rows[k] as number) + 1;
    if (errorOf(m, i, positive)) errors[k] = (errors[k] as number) + 1;
  }
  return [...rows.keys()]
    .filter((k) => (rows[k] as number) >= LEAST && (errors[k] as number) > 0)
    .map((k) => {
      const [cx, cy] = [k % bins, Math.floor(k / bins)];
      const at = { x0: seen.x0 + cx * w, x1: seen.x0 + (cx + 1) * w, y0: seen.y0 + cy * h, y1: seen.y0 + (cy + 1) * h };
      return { at, rows: rows[k] as number, errors: errors[k] as number };
    })
    .sort((a, b) => b.errors / b.rows - a.errors / a.rows)
    .slice(0, MOST);
}

/** A line as the address says it: corners with five digits, at most so many of them. */
export const lineText = (line: Corner[], most = 48) => {
  const step = Math.max(1, Math.ceil(line.length / most));
  return line
    .filter((_, i) => i % step === 0)
    .map(([x, y]) => `${Number(x.toPrecision(5))},${Number(y.toPrecision(5))}`)
    .join(";");
};

/** A line from the address; empty where it is none. */
export const lineOf = (text: string): Corner[] => {
  const corners = text.split(";").map((one) => one.split(",").map(Number));
  const fine = corners.every((c) => c.length === 2 && c.every(Number.isFinite));
  return fine && corners.length >= 3 ? (corners as Corner[]) : [];
};
