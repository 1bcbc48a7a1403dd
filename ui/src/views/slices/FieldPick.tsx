import { useState } from "react";
import type { Schemas } from "../../api/client";
import { cutOf, NAMED, withCut } from "./groups";

export const ANY_WIDTH = "border border-rule bg-sheet rounded-md px-1.5 py-0.5 text-ink";
export const SELECT = `${ANY_WIDTH} max-w-32`;
const QUANTILES = ["", "2", "3", "4", "5", "10"];
const PERIODS = ["", "year", "quarter", "month", "week", "day"];

type Field = Schemas["FieldSummary"];
type Props = {
  label: string;
  fields: Field[];
  value: string;
  optional?: boolean;
  /** Whether there are conditions or marks to slice by. */
  named?: boolean;
  onChange: (to: string) => void;
};

/** A field to slice by, and how it is cut: numbers at quantiles or edges, dates by period. */
export function FieldPick({ label, fields, value, optional = false, named = false, onChange }: Props) {
  const { name, cut } = cutOf(
    value,
    fields.map((f) => f.name),
  );
  const kind = fields.find((f) => f.name === name)?.kind;
  return (
    <span className="flex items-baseline gap-1.5">
      {label}
      <select className={SELECT} aria-label={`Sliced ${label}`} value={name} onChange={(e) => onChange(e.target.value)}>
        {optional && <option value="">nothing else</option>}
        {named && <option value={NAMED}>conditions, marks</option>}
        {fields.map((f) => (
          <option key={f.name} value={f.name}>
            {f.name}
          </option>
        ))}
      </select>
      {kind === "number" && (
        <NumberCut key={value} cut={cut} label={label} onChange={(to) => onChange(withCut(name, to))} />
      )}
      {kind === "date" && (
        <select
          className={SELECT}
          aria-label={`Periods, ${label}`}
          value={cut}
          onChange={(e) => onChange(withCut(name, e.target.value))}
        >
          {PERIODS.map((p) => (
            <option key={p} value={p}>
              {p ? `by ${p}` : "by month, as usual"}
            </option>
          ))}
        </select>
      )}
    </span>
  );
}

type CutProps = { cut: string; label: string; onChange: (to: string) => void };

function NumberCut({ cut, label, onChange }: CutProps) {
  const edged = cut.includes("|") || (cut !== "" && !QUANTILES.includes(cut));
  const [typed, setTyped] = useState(edged ? cut.replaceAll("|", ", ") : "");
  const [typing, setTyping] = useState(edged);
  const edges = typed
    .split(/[,;|\s]+/)
    .filter((x) => x)
    .map(Number);
  const right = edges.length > 0 && edges.every((x, i) => Number.isFinite(x) && (i === 0 || x > (edges[i - 1] ?? x)));
  return (
    <>
      <select
        className={SELECT}
        aria-label={`Cut, ${label}`}
        value={typing ? "edges" : cut}
        onChange={(e) => {
          setTyping(e.target.value === "edges");
          if (e.target.value !== "edges") onChange(e.target.value);
        }}
      >
        {QUANTILES.map((q) => (
          <option key={q} value={q}>
            {q ? `${q} parts of as many rows` : "as usual"}
          </option>
        ))}
        <option value="edges">at edges …</option>
      </select>
      {typing && (
        <input
          className={`${SELECT} w-28 aria-[invalid=true]:border-scarlet`}
          aria-label={`Edges, ${label}`}
          aria-invalid={typed !== "" && !right}
          placeholder="40, 80, 120"
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
          onBlur={() => right && onChange(edges.length > 1 ? edges.join("|") : `${edges[0]}|`)}
          onKeyDown={(e) => {
            if (e.key === "Enter" && right) onChange(edges.length > 1 ? edges.join("|") : `${edges[0]}|`);
          }}
        />
      )}
    </>
  );
}
