import { useEffect, useRef, useState } from "react";
import { clausesOf, type Known, suggest } from "./suggest";

const MOST = 14;

type Props = { value: string; known: Known; error: string | null; onChange: (to: string) => void };

/** A condition that is typed, or clicked together: what may come next stands beneath, each clause can be taken out. */
export function Query({ value, known, error, onChange }: Props) {
  const [text, setText] = useState(value);
  const [open, setOpen] = useState(false);
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => setText(value), [value]);
  const found = suggest(text, known);
  const offered = found.all.slice(0, MOST);
  const take = (one: string) => {
    const next = `${text.slice(0, found.at)}${text.slice(0, found.at).match(/[\s(]$|^$/) ? "" : " "}${one} `;
    setText(next);
    field.current?.focus();
  };
  const done = (to = text) => {
    setOpen(false);
    if (to.trim() !== value.trim()) onChange(to.trim());
  };
  const clauses = clausesOf(value);
  return (
    <search aria-label="Which rows" className="block mb-2">
      <div
        className={`border rounded-[4px] bg-sheet px-2.5 py-1.5 flex items-baseline gap-2 flex-wrap ${error ? "border-scarlet" : "border-ink"}`}
      >
        <input
          ref={field}
          className="flex-1 min-w-64 bg-transparent text-ink outline-offset-4"
          aria-label="Condition"
          aria-invalid={error !== null}
          spellCheck={false}
          autoComplete="off"
          placeholder="all rows; a condition, as: actual != predicted(A)"
          value={text}
          onChange={(e) => setText(e.target.value)}
          onFocus={() => setOpen(true)}
          onKeyDown={(e) => {
            if (e.key === "Enter") done();
            if (e.key === "Escape") {
              setText(value);
              setOpen(false);
              field.current?.blur();
            }
            if (e.key === "Tab" && !e.shiftKey && open && offered[0] && found.at < text.length) {
              e.preventDefault();
              take(offered[0]);
            }
          }}
        />
        <button type="button" className="link text-sm" onClick={() => done()}>
          find
        </button>
        {value && (
          <button type="button" className="link text-sm" onClick={() => done("")}>
            all rows
          </button>
        )}
      </div>
      {error && (
        <p role="alert" className="text-sm text-scarlet mt-1">
          {error}
        </p>
      )}
      {open && offered.length > 0 && (
        <p className="flex gap-1.5 flex-wrap text-sm mt-1" data-part="suggested">
          {offered.map((one) => (
            <button
              key={one}
              type="button"
              className="border-b border-dotted border-soft hover:border-ink max-w-56 truncate"
              onClick={() => take(one)}
            >
              {one}
            </button>
          ))}
          <span className="text-soft">
            <span className="kbd">Tab</span> takes the first, <span className="kbd">Enter</span> finds
          </span>
        </p>
      )}
      {clauses.length > 0 && (
        <p className="flex gap-x-2 gap-y-1 flex-wrap text-sm mt-1 items-baseline" data-part="clauses">
          {clauses.map((clause, i) => (
            <span key={clause} className="flex items-baseline gap-2">
              {i > 0 && <span className="text-soft">and</span>}
              <span className="border-b border-ink">
                {clause}{" "}
                <button
                  type="button"
                  className="text-soft hover:text-ink px-0.5"
                  aria-label={`Without ${clause}`}
                  onClick={() => onChange(clauses.filter((_, k) => k !== i).join(" and "))}
                >
                  ×
                </button>
              </span>
            </span>
          ))}
        </p>
      )}
    </search>
  );
}
