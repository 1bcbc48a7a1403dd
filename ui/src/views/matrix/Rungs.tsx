import { type KeyboardEvent, useRef } from "react";
import type { Metric, Schemas } from "../../api/client";
import { Figure } from "../../app/Figure";
import { type Shown, useScope } from "../../app/scope";
import type { Interval } from "../../charts/scales";
import { Whisker, WhiskerRuler } from "../../charts/Whisker";
import { PENDING } from "../../parts/basics";
import { colour } from "../../parts/marks";
import { count, shown } from "../../parts/number";
import { type Cells, type Of, shareOf } from "./grid";
import type { Across } from "./MatrixView";

/** One candidate's matrix, with what is told of each class. */
export type Face = { c: Shown; cells: Cells; classes: (Schemas["ClassResult"] | undefined)[] };
/** A cell: actual class, predicted class; the class past the last is no answer. */
export type Place = [number, number];
/** The rows of a cell, or of a whole row, column or matrix: of any class where there is null. */
export type Rows = [number | null, number | null];

type Props = {
  faces: Face[];
  names: string[];
  order: number[];
  across: Across;
  of: Of;
  focus: Place | null;
  onFocus: (at: Place | null) => void;
  /** One less the other, where two are compared cell by cell. */
  less?: Schemas["CellsLess"] | null;
};

const SHARE: Interval = [0, 1];
const FULL = 5; // classes up to which every rung has its count; beyond, that of the first alone
const TIGHT = 12; // classes from which on cells are as small as their count

/** All candidates in one matrix: in each cell a rung each. Recall stands at the side, precision and the share that was
 * predicted under it. */
export function Rungs({ faces, names, order, across, of, focus, onFocus, less }: Props) {
  const { pending } = useScope();
  const table = useRef<HTMLTableElement>(null);
  const k = names.length;
  const width = Math.max(...faces.map((f) => f.cells[0]?.length ?? 0), k);
  const predicted = [...order, ...(width > k ? [k] : [])];
  const [rows, columns] = across === "predicted" ? [order, predicted] : [predicted, order];
  const called = (i: number) => (i < k ? (names[i] ?? "") : "no answer");
  const at = (row: number, column: number): Place => (across === "predicted" ? [row, column] : [column, row]);
  const down = across === "predicted" ? "actual" : "predicted";
  const tight = k > TIGHT;
  const digits = Math.max(...faces.flatMap((f) => f.cells.flat().map((n) => count(n).length)), 1); // bars are of one scale
  const { positiveLabel, results, words } = useScope();
  const p = k === 2 ? results.holdout.classes.indexOf(positiveLabel) : -1;
  const word = ([i, j]: Place) => {
    if (p < 0 || j >= k) return undefined;
    return i === p ? (j === p ? words.tp : words.fn) : j === p ? words.fp : words.tn;
  };
  const walk = (event: KeyboardEvent, row: number, column: number) => {
    const steps: Record<string, [number, number]> = {
      ArrowUp: [-1, 0],
      ArrowDown: [1, 0],
      ArrowLeft: [0, -1],
      ArrowRight: [0, 1],
    };
    const step = steps[event.key];
    if (!step) return;
    event.preventDefault();
    const [y, x] = [row + step[0], column + step[1]];
    const [i, j] = [rows[y], columns[x]];
    if (i === undefined || j === undefined) return;
    const to = at(i, j);
    table.current?.querySelector<HTMLElement>(`[data-cell='${to[0]}-${to[1]}'] button`)?.focus();
    onFocus(to);
  };
  const first = focus ?? at(rows[0] ?? 0, columns[0] ?? 0);
  const rule = less ? null : SHARE;
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by key
    <section className="relative overflow-auto max-h-[640px]" tabIndex={0} aria-label="Counts">
      <table ref={table} className="border-separate border-spacing-0.5" data-part="rungs">
        <thead>
          <tr className="text-sm text-left">
            <td className="sticky top-0 left-0 z-10 bg-paper align-bottom whitespace-nowrap pr-2 text-soft leading-tight">
              {across} →
              <br />
              {down} ↓
            </td>
            {columns.map((j) => (
              <th
                key={j}
                scope="col"
                className={`sticky top-0 bg-paper align-bottom leading-tight pb-0.5 px-1 truncate ${tight ? "max-h-28 text-xs font-normal [writing-mode:vertical-rl] rotate-180 text-left" : "max-w-28 font-semibold"}`}
                title={called(j)}
              >
                {called(j)}
              </th>
            ))}
            {across === "predicted" && rule && (
              <th scope="col" className="sticky top-0 bg-paper font-normal align-bottom pl-1.5">
                recall
                <WhiskerRuler domain={SHARE} />
              </th>
            )}
          </tr>
        </thead>
        <tbody>
          {rows.map((i, y) => (
            <tr key={i}>
              <th
                scope="row"
                className={`sticky left-0 bg-paper text-left pr-2 max-w-32 align-middle leading-tight ${tight ? "text-xs font-normal" : "text-sm"}`}
                title={called(i)}
              >
                <span className="block truncate">{called(i)}</span>
                {across === "predicted" && <RowsOf faces={faces} k={i} />}
              </th>
              {columns.map((j, x) => {
                const place = at(i, j);
                return (
                  <Cell
                    key={j}
                    faces={faces}
                    place={place}
                    of={of}
                    tight={tight}
                    wide={k === 2}
                    digits={digits}
                    word={word(place)}
                    numbered={k <= FULL}
                    pending={pending}
                    less={less ?? null}
                    focused={focus !== null && focus[0] === place[0] && focus[1] === place[1]}
                    reached={first[0] === place[0] && first[1] === place[1]}
                    label={`actual ${called(place[0])}, predicted ${called(place[1])}`}
                    onFocus={() => onFocus(place)}
                    onKeyDown={(event) => walk(event, y, x)}
                  />
                );
              })}
              {across === "predicted" && rule && (
                <td className="pl-1.5 align-middle">
                  <Margin faces={faces} k={i} name="recall" domain={rule} pending={pending} tight={tight} />
                </td>
              )}
            </tr>
          ))}
          {across === "predicted" && rule && !tight && (
            <>
              <Under faces={faces} columns={columns} k={k} title="precision" name="precision" pending={pending} />
              {faces.some((f) => f.classes.some((c) => c?.share_gap)) && (
                <Under
                  faces={faces}
                  columns={columns}
                  k={k}
                  title="share predicted"
                  note="line: share actual"
                  pending={pending}
                />
              )}
            </>
          )}
        </tbody>
      </table>
    </section>
  );
}

function RowsOf({ faces, k }: { faces: Face[]; k: number }) {
  const rows = [...new Set(faces.map((f) => f.classes[k]?.actual_rows))];
  if (rows.length !== 1 || rows[0] === undefined) return null;
  return <span className="block text-xs text-soft font-normal">{count(rows[0])} rows</span>;
}

type CellProps = {
  faces: Face[];
  place: Place;
  of: Of;
  tight: boolean;
  /** Whether there is room for shares beside counts. */
  wide: boolean;
  /** How many digits every count finds room for, so that all bars have the same. */
  digits: number;
  /** What the outcome is called, of two classes. */
  word: string | undefined;
  numbered: boolean;
  pending: boolean;
  less: Schemas["CellsLess"] | null;
  focused: boolean;
  reached: boolean;
  label: string;
  onFocus: () => void;
  onKeyDown: (event: KeyboardEvent) => void;
};

function Cell({
  faces,
  place,
  of,
  tight,
  wide,
  digits,
  word,
  numbered,
  pending,
  less,
  focused,
  reached,
  label,
  onFocus,
  onKeyDown,
}: CellProps) {
  const [i, j] = place;
  const right = i === j;
  const shares = faces.map((f) => shareOf(f.cells, i, j, of));
  const missed = faces.map((f) => shareOf(f.cells, i, j, "actual") ?? 0);
  const mean = missed.reduce((a, b) => a + b, 0) / Math.max(1, missed.length);
  const none = faces.every((f) => (f.cells[i]?.[j] ?? 0) === 0);
  const low = less?.low[i]?.[j] ?? null;
  const tested = less?.p_adjusted[i]?.[j] != null;
  const apart = tested && low !== null && (low > 0 || (less?.high[i]?.[j] ?? 0) < 0);
  const depth = pending || right ? 0 : less ? (apart ? 26 : 0) : none ? 0 : 8 + Math.round(60 * mean);
  const edge = focused ? "outline-2 outline outline-ink" : "";
  return (
    <td
      data-cell={`${i}-${j}`}
      data-apart={less ? apart : undefined}
      className={`border p-0 align-middle ${right ? "border-ink" : "border-rule"} ${edge}`}
      style={{
        background: right
          ? "var(--color-sheet)"
          : `color-mix(in srgb, var(--color-missed) ${depth}%, var(--color-sheet))`,
      }}
    >
      <button
        type="button"
        tabIndex={reached ? 0 : -1}
        className={`block w-full text-right tabular-nums cursor-pointer ${tight ? "min-w-9 px-1 text-xs" : wide ? "min-w-[13rem] px-2 py-1 text-sm" : "min-w-[4.5rem] px-1.5 py-0.5 text-sm"}`}
        onClick={onFocus}
        onKeyDown={onKeyDown}
      >
        <span className="sr-only">{label}: </span>
        {word && <span className={`block text-left text-xs ${right ? "text-soft" : ""}`}>{word}</span>}
        {less ? (
          <Less
            of={less}
            i={i}
            j={j}
            colours={faces.map((f) => colour(f.c.position))}
            apart={apart}
            pending={pending}
          />
        ) : tight ? (
          <span data-count={faces[0]?.c.letter} className={none ? "text-soft" : ""}>
            {pending ? PENDING : count(faces[0]?.cells[i]?.[j] ?? 0)}
          </span>
        ) : (
          faces.map((f, n) => {
            const share = shares[n] ?? null;
            return (
              <span key={f.c.position} className="flex items-center gap-1 leading-tight">
                <span className="flex-1 h-2">
                  {!pending && share !== null && (
                    <span
                      className="block h-2"
                      style={{
                        width: `${100 * share}%`,
                        minWidth: share > 0 ? 1.5 : 0,
                        background: colour(f.c.position),
                      }}
                    />
                  )}
                </span>
                <span className={right ? "font-semibold" : ""} style={{ width: `${digits}ch` }}>
                  {(numbered || n === 0) && (
                    <span data-count={f.c.letter}>{pending ? PENDING : count(f.cells[i]?.[j] ?? 0)}</span>
                  )}
                </span>
                {(wide || faces.length === 1) && (
                  <span className={`text-xs w-9 ${right ? "text-soft" : ""}`} data-share={f.c.letter}>
                    {pending ? PENDING : shown(share)}
                  </span>
                )}
              </span>
            );
          })
        )}
      </button>
    </td>
  );
}

type LessProps = {
  of: Schemas["CellsLess"];
  i: number;
  j: number;
  colours: string[];
  apart: boolean;
  pending: boolean;
};

/** One less the other: a bar to the side of the one that has more, filled where the data separates the two. */
function Less({ of, i, j, colours, apart, pending }: LessProps) {
  const [n, d] = [of.counts[i]?.[j] ?? 0, of.difference[i]?.[j] ?? null];
  if (pending) return <>{PENDING}</>;
  const side = (d ?? 0) > 0 ? 0 : 1;
  const bar = (
    <span
      className="block h-2 border"
      style={{
        width: `${100 * Math.min(1, Math.abs(d ?? 0))}%`,
        minWidth: d ? 5 : 0, // so that a hollow one is seen to be hollow
        borderColor: colours[side],
        background: apart ? colours[side] : "transparent",
      }}
    />
  );
  const ends = of.low[i]?.[j] == null ? "" : ` (${shown(of.low[i]?.[j])} to ${shown(of.high[i]?.[j])})`;
  return (
    <span className="block" title={`${d === null ? "no rows" : shown(d)}${ends} of the actual class`}>
      <span className="grid grid-cols-2 divide-x divide-faint h-2 my-0.5">
        <span className="flex justify-end">{side === 0 && bar}</span>
        <span className="flex">{side === 1 && bar}</span>
      </span>
      <span data-less>{n > 0 ? `+${count(n)}` : n < 0 ? `−${count(-n)}` : "0"}</span>
    </span>
  );
}

type MarginProps = {
  faces: Face[];
  k: number;
  name: "recall" | "precision";
  domain: Interval;
  pending: boolean;
  tight: boolean;
};

function Margin({ faces, k, name, domain, pending, tight }: MarginProps) {
  const { results, many } = useScope();
  const label = results.holdout.classes[k];
  const positive = label === results.holdout.positive;
  return (tight ? faces.slice(0, 1) : faces).map((f) => {
    const m = (f.classes[k]?.[name] as Metric | undefined) ?? { value: null, why: "not computed" };
    return (
      <span
        key={f.c.position}
        className="flex items-center gap-1.5 leading-tight text-sm"
        data-margin={`${name}-${f.c.letter}`}
      >
        {pending ? <span className="w-[72px]" /> : <Whisker of={m} domain={domain} color={colour(f.c.position)} />}
        {label === undefined || faces[0]?.classes.length !== results.holdout.classes.length ? (
          <span title={m.why ?? undefined}>{pending ? PENDING : shown(m.value)}</span>
        ) : (
          <Figure
            candidate={f.c.result.name}
            metric={many || positive ? name : "specificity"}
            value={m}
            of={many ? label : undefined}
            pending={pending}
          />
        )}
      </span>
    );
  });
}

type UnderProps = {
  faces: Face[];
  columns: number[];
  k: number;
  title: string;
  note?: string;
  name?: "precision";
  pending: boolean;
};

/** A row of whiskers under the columns: precision, or the share that was predicted against the share that was so. */
function Under({ faces, columns, k, title, note, name, pending }: UnderProps) {
  const { results } = useScope();
  const alpha = 1 - results.settings.confidence;
  const gaps = faces.flatMap((f) => f.classes.map((c) => c?.share_gap));
  const most = Math.max(...gaps.flatMap((g) => [g?.predicted?.high ?? 0, g?.actual?.value ?? 0]));
  const domain: Interval = name ? SHARE : [0, Math.min(1, Math.ceil(most * 5) / 5)];
  return (
    <tr className="align-top">
      <th scope="row" className="sticky left-0 bg-paper text-left text-sm pr-2 pt-2 leading-tight">
        {title}
        {note && <span className="block text-xs text-soft font-normal">{note}</span>}
      </th>
      {columns.map((j) => (
        <td key={j} className="pt-2 px-1">
          {j < k &&
            !pending &&
            faces.map((f) => {
              const one = f.classes[j];
              const gap = one?.share_gap;
              const m: Metric = (name ? (one?.[name] as Metric | undefined) : gap?.predicted) ?? { value: null };
              const actual = name ? undefined : (gap?.actual?.value ?? undefined);
              const said = name ? "" : `${f.c.name}: predicted ${shown(m.value)}, actual ${shown(actual)}`;
              return (
                <span
                  key={f.c.position}
                  className="block"
                  title={said || undefined}
                  data-under={`${title}-${f.c.letter}-${j}`}
                >
                  <Whisker
                    of={m}
                    domain={domain}
                    color={colour(f.c.position)}
                    at={actual}
                    ring={!name && gap?.p_adjusted != null && gap.p_adjusted > alpha}
                  />
                  <span className="sr-only">{shown(m.value)}</span>
                </span>
              );
            })}
          {j < k && <WhiskerRuler domain={domain} bare />}
        </td>
      ))}
    </tr>
  );
}
