import type { Schemas } from "../../api/client";
import { Button } from "../../parts/basics";
import { Entry } from "../../parts/Entry";

export type Quoted = { key: number; name: string; source: string; text: string };

/** Metric values as name = value, or a matrix as lines of counts. */
export function quotedOf(q: Quoted): Schemas["QuotedIn"] {
  const lines = q.text.split("\n").filter((line) => line.trim());
  const about = { name: q.name.trim(), source: q.source.trim() };
  if (lines.length && lines.every((line) => /^[\d\s,;]+$/.test(line)))
    return {
      ...about,
      metrics: {},
      matrix: lines.map((line) =>
        line
          .split(/[\s,;]+/)
          .filter(Boolean)
          .map(Number),
      ),
    };
  const pairs = lines.map((line) => {
    const [name = "", value = ""] = line.split(/[=:]/);
    return [name.trim().toLowerCase().replaceAll(/\s+/g, "_"), Number(value.replace("%", ""))] as const;
  });
  return { ...about, metrics: Object.fromEntries(pairs), matrix: null };
}

export const quotedReady = (q: Quoted) => {
  const found = quotedOf(q);
  const values = Object.values(found.metrics ?? {});
  return Boolean(found.name && found.source && (found.matrix || (values.length && values.every(Number.isFinite))));
};

type Props = { list: Quoted[]; classes: string[]; onChange: (list: Quoted[]) => void };

/** Published results without their rows, to stand in the roster as quoted. */
export function QuotedForm({ list, classes, onChange }: Props) {
  const put = (key: number, change: Partial<Quoted>) =>
    onChange(list.map((q) => (q.key === key ? { ...q, ...change } : q)));
  return (
    <>
      {list.map((q) => (
        <div key={q.key} className="border border-rule bg-sheet rounded-md px-3 py-2.5 mt-2 grid grid-cols-2 gap-3">
          <Entry label="Name in the roster" maxLength={80} value={q.name} onSay={(name) => put(q.key, { name })} />
          <Entry
            label="Quoted from (document, page)"
            maxLength={300}
            value={q.source}
            onSay={(source) => put(q.key, { source })}
          />
          <label className="block col-span-2">
            <span className="block text-sm text-soft">
              Values, a line each (recall = 0.91), or the whole matrix: a line for each actual class (
              {classes.join(", ")}), counts by predicted class
            </span>
            <textarea
              className="field font-mono h-20"
              value={q.text}
              onChange={(e) => put(q.key, { text: e.target.value })}
            />
          </label>
          <Button
            kind="bare"
            className="text-sm justify-self-start"
            onClick={() => onChange(list.filter((x) => x.key !== q.key))}
          >
            Do not quote it
          </Button>
        </div>
      ))}
      <Button
        kind="bare"
        className="text-sm text-soft mt-2"
        onClick={() => onChange([...list, { key: Date.now(), name: "", source: "", text: "" }])}
      >
        Quote a published result, without its rows
      </Button>
    </>
  );
}
