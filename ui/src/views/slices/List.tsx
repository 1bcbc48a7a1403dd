import { type RefObject, useState } from "react";
import { Link } from "react-router";
import { useAlone } from "../../app/alone";
import { useScope, writeAddress } from "../../app/scope";
import { domainOf } from "../../charts/scales";
import { Whisker, WhiskerRuler } from "../../charts/Whisker";
import { PENDING, Tile } from "../../parts/basics";
import { colour } from "../../parts/marks";
import { count, named, several, shown } from "../../parts/number";
import { groupName, isApart, NAMED, type Order, ordered, type Read, type Slice, type Told, wholeOf } from "./groups";

const MOST = 25; // groups that stand before the others are asked for

type Props = {
  told: Told[];
  info: Read;
  order: Order;
  alpha: number;
  late: boolean;
  table: RefObject<HTMLTableElement | null>;
};

/** A row for each group: its rows, and for each candidate the metric on the column's ruler, filled where the group is
 * separated from the other rows. */
export function List({ told, info, order, alpha, late, table }: Props) {
  const { positiveLabel, positive, many, results, setOwn, own } = useScope();
  const [all, setAll] = useState(false);
  const first = told[0]?.of ?? [];
  const standing = ordered(told, info, order);
  const shownRows = all ? standing : standing.slice(0, MOST);
  const fields = Object.keys(first[0]?.by ?? {});
  const domain = domainOf(
    told.flatMap(({ c, of }) => [
      wholeOf(c, info),
      ...of.flatMap((s) => [s.metrics[info.name]?.value, s.metrics[info.name]?.low, s.metrics[info.name]?.high]),
    ]),
  );
  const whole =
    domain && info.needs === "counts" && domain[0] >= -0.1 && domain[1] <= 1.1 ? ([0, 1] as [number, number]) : domain;
  return (
    <>
      <div className="border border-rule bg-sheet rounded-[4px] overflow-x-auto relative">
        <table ref={table} className="w-full text-sm tabular-nums" data-part="slices">
          <thead>
            <tr className="text-soft align-bottom border-b border-rule">
              <th className="font-normal text-left px-3 py-1.5 sticky left-0 bg-sheet">{fields.join(" · ")}</th>
              <th className="font-normal text-right px-2">rows</th>
              {!many && (
                <th className="font-normal text-right px-2 max-w-20 truncate" title={positive}>
                  {positive}
                </th>
              )}
              {told.map(({ c }) => (
                <th key={c.position} className="font-normal text-left px-2 pt-1.5" data-column={c.letter}>
                  <span className="flex items-center gap-1.5 whitespace-nowrap" title={c.name}>
                    <Tile position={c.position} letter={c.letter} />
                    <b className="font-semibold text-ink text-base">{late ? PENDING : shown(wholeOf(c, info))}</b> all
                    rows
                  </span>
                  <WhiskerRuler domain={whole} />
                </th>
              ))}
              <th className="font-normal text-left px-2" />
            </tr>
          </thead>
          <tbody>
            {shownRows.map((i) => {
              const s = first[i];
              if (!s) return null;
              const name = groupName(s);
              return (
                <tr key={name} className="border-b border-light last:border-0 align-top group" data-group={name}>
                  <th
                    scope="row"
                    className="font-semibold text-left px-3 py-1.5 sticky left-0 bg-sheet min-w-36 max-w-64 break-words"
                  >
                    {name}
                  </th>
                  <td className="text-right px-2 py-1.5">{count(s.rows)}</td>
                  {!many && <td className="text-right px-2 py-1.5">{count(s.actual[positiveLabel] ?? 0)}</td>}
                  {told.map(({ c, of }) => (
                    <Cell key={c.position} told={of[i]} c={c} info={info} alpha={alpha} domain={whole} late={late} />
                  ))}
                  <td className="px-2 py-1.5 whitespace-nowrap text-soft" data-unsaved="">
                    <Ways of={s} />
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      {standing.length > MOST && (
        <button type="button" className="link text-sm mt-1" onClick={() => setAll(!all)}>
          {all ? "the first alone" : `and ${several(standing.length - MOST, "more group")}`}
        </button>
      )}
      <p className="text-sm text-soft font-serif italic mt-1 max-w-[95ch]">
        Filled, bold: separated from the other rows, after correction for the {count(first.length)} groups. Ring: not
        separated
        {own.by === NAMED ? ", or not tested: marked by eye, or by the answer" : ""}
        {results.holdout.picked_by ? `, or not tested: picked by answers of ${named(results.holdout.picked_by)}` : ""}.
        Upright line: all rows. Under {results.settings.min_slice} rows: counts only.{" "}
        <span className="kbd not-italic">g</span> sorts otherwise
        {own.and ? (
          <>
            , <span className="kbd not-italic">x</span> swaps the fields
          </>
        ) : (
          ""
        )}
        .{" "}
        {own.and && (
          <button type="button" className="link" onClick={() => setOwn({ and: null })}>
            one field alone
          </button>
        )}
      </p>
    </>
  );
}

/** The slice as the scope of every view, and its rows. */
export function Ways({ of }: { of: Slice }) {
  const scope = useScope();
  const alone = useAlone();
  const { condition } = of;
  if (!condition) return null;
  const rows = writeAddress({ ...scope, own: { q: condition } }, scope.study).toString();
  return (
    <>
      <Link className="link mr-2" to={{ pathname: `/studies/${scope.study.id}/casebook`, search: rows }}>
        rows
      </Link>
      {alone.can(condition) && (
        <button
          type="button"
          className="link"
          aria-label={`read alone: the rows of ${groupName(of)}`}
          title="every view then reads these rows alone"
          onClick={() => alone.read(condition)}
        >
          read alone
        </button>
      )}
    </>
  );
}

type CellProps = {
  told: Slice | undefined;
  c: Told["c"];
  info: Read;
  alpha: number;
  domain: [number, number] | null;
  late: boolean;
};

function Cell({ told, c, info, alpha, domain, late }: CellProps) {
  const m = told?.metrics[info.name];
  const d = told?.rest[info.name];
  const apart = isApart(told, info.name, alpha);
  if (late || !m) return <td className="px-2 py-1.5 text-soft">{late ? PENDING : "—"}</td>;
  if (m.value === null)
    return (
      <td className="px-2 py-1.5 text-soft" title={m.why ?? undefined}>
        <Counted of={told} name={info.name} />
      </td>
    );
  return (
    <td className="px-2 py-1 border-l border-light" data-slice-of={c.letter} data-apart={apart}>
      <span className="flex items-baseline gap-1.5">
        <span className={apart ? "font-semibold" : ""} data-metric={info.name} title={ends(m)}>
          {shown(m.value)}
        </span>
        {d?.difference != null && (
          <span
            className={`text-xs ${apart ? "font-semibold" : "text-soft"}`}
            title={`less the other rows: ${ends({ value: d.difference, low: d.low, high: d.high })}`}
            data-less-rest=""
          >
            {d.difference > 0 ? "+" : ""}
            {shown(d.difference)}
          </span>
        )}
      </span>
      <Whisker of={m} domain={domain} color={colour(c.position)} ring={!apart} at={wholeOf(c, info) ?? undefined} />
    </td>
  );
}

const ends = (m: { value: number | null; low?: number | null; high?: number | null }) =>
  m.low == null ? shown(m.value) : `${shown(m.value)} (${shown(m.low)} to ${shown(m.high)})`;

/** Of too small a group: how many of how many, where the metric is a share of a class. */
function Counted({ of, name }: { of: Slice | undefined; name: string }) {
  const { results, positiveLabel } = useScope();
  const p = results.holdout.classes.indexOf(positiveLabel);
  const row = of?.matrix?.[p];
  if (name !== "recall" || !row) return <>—</>;
  return (
    <>
      {count(row[p] ?? 0)} of {count(row.reduce((a, b) => a + b, 0))}
    </>
  );
}
