import { Figure } from "../../app/Figure";
import { type Shown, useScope } from "../../app/scope";
import { PENDING, Tile } from "../../parts/basics";
import { colour } from "../../parts/marks";
import { asSet, count, shown } from "../../parts/number";
import { type Of, shareOf } from "./grid";
import type { Across } from "./MatrixView";

type Outcome = "tp" | "fn" | "fp" | "tn";
type Place = {
  key: string;
  at: [number, number];
  rows: number;
  /** Of its actual class: what tints an error. */
  missing: number | null;
  /** Of what the view reads: actual class, predicted class, all rows. */
  share: number | null;
  right: boolean;
  missed: boolean;
  word: string;
  outcome?: Outcome;
};

type Props = { c: Shown; across: Across; of: Of; onRows: (at: [number, number]) => void };

/** The matrix of two classes, with a column of its own for rows without an answer where there are any. */
export function TwoMatrix({ c, across, of, onRows }: Props) {
  const { positive, negative, words, results, positiveLabel } = useScope();
  const { matrix, shares } = c.part;
  const p = results.holdout.classes.indexOf(positiveLabel);
  const missing = (matrix?.[0]?.length ?? 0) > 2;
  const place = (isPositive: boolean, said: number | null): Place => {
    const [i, j] = [isPositive ? p : 1 - p, said ?? 2];
    const outcome: Outcome = isPositive ? (said === p ? "tp" : "fn") : said === p ? "fp" : "tn";
    const right = said !== null && isPositive === (said === p);
    return {
      at: [i, j],
      key: said === null ? `none${Number(isPositive)}` : outcome,
      // of the missed, those that got an answer: the others stand in the column of their own
      outcome: said === null || (missing && outcome === "fn") ? undefined : outcome,
      rows: matrix?.[i]?.[j] ?? 0,
      missing: shares?.[i]?.[j] ?? null,
      share: (of === "actual" ? shares?.[i]?.[j] : matrix && shareOf(matrix, i, j, of)) ?? null,
      right,
      missed: isPositive && !right,
      word: said === null ? "without an answer" : words[outcome],
    };
  };
  const cells: Place[][] = matrix
    ? [false, true].map((isPositive) => [1 - p, p, ...(missing ? [null] : [])].map((said) => place(isPositive, said)))
    : [];
  const predicted = [negative, positive, ...(missing ? ["no answer"] : [])];
  const actual = [negative, positive];
  const turned = across === "actual";
  const rows = turned ? predicted.map((_, j) => cells.map((row) => row[j] as Place)) : cells;
  const [downNames, acrossNames] = turned ? [predicted, actual] : [actual, predicted];
  const down = turned ? "predicted" : "actual";
  const named = (axis: string, name: string) => (name === "no answer" ? name : `${axis} ${name}`);
  return (
    <section aria-label={`Matrix of ${c.name}`} className="min-w-0">
      <h2 className="font-sans font-semibold text-base flex items-center gap-2 mb-1 min-w-0">
        <Tile position={c.position} letter={c.letter} />
        <span className="truncate" title={c.name}>
          {c.name}
        </span>
        <span className="text-soft font-normal text-sm whitespace-nowrap">
          {c.shownCutoff === null ? "classes only" : `≥ ${asSet(c.shownCutoff)}`}
        </span>
      </h2>
      {matrix ? (
        <table className="w-full table-fixed border-separate border-spacing-0.5" data-matrix={c.letter}>
          <thead>
            <tr className="text-sm text-soft text-left">
              <td className="w-[84px]" />
              {acrossNames.map((name) => (
                <th key={name} scope="col" className="font-normal pb-0.5 truncate" title={name}>
                  {named(across, name)}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row, i) => (
              <tr key={downNames[i]}>
                <th
                  scope="row"
                  className="text-sm text-soft font-normal text-left align-middle pr-2 break-words"
                  title={downNames[i]}
                >
                  {named(down, downNames[i] ?? "")}
                </th>
                {row.map((place) => (
                  <Cell key={place.key} c={c} place={place} onRows={() => onRows(place.at)} />
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      ) : (
        <p className="text-soft">{c.result.cutoff?.why ?? "no class is predicted"}</p>
      )}
    </section>
  );
}

function Cell({ c, place, onRows }: { c: Shown; place: Place; onRows: () => void }) {
  const { outcome, rows, share, missing, right, missed, word } = place;
  const tint = missed ? "var(--color-missed)" : "var(--color-needless)";
  const depth = missing === null || right || rows === 0 || c.pending ? 0 : 12 + Math.round(45 * missing);
  const large = "text-[19px] font-semibold leading-tight";
  return (
    <td
      data-outcome={place.key}
      className={`border px-3 pt-2 pb-1 align-top ${right ? "border-ink bg-sheet" : "border-rule"}`}
      style={right ? undefined : { background: `color-mix(in srgb, ${tint} ${depth}%, var(--color-sheet))` }}
    >
      {outcome ? (
        <Figure
          candidate={c.result.name}
          metric={outcome}
          value={{ value: rows }}
          whole
          pending={c.pending}
          className={large}
        />
      ) : (
        <span className={large}>{c.pending ? PENDING : count(rows)}</span>
      )}
      <span className="block text-sm">
        {c.pending ? PENDING : shown(share)} <span className={right ? "text-soft" : ""}>{word}</span>
      </span>
      <button
        type="button"
        className={`text-xs underline underline-offset-2 ${right ? "text-soft" : ""}`}
        onClick={onRows}
      >
        rows
      </button>
      <span className="block h-1 mt-1 bg-light">
        {!c.pending && (
          <span className="block h-1" style={{ width: `${100 * (share ?? 0)}%`, background: colour(c.position) }} />
        )}
      </span>
    </td>
  );
}
