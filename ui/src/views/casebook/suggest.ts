/** What may be written next in a condition, and the clauses that one is made of. The server parses it; this only helps
 * the hand. */

import { quoted, written } from "../../parts/conditions";

export type Known = {
  /** Fields with their kind, and the values of those that have few. */
  fields: { name: string; kind: "text" | "number" | "date"; values: string[] }[];
  classes: string[];
  /** Letters of the candidates, and of those that give scores. */
  letters: string[];
  scoring: string[];
  marks: string[];
  named: string[];
};

const TOKEN =
  /\s+|"(?:[^"\\]|\\.)*"?|`[^`]*`?|!=|<=|>=|[=<>(),]|-?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?|[\p{L}_][\p{L}\p{N}_]*|./gu;
const SIGNS = ["=", "!=", "<", "<=", ">", ">="];
const JOINS = ["and", "or", "not"];

export const tokensOf = (text: string) => text.match(TOKEN) ?? [];

/** What may come at the end of a text, and from where it replaces what was begun. */
export function suggest(text: string, known: Known): { at: number; all: string[] } {
  const tokens = tokensOf(text);
  const last = tokens.at(-1) ?? "";
  const begun = /^[\p{L}_"`]/u.test(last) && !/^".*"$/.test(last) && !/^`.*`$/.test(last) ? last : "";
  const before = (begun ? tokens.slice(0, -1) : tokens).filter((t) => t.trim() !== "");
  const at = text.length - begun.length;
  const all = expected(before, known).filter((one) => one.toLowerCase().startsWith(begun.toLowerCase()));
  return { at, all: all.filter((one) => one !== begun) };
}

function expected(before: string[], known: Known): string[] {
  const last = before.at(-1) ?? "";
  if (last === "" || JOINS.includes(last) || last === "(") return starts(known, last === "not");
  if (SIGNS.includes(last)) return valuesFor(before.slice(0, -1), known);
  if (last === "in") return ["("];
  if (last === "mark") return known.marks.map(quoted);
  if (last === "named") return known.named.map(quoted);
  if (last === "is") return ["absent"];
  if (/^["\d.-]/.test(last) || last === "absent" || last === "right") return ["and", "or"];
  if (last === ")") {
    const open = before.lastIndexOf("(");
    const head = before[open - 1] ?? "";
    return head === "predicted" ? ["=", "!="] : head === "score" ? SIGNS : ["and", "or"];
  }
  const kind = known.fields.find((f) => written(f.name) === last)?.kind;
  return kind === "text" || last === "actual" ? ["=", "!=", "in", "is absent"] : [...SIGNS, "between", "is absent"];
}

const starts = (k: Known, negated: boolean) => [
  "actual",
  ...k.letters.map((x) => `predicted(${x})`),
  ...k.scoring.map((x) => `score(${x})`),
  ...k.letters.map((x) => `right(${x})`),
  ...(k.marks.length > 0 ? ["mark"] : []),
  ...(k.named.length > 0 ? ["named"] : []),
  ...k.fields.map((f) => written(f.name)),
  ...(negated ? [] : ["not"]),
];

function valuesFor(before: string[], known: Known): string[] {
  const last = before.at(-1) ?? "";
  if (last === "actual") return [...known.classes.map(quoted), ...known.letters.map((x) => `predicted(${x})`)];
  if (last === ")" && before[before.lastIndexOf("(") - 1] === "predicted")
    return [...known.classes.map(quoted), "actual"];
  return known.fields.find((f) => written(f.name) === last)?.values.map(quoted) ?? [];
}

/** The clauses that an "and" joins, outside of parentheses and of "between … and …"; one where an "or" stands there. */
export function clausesOf(text: string): string[] {
  const out: string[] = [];
  let [depth, between, current] = [0, false, ""];
  for (const token of tokensOf(text)) {
    if (token === "(") depth++;
    if (token === ")") depth--;
    if (depth === 0 && token === "or") return text.trim() ? [text.trim()] : [];
    if (depth === 0 && token === "between") between = true;
    else if (depth === 0 && token === "and" && between) between = false;
    else if (depth === 0 && token === "and") {
      out.push(current.trim());
      current = "";
      continue;
    }
    current += token;
  }
  out.push(current.trim());
  return out.filter((clause) => clause !== "");
}
