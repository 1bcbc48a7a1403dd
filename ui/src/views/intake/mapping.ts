import type { Schemas } from "../../api/client";

export type Upload = Schemas["UploadOut"];
export type MadeSplit = { by: "class" | "group" | "time"; field: string; tuning: string; seed: string };
export type Mapping = {
  id: string | null;
  truth: string;
  positive: string;
  split: string;
  report_on: string;
  tune_on: string;
  make_split: MadeSplit | null;
  weight: string;
  group: string;
  slices: string[];
  merge: Record<string, string>;
  names: Record<string, string>;
  words: Partial<Record<"tp" | "fn" | "fp" | "tn", string>>;
  /** What is shown when a row is read; the embedding by what `embeddings` calls it. */
  text: string;
  picture: string;
  embedding: string;
};

export const columnOf = (u: Upload, name: string) => u.columns.find((c) => c.name === name);
/** The proposed column, where only one could be meant. */
export const sure = (g: Schemas["Guess"] | undefined) => (g && g.also.length === 0 ? (g.column ?? "") : "");

/** What the columns of a hold-out probably are; where two readings are possible, nothing is taken as said. */
export function mappingOf(u: Upload): Mapping {
  const { id, truth, split, weight, group, text, picture, embedding } = u.guess;
  const name = sure(split);
  const values = columnOf(u, name)?.values ?? [];
  return {
    id: id && id.also.length > 0 ? null : sure(id),
    truth: sure(truth),
    positive: "",
    split: name,
    report_on: values.find((v) => v.toLowerCase() === "test") ?? "",
    tune_on: values.find((v) => /^(tun|val|dev)/i.test(v)) ?? "",
    make_split: null,
    weight: sure(weight),
    group: sure(group),
    slices: [],
    merge: {},
    names: {},
    words: {},
    text: sure(text),
    picture: sure(picture),
    embedding: Object.entries(embeddings(u)).find(([, names]) => names[0] === embedding?.column)?.[0] ?? "",
  };
}

/** Columns of numbers that count up, as e1 to e4, by what they may be called together. */
export function embeddings(u: Upload): Record<string, string[]> {
  const stems = new Map<string, string[]>();
  for (const c of u.columns) {
    const stem = c.numeric ? /^(.*\D)_?\d+$/.exec(c.name)?.[1] : undefined;
    if (stem) stems.set(stem, [...(stems.get(stem) ?? []), c.name]);
  }
  const several = [...stems.values()].filter((names) => names.length >= 2);
  return Object.fromEntries(several.map((names) => [`${names[0]} to ${names.at(-1)}`, names]));
}

/** The classes after merging, with their rows. */
export function classesOf(u: Upload, m: Mapping): { label: string; rows: number; found: string[] }[] {
  const c = columnOf(u, m.truth);
  if (!c) return [];
  const out = new Map<string, { label: string; rows: number; found: string[] }>();
  c.values.forEach((value, i) => {
    const label = m.merge[value] ?? value;
    const here = out.get(label) ?? { label, rows: 0, found: [] };
    here.rows += c.counts[i] ?? 0;
    here.found.push(value);
    out.set(label, here);
  });
  return [...out.values()];
}

/** The classes in the order that a matrix has them: of two, the positive one last. */
export const inOrder = (classes: { label: string }[], positive: string) =>
  classes.map((c) => c.label).sort((a, b) => Number(a === positive) - Number(b === positive) || (a < b ? -1 : 1));

/** The hold-out as the HTTP interface takes it. */
export function holdoutOf(u: Upload, m: Mapping): Schemas["HoldoutIn"] {
  const splits = columnOf(u, m.split)?.values ?? [];
  const made = m.split ? null : m.make_split;
  const said = (x: Record<string, string | undefined>) =>
    Object.fromEntries(Object.entries(x).filter((pair): pair is [string, string] => Boolean(pair[1]?.trim())));
  return {
    upload: u.id,
    id: m.id || null,
    truth: m.truth,
    positive: isMany(u, m) ? null : m.positive,
    split: m.split || null,
    report_on: m.split ? m.report_on : null,
    tune_on: m.split && m.tune_on ? m.tune_on : null,
    also: m.split ? splits.filter((s) => s !== m.report_on && s !== m.tune_on) : [],
    make_split: made && {
      by: made.by,
      field: made.by === "class" ? null : made.field,
      tuning: Number(made.tuning) / 100,
      seed: Number(made.seed),
    },
    weight: m.weight || null,
    group: m.group || null,
    slices: m.slices.map((field) => [field]),
    merge: m.merge,
    names: said(m.names),
    words: said(m.words) as Schemas["HoldoutIn"]["words"],
    show:
      m.text || m.picture || m.embedding
        ? { text: m.text || null, picture: m.picture || null, embedding: embeddings(u)[m.embedding] ?? null }
        : null,
  };
}

/** Whether there are three classes or more, so that none is the positive one. */
export function isMany(u: Upload, m: Mapping): boolean {
  const c = columnOf(u, m.truth);
  return c !== undefined && (c.values.length ? classesOf(u, m).length : c.distinct) > 2;
}

/** The column of each class's probability, by its name: the class itself, or the class after p_, prob_ or the like. */
export function probabilitiesOf(u: Upload, classes: string[]): Record<string, string> {
  const plain = (x: string) => x.toLowerCase().replaceAll(/[^\p{L}\p{N}]+/gu, "_");
  const found = classes.map((label) => {
    const wanted = plain(label);
    const column = u.columns.find((c) => plain(c.name) === wanted || plain(c.name).endsWith(`_${wanted}`));
    return [label, column?.name ?? ""] as const;
  });
  return Object.fromEntries(found.filter(([, name]) => name !== ""));
}

/** What still has to be said before a study can be made. */
export function missing(u: Upload, m: Mapping): string | null {
  if (m.id === null) return "which column is the row id";
  if (!m.truth) return "which column holds the actual class";
  if (!isMany(u, m) && !m.positive) return "which class is the positive one";
  if (m.split && !m.report_on) return "which split is reported on";
  if (!m.split && m.make_split && m.make_split.by !== "class" && !m.make_split.field)
    return "by which field the split is made";
  return null;
}
