/** What is worked out of matrices on the page: orders of classes, shares, and which pairs are confused. Rows are actual
 * classes, columns predicted ones; a last column is no answer, where there is one. */
export type Cells = number[][];
export type Of = "actual" | "predicted" | "all";
export type Order = "study" | "rows" | "name" | "taken";

const sum = (numbers: (number | undefined)[]) => numbers.reduce<number>((all, n) => all + (n ?? 0), 0);

export const rowOf = (cells: Cells, i: number) => sum(cells[i] ?? []);
export const columnOf = (cells: Cells, j: number) => sum(cells.map((row) => row[j]));

/** A cell's share of its actual class, of its predicted one, or of all rows; null where there are none. */
export function shareOf(cells: Cells, i: number, j: number, of: Of): number | null {
  const n = of === "actual" ? rowOf(cells, i) : of === "predicted" ? columnOf(cells, j) : sum(cells.flat());
  return n > 0 ? (cells[i]?.[j] ?? 0) / n : null;
}

export type Confused = { i: number; j: number; rows: number; together: number };

/** The pairs of classes that are taken for each other most: by both cells, then the larger one, then class order. */
export function confused(cells: Cells, most: number): Confused[] {
  const k = cells.length;
  const out: Confused[] = [];
  for (let i = 0; i < k; i++)
    for (let j = 0; j < k; j++) {
      const rows = cells[i]?.[j] ?? 0;
      if (i !== j && rows > 0) out.push({ i, j, rows, together: rows + (cells[j]?.[i] ?? 0) });
    }
  out.sort((a, b) => b.together - a.together || b.rows - a.rows || a.i - b.i || a.j - b.j);
  return out.slice(0, most);
}

/**
 * The order in which classes stand. "taken": classes that are taken for each other stand beside each other, from the
 * most confused pair on: each next one is that which is confused most with what stands at an end.
 */
export function ordered(cells: Cells, names: string[], how: Order): number[] {
  const all = names.map((_, i) => i);
  if (how === "rows") return all.sort((a, b) => rowOf(cells, b) - rowOf(cells, a) || a - b);
  if (how === "name") return all.sort((a, b) => (names[a] ?? "").localeCompare(names[b] ?? "") || a - b);
  if (how === "study") return all;
  const [first] = confused(cells, 1);
  if (!first) return all;
  const between = (a: number, b: number) => (cells[a]?.[b] ?? 0) + (cells[b]?.[a] ?? 0);
  const line = [Math.min(first.i, first.j), Math.max(first.i, first.j)];
  const left = new Set(all.filter((i) => !line.includes(i)));
  while (left.size > 0) {
    const [head = 0, tail = 0] = [line[0], line.at(-1)];
    let [best, most, front] = [-1, -1, false];
    for (const i of left)
      for (const [end, at] of [
        [tail, false],
        [head, true],
      ] as const) {
        const n = between(i, end);
        if (n > most) [best, most, front] = [i, n, at];
      }
    if (front) line.unshift(best);
    else line.push(best);
    left.delete(best);
  }
  return line;
}

/** Which group each class goes to, as an address says it: 0,0,1. Null where it does not fit. */
export function groupsOf(text: string | undefined, classes: number): number[] | null {
  const groups = (text ?? "").split(",").map((t) => (t === "" ? Number.NaN : Number(t)));
  const count = Math.max(...groups) + 1;
  const whole = groups.length === classes && groups.every((g) => Number.isInteger(g) && g >= 0);
  return whole && count > 1 && count < classes && new Set(groups).size === count ? groups : null;
}

/** Groups numbered from 0 in the order in which they come; null where nothing is taken together, or all is. */
export function renumbered(keys: (string | number)[]): number[] | null {
  const seen = [...new Set(keys)];
  return seen.length < 2 || seen.length === keys.length ? null : keys.map((key) => seen.indexOf(key));
}
