import { useState } from "react";
import { useAnother } from "../api/queries";
import { count, shown } from "../parts/number";
import { useScope } from "./scope";

/** Why is another number got elsewhere? A value that is given is held against other definitions, splits and cutoffs. */
export function Another({ candidate }: { candidate: string }) {
  const { study, split, query, slice } = useScope();
  const [text, setText] = useState("");
  const [value, ask] = useState("");
  const { data, error, isFetching } = useAnother(study.id, { candidate, split, value, cutoffs: query, within: slice });
  return (
    <form
      className="mt-2 border-t border-light pt-2 text-sm"
      onSubmit={(e) => {
        e.preventDefault();
        e.stopPropagation();
        ask(text.trim());
      }}
    >
      <label className="flex items-center gap-2 text-soft">
        Got another number?
        <input
          className="border border-rule bg-sheet rounded-md px-2 py-0.5 w-24 text-ink tabular-nums"
          value={text}
          placeholder="0.742"
          onChange={(e) => setText(e.target.value)}
        />
        <button type="submit" className="link" disabled={text.trim() === ""}>
          find it
        </button>
      </label>
      <div role="status" data-part="another">
        {isFetching && <p className="text-soft mt-1">looking …</p>}
        {error && <p className="text-scarlet mt-1">{error.message}</p>}
        {data && value !== "" && !isFetching && (
          <>
            {data.matches.length === 0 ? (
              <p className="mt-1">
                None of {count(data.tried)} numbers that were tried is {value}: other metrics, classes, averages,
                definitions, splits, cutoffs, candidates.
              </p>
            ) : (
              <ul className="mt-1 max-h-44 overflow-auto">
                {data.matches.map((m) => (
                  <li key={`${m.candidate} ${m.split} ${m.title} ${m.how}`} className="py-0.5">
                    <b className="font-semibold">{m.title}</b>
                    {m.candidate !== candidate && ` of ${m.candidate}`}
                    {m.how && `, ${m.how}`}
                    {m.split !== split && !m.how.includes(m.split) && ` on ${m.split}`}: {shown(m.value)}
                  </li>
                ))}
              </ul>
            )}
            {data.by_chance !== null && (
              <p className="text-soft mt-1">
                With so few digits, {shown(data.by_chance)} of the {count(data.tried)} numbers tried would be it by
                chance.
              </p>
            )}
          </>
        )}
      </div>
    </form>
  );
}
