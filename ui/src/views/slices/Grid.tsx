import type { RefObject } from "react";
import { useScope } from "../../app/scope";
import { domainOf } from "../../charts/scales";
import { Whisker, WhiskerRuler } from "../../charts/Whisker";
import { PENDING, Tile } from "../../parts/basics";
import { colour } from "../../parts/marks";
import { count, shown } from "../../parts/number";
import { groupName, isApart, isWorse, type Read, type Slice, type Told, wholeOf } from "./groups";
import { Ways } from "./List";

type Props = {
  told: Told;
  all: Told[];
  info: Read;
  alpha: number;
  late: boolean;
  table: RefObject<HTMLTableElement | null>;
};

/** Two fields across each other, for the candidate in front; the cell in focus is told for all candidates below. */
export function Grid({ told: { c, of }, all, info, alpha, late, table }: Props) {
  const { own, setOwn, results } = useScope();
  const [down, across] = Object.keys(of[0]?.by ?? {}) as [string, string];
  const values = (field: string) => [...new Set(of.map((s) => s.by[field] ?? ""))];
  const at = new Map(of.map((s, i) => [`${s.by[down]}\n${s.by[across]}`, i]));
  const domain = domainOf(
    of.flatMap((s) => [s.metrics[info.name]?.value, s.metrics[info.name]?.low, s.metrics[info.name]?.high]),
  );
  const focus = of.findIndex((s) => s.condition === own.cell);
  const whole = wholeOf(c, info);
  return (
    <>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by key */}
      <section className="overflow-auto relative max-h-[560px]" tabIndex={0} aria-label="Grid of slices">
        <table ref={table} className="text-sm tabular-nums border-separate border-spacing-0.5" data-part="slice-grid">
          <thead>
            <tr className="text-soft align-bottom">
              <th className="font-normal text-left sticky left-0 top-0 bg-paper z-10 pr-2">
                {down} ↓ {across} →
                <WhiskerRuler domain={domain} />
              </th>
              {values(across).map((value) => (
                <th key={value} scope="col" className="font-normal text-left sticky top-0 bg-paper px-1.5 max-w-40">
                  {value || <i>absent</i>}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {values(down).map((row) => (
              <tr key={row}>
                <th scope="row" className="font-semibold text-left pr-2 sticky left-0 bg-paper max-w-48 break-words">
                  {row || <i>absent</i>}
                </th>
                {values(across).map((column) => {
                  const i = at.get(`${row}\n${column}`);
                  const s = i === undefined ? undefined : of[i];
                  return s ? (
                    <Cell
                      key={column}
                      s={s}
                      info={info}
                      alpha={alpha}
                      late={late}
                      domain={domain}
                      color={colour(c.position)}
                      whole={whole}
                      here={i === focus}
                      onFocus={() => setOwn({ cell: s.condition ?? null })}
                    />
                  ) : (
                    <td key={column} className="text-faint text-center">
                      ·
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      {focus >= 0 && (
        <section aria-label="The cell in focus" className="mt-2 flex items-baseline gap-x-5 gap-y-1 flex-wrap text-sm">
          <b className="font-semibold">{groupName(of[focus] as Slice)}</b>
          {all.map((t) => {
            const s = t.of[focus];
            const m = s?.metrics[info.name];
            return (
              <span key={t.c.position} className="flex items-center gap-1.5" data-focus-of={t.c.letter}>
                <Tile position={t.c.position} letter={t.c.letter} />
                {late ? PENDING : shown(m?.value)}
                {!late && m?.low != null && (
                  <span className="text-soft text-xs">
                    {shown(m.low)} to {shown(m.high)}
                  </span>
                )}
              </span>
            );
          })}
          <Ways of={of[focus] as Slice} />
        </section>
      )}
      <p className="text-sm text-soft font-serif italic mt-1 max-w-[95ch]">
        Filled, bold: separated from the other rows, after correction for {count(of.length)} cells; tinted where worse
        as well. Upright line: all rows. Under {results.settings.min_slice} rows: counts only.
      </p>
    </>
  );
}

type CellProps = {
  s: Slice;
  info: Read;
  alpha: number;
  late: boolean;
  domain: [number, number] | null;
  color: string;
  whole: number | null;
  here: boolean;
  onFocus: () => void;
};

function Cell({ s, info, alpha, late, domain, color, whole, here, onFocus }: CellProps) {
  const m = s.metrics[info.name];
  const apart = isApart(s, info.name, alpha);
  const worse = apart && isWorse(info, s.rest[info.name]?.difference ?? 0);
  return (
    <td
      className={`border p-0 align-top ${here ? "border-ink" : "border-light"} ${worse ? "bg-light" : "bg-sheet"}`}
      data-group={groupName(s)}
      data-apart={apart}
    >
      <button type="button" className="block text-left px-1.5 py-1 w-full min-w-24" onClick={onFocus}>
        <span className={apart ? "font-semibold" : ""} data-metric={info.name}>
          {late ? PENDING : shown(m?.value)}
        </span>{" "}
        <span className="text-xs text-soft">{count(s.rows)}</span>
        {!late && m?.value != null && (
          <Whisker of={m} domain={domain} color={color} ring={!apart} at={whole ?? undefined} />
        )}
      </button>
    </td>
  );
}
