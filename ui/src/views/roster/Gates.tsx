import { TONES } from "../../app/Gates";
import { useScope } from "../../app/scope";
import { PENDING } from "../../parts/basics";
import { asSet, count, shown } from "../../parts/number";

/** The conditions that were set in advance: what was read for each, and what came of it. */
export function Gates() {
  const { results, pending, metric } = useScope();
  const gates = results.gates ?? [];
  if (gates.length === 0) return null;
  return (
    <section aria-label="Gates" className="mt-5 max-w-[980px]">
      <h2 className="text-lg mb-1">Gates</h2>
      <div className="border border-rule bg-sheet rounded-[4px] overflow-x-auto">
        <table className="w-full text-left" data-part="gates">
          <thead>
            <tr className="text-sm text-soft border-b border-rule">
              <th className="font-normal px-3 py-1.5">Gate</th>
              <th className="font-normal px-2">Candidate</th>
              <th className="font-normal px-2">Read</th>
              <th className="font-normal px-2 text-right">Rows</th>
              <th className="font-normal px-3">Status</th>
            </tr>
          </thead>
          <tbody>
            {gates.map((g) => {
              const where = g.by ? ` (${Object.values(g.by).join(", ")})` : "";
              const read = g.read === null ? null : shown(g.read, [0, 1, g.needed]);
              const end =
                g.read === g.value ? "" : g.read === g.low ? "low end " : g.read === g.high ? "high end " : "";
              return (
                <tr
                  key={`${g.text} ${g.candidate}${where}`}
                  className="border-b border-light last:border-0"
                  data-gate={g.text}
                >
                  <th scope="row" className="font-normal px-3 py-1.5">
                    {g.text} <span className="text-soft text-sm">{g.level}</span>
                  </th>
                  <td className="px-2">
                    {g.candidate}
                    {where}
                  </td>
                  <td className="px-2">
                    {pending
                      ? PENDING
                      : read === null
                        ? "—"
                        : `${metric(g.metric).title}, ${end}${read}: at ${g.bound} ${asSet(g.needed)}`}
                  </td>
                  <td className="px-2 text-right">{pending ? PENDING : count(g.rows)}</td>
                  <td className={`px-3 ${pending ? "" : TONES[g.status]}`} data-status={pending ? "" : g.status}>
                    {pending ? PENDING : g.status}
                    {!pending && g.why && <span className="block text-xs text-soft font-normal">{g.why}</span>}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
    </section>
  );
}
