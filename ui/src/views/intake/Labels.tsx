import { several } from "../../parts/number";
import { classesOf, columnOf, type Mapping, type Upload } from "./mapping";

const OUTCOMES = {
  tp: "predicted and actual",
  fn: "actual and not predicted",
  fp: "predicted and not actual",
  tn: "neither predicted nor actual",
} as const;

type Props = { u: Upload; mapping: Mapping; put: (change: Partial<Mapping>) => void };

/** The classes as found, which of them are one class spelled two ways, and what to call them. */
export function Labels({ u, mapping, put }: Props) {
  const column = columnOf(u, mapping.truth);
  const classes = classesOf(u, mapping);
  if (!column || classes.length === 0) return null;
  const merge = (from: string, into: string, on: boolean) => {
    const { [from]: _, ...rest } = mapping.merge;
    put({ merge: on ? { ...rest, [from]: into } : rest, positive: mapping.positive === from ? "" : mapping.positive });
  };
  return (
    <section aria-label="Classes" className="mt-3">
      <p className="text-sm text-soft">
        {several(classes.length, "class", "classes")} in {mapping.truth}
      </p>
      <table className="text-sm">
        <thead className="sr-only">
          <tr>
            <th>Class</th>
            <th>Rows</th>
            <th>Name to show</th>
          </tr>
        </thead>
        <tbody>
          {classes.map((c) => (
            <tr key={c.label} className="border-b border-light" data-class={c.label}>
              <th scope="row" className="font-semibold text-left pr-4 py-1">
                {c.found.map((f) => `“${f}”`).join(" and ")}
              </th>
              <td className="text-right pr-4">{several(c.rows, "row")}</td>
              <td>
                <input
                  aria-label={`Name to show for ${c.label}`}
                  className="field py-0.5 w-44"
                  placeholder={`shown as ${c.label}`}
                  maxLength={60}
                  value={mapping.names[c.label] ?? ""}
                  onChange={(e) => put({ names: { ...mapping.names, [c.label]: e.target.value } })}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {column.alike.map((pair) => {
        const rows = (label: string) => column.counts[column.values.indexOf(label)] ?? 0;
        const [into = "", ...others] = [...pair].sort((a, b) => rows(b) - rows(a));
        return others.map((from) => (
          <label key={from} className="block text-sm border-l-[3px] border-ochre bg-ochre-soft px-2 py-1 mt-1">
            <input
              type="checkbox"
              checked={mapping.merge[from] === into}
              onChange={(e) => merge(from, into, e.target.checked)}
            />{" "}
            “{from}” ({several(rows(from), "row")}) is “{into}”, spelled another way: count it as “{into}”
          </label>
        ));
      })}
      {classes.length === 2 && mapping.positive && (
        <details className="mt-2 text-sm">
          <summary className="cursor-pointer text-soft">The study’s own words for the four outcomes</summary>
          <div className="grid grid-cols-4 gap-3 mt-1">
            {(Object.keys(OUTCOMES) as (keyof typeof OUTCOMES)[]).map((o) => (
              <label key={o} className="block">
                <span className="block text-soft">
                  {mapping.positive} {OUTCOMES[o]}
                </span>
                <input
                  className="field py-0.5"
                  maxLength={40}
                  value={mapping.words[o] ?? ""}
                  onChange={(e) => put({ words: { ...mapping.words, [o]: e.target.value } })}
                />
              </label>
            ))}
          </div>
        </details>
      )}
    </section>
  );
}
