import type { Schemas } from "../../api/client";
import { type MetricInfo, metricOf, ofClass, type Shown } from "../../app/scope";

export type Slice = Schemas["SliceResult"];
export type Order = "gap" | "size" | "name";

/** What a candidate tells of every group, in the order of the fields' values. */
export type Told = { c: Shown; of: Slice[] };

/** What is read of each group: a metric, of several classes perhaps of one against the rest. */
export type Read = MetricInfo & { of?: string };
export const CLASS_METRICS = ["recall", "precision", "f1"];

/** The same of all rows. */
export const wholeOf = (c: Shown, { name, of }: Read): number | null =>
  of === undefined
    ? metricOf(c.part, name).value
    : ((ofClass(c.part, of) as Record<string, { value: number | null } | undefined> | undefined)?.[name]?.value ??
      null);

/** The values of a group; absent ones are called that. */
export const groupName = (s: Slice) =>
  Object.values(s.by)
    .map((value) => value || "absent")
    .join(" · ");

/** Whether a group is separated from the other rows, after the correction for all groups. */
export const isApart = (s: Slice | undefined, metric: string, alpha: number) => {
  const p = s?.rest[metric]?.p_adjusted;
  return typeof p === "number" && p <= alpha;
};

/** Whether a difference is to the worse. */
export const isWorse = (info: Pick<MetricInfo, "better">, difference: number) =>
  info.better === "lower" ? difference > 0 : difference < 0;

/** In which order groups stand: by the largest gap to the worse of any candidate, by rows, or as the fields have them. */
export function ordered(told: Told[], info: Pick<MetricInfo, "name" | "better">, how: Order): number[] {
  const first = told[0]?.of ?? [];
  const all = first.map((_, i) => i);
  if (how === "name") return all;
  if (how === "size") return all.sort((a, b) => (first[b]?.rows ?? 0) - (first[a]?.rows ?? 0) || a - b);
  const gap = (i: number) =>
    Math.max(
      ...told.map(({ of }) => {
        const d = of[i]?.rest[info.name]?.difference;
        return d == null ? Number.NEGATIVE_INFINITY : isWorse(info, d) ? Math.abs(d) : -Math.abs(d);
      }),
    );
  return all.sort((a, b) => {
    const [x, y] = [gap(a), gap(b)];
    return x === y ? a - b : y - x;
  });
}

/** In place of a field: all named conditions and marks, each against the other rows. */
export const NAMED = ":named";

/** A field with its cut, as an address says it: its name, and how it is cut where that is said. */
export function cutOf(text: string, names: string[]): { name: string; cut: string } {
  if (names.includes(text) || text === NAMED) return { name: text, cut: "" };
  const at = text.lastIndexOf(":");
  return at < 0 ? { name: text, cut: "" } : { name: text.slice(0, at), cut: text.slice(at + 1) };
}
export const withCut = (name: string, cut: string) => (cut ? `${name}:${cut}` : name);
