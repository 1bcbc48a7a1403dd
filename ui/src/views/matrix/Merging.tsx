import { useState } from "react";
import { useScope } from "../../app/scope";
import { renumbered } from "./grid";

/** Take classes together: the class being read against the rest, or groups of one's own. */
export function Merging({ merge }: { merge: number[] | null }) {
  const { setOwn, results, of, called } = useScope();
  const { classes } = results.holdout;
  const [choosing, setChoosing] = useState(false);
  const keys = merge ?? classes.map((_, i) => i);
  const rest = classes.map((c) => (c === of ? 0 : 1));
  const against =
    merge !== null && new Set(merge).size === 2 && merge.filter((g) => g === merge[classes.indexOf(of)]).length === 1;
  const set = (groups: (string | number)[] | null) => {
    const to = groups && renumbered(groups);
    setOwn({ merge: to ? to.join(",") : null });
  };
  const value = choosing ? "own" : merge === null ? "none" : against ? "rest" : "own";
  return (
    <span className="flex items-baseline gap-1.5 flex-wrap">
      <label className="flex items-baseline gap-1.5">
        take together
        <select
          aria-label="Take together"
          className="border border-rule bg-sheet rounded-md px-1.5 py-0.5 text-ink max-w-56"
          value={value}
          onChange={(e) => {
            setChoosing(e.target.value === "own");
            if (e.target.value === "none") set(null);
            if (e.target.value === "rest") set(rest);
          }}
        >
          <option value="none">none</option>
          <option value="rest">“{called(of)}” against the rest</option>
          <option value="own">groups of one’s own</option>
        </select>
      </label>
      {value === "own" &&
        classes.map((c, i) => (
          <label key={c} className="flex items-baseline gap-1">
            <span className="max-w-32 truncate" title={called(c)}>
              {called(c)}
            </span>
            <select
              aria-label={`Group of ${called(c)}`}
              className="border border-rule bg-sheet rounded-md px-1 py-0.5 text-ink"
              value={keys[i]}
              onChange={(e) => set(keys.map((k, at) => (at === i ? Number(e.target.value) : k)))}
            >
              {classes.map((_, g) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: groups have no name but their number
                <option key={g} value={g}>
                  {g + 1}
                </option>
              ))}
            </select>
          </label>
        ))}
    </span>
  );
}
