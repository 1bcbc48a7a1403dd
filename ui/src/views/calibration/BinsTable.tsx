import { saveCsv } from "../../charts/save";
import { Tile } from "../../parts/basics";
import { asSet, count, shown } from "../../parts/number";
import { binsOf, type Told } from "./read";

type Props = { told: Told[]; bins: "equal_mass" | "equal_width"; split: string; slice: string[]; happened: string };

/** The bins of all candidates as a table; where the scores would put each share is told beside where it lies. */
export function BinsTable({ told, bins, split, slice, happened }: Props) {
  const rows = told.flatMap(({ c, found }) => binsOf(found[bins]).map((b) => ({ c, b })));
  const save = () =>
    saveCsv(
      [
        [
          "candidate",
          "split",
          ...slice.map(() => "slice"),
          "from",
          "to",
          "rows",
          "mean_probability",
          "observed",
          "low",
          "high",
          "if_true_low",
          "if_true_high",
        ],
        ...rows.map(({ c, b }) => [
          c.name,
          split,
          ...slice,
          b.from,
          b.to,
          b.rows,
          b.mean,
          b.seen,
          b.low,
          b.high,
          ...b.chance,
        ]),
      ],
      `calibration-bins-${split}`,
    );
  return (
    <section aria-label="The bins as a table" className="mt-4">
      <header className="flex items-baseline gap-3">
        <h2 className="text-lg">The bins</h2>
        <button type="button" className="link text-sm" onClick={save}>
          save CSV
        </button>
      </header>
      <div className="max-h-[26rem] overflow-auto border border-rule bg-sheet rounded-[4px] mt-1" tabIndex={-1}>
        <table className="w-full text-right tabular-nums" data-part="bins">
          <thead className="sticky top-0 bg-sheet">
            <tr className="text-sm text-soft border-b border-rule">
              <th className="font-normal text-left px-3 py-1">Candidate</th>
              <th className="font-normal px-3">from</th>
              <th className="font-normal px-3">to</th>
              <th className="font-normal px-3">rows</th>
              <th className="font-normal px-3">given, on average</th>
              <th className="font-normal px-3">“{happened}”</th>
              <th className="font-normal px-3">interval</th>
              <th className="font-normal px-3">if true</th>
            </tr>
          </thead>
          <tbody>
            {rows.map(({ c, b }) => (
              <tr key={`${c.position} ${b.key}`} className="border-b border-light" data-bin={`${c.letter} ${b.key}`}>
                <th scope="row" className="font-normal text-left px-3 py-0.5">
                  <span className="flex items-center gap-2">
                    <Tile position={c.position} letter={c.letter} />
                    <span className="truncate max-w-[16ch]" title={c.name}>
                      {c.name}
                    </span>
                  </span>
                </th>
                <td className="px-3" title={asSet(b.from)}>
                  {shown(b.from)}
                </td>
                <td className="px-3" title={asSet(b.to)}>
                  {shown(b.to)}
                </td>
                <td className="px-3">{count(b.rows)}</td>
                <td className="px-3" title={asSet(b.mean)}>
                  {shown(b.mean)}
                </td>
                <td className="px-3 font-semibold" title={asSet(b.seen)}>
                  {shown(b.seen)}
                </td>
                <td className="px-3 whitespace-nowrap">
                  {shown(b.low)} to {shown(b.high)}
                </td>
                <td className="px-3 text-soft whitespace-nowrap">
                  {shown(b.chance[0])} to {shown(b.chance[1])}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}
