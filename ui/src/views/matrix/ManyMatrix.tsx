import { type Shown, useScope } from "../../app/scope";
import { Tile } from "../../parts/basics";
import { count } from "../../parts/number";
import type { Across } from "./MatrixView";

/** The matrix of three classes or more: counts, tinted by each error's share of its actual class. */
export function ManyMatrix({ c, across }: { c: Shown; across: Across }) {
  const { results, called } = useScope();
  const { classes } = results.holdout;
  const cells = c.part.matrix ?? [];
  const width = cells[0]?.length ?? 0;
  const predicted = [...classes.map(called), ...(width > classes.length ? ["no answer"] : [])];
  const actual = classes.map(called);
  const at = (actual: number, predicted: number) => cells[actual]?.[predicted] ?? 0;
  const share = (actual: number, predicted: number) => c.part.shares?.[actual]?.[predicted] ?? 0;
  const told = classes.map((label) => c.part.per_class?.[label]);
  const totals =
    across === "predicted"
      ? told.map((one) => one?.actual_rows)
      : [...told.map((one) => one?.predicted_rows), c.part.no_answer];
  const [rows, columns] = across === "predicted" ? [actual, predicted] : [predicted, actual];
  const cell = (i: number, j: number) => (across === "predicted" ? ([i, j] as const) : ([j, i] as const));
  const down = across === "predicted" ? "actual" : "predicted";
  return (
    <section aria-label={`Matrix of ${c.name}`} className="min-w-0">
      <h2 className="font-sans font-semibold text-base flex items-center gap-2 mb-1 break-words">
        <Tile position={c.position} letter={c.letter} />
        {c.name}
      </h2>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by key */}
      <section className="overflow-auto max-h-[560px]" tabIndex={0} aria-label={`Counts of ${c.name}`}>
        <table className="border-separate border-spacing-0.5" data-matrix={c.letter}>
          <thead>
            <tr className="text-sm text-soft text-left">
              <td className="sticky top-0 left-0 z-10 bg-paper align-bottom whitespace-nowrap pr-2">
                {down} ↓ {across} →
              </td>
              {columns.map((name) => (
                <th
                  key={name}
                  scope="col"
                  className="sticky top-0 bg-paper font-normal align-bottom leading-tight pb-0.5 px-1 max-w-24 break-words"
                  title={name}
                >
                  {name}
                </th>
              ))}
              <th scope="col" className="font-normal pl-2">
                rows
              </th>
            </tr>
          </thead>
          <tbody>
            {rows.map((name, i) => (
              <tr key={name}>
                <th
                  scope="row"
                  className="sticky left-0 bg-paper text-sm text-soft font-normal text-left pr-2 whitespace-nowrap"
                >
                  {name}
                </th>
                {columns.map((other, j) => {
                  const [actual, predicted] = cell(i, j);
                  const n = at(actual, predicted);
                  const right = actual === predicted;
                  const depth = right || !n ? 0 : 10 + Math.round(60 * share(actual, predicted));
                  return (
                    <td
                      key={other}
                      data-cell={`${actual}-${predicted}`}
                      className={`border px-2 py-1 text-right min-w-16 ${right ? "border-ink bg-sheet font-semibold" : "border-rule"} ${n === 0 ? "text-soft" : ""}`}
                      style={
                        right
                          ? undefined
                          : { background: `color-mix(in srgb, var(--color-missed) ${depth}%, var(--color-sheet))` }
                      }
                    >
                      {count(n)}
                    </td>
                  );
                })}
                <td className="text-right pl-2 text-soft">{count(totals[i] ?? 0)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
    </section>
  );
}
