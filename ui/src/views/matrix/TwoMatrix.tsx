import { Figure } from "../../app/Figure";
import { metricOf, type Shown, useScope } from "../../app/scope";
import { PENDING, Tile } from "../../parts/basics";
import { colour } from "../../parts/marks";
import { asSet, count, shown } from "../../parts/number";
import type { Across } from "./MatrixView";

type Outcome = "tp" | "fn" | "fp" | "tn";
type Place = {
  key: string;
  rows: number;
  of: number;
  right: boolean;
  missed: boolean;
  word: string;
  outcome?: Outcome;
};

/** Each outcome's share of its actual class, by the name it has in the results. */
const SHARE = { tp: "recall", fn: "fnr", fp: "fpr", tn: "specificity" } as const;

/** The matrix of two classes, with a column of its own for rows without an answer where there are any. */
export function TwoMatrix({ c, across }: { c: Shown; across: Across }) {
  const { positive, negative, words } = useScope();
  const n = c.part.outcomes;
  const missing = n ? n.unanswered_positive + n.unanswered_negative : 0;
  const cells: Place[][] = n
    ? [
        [
          { key: "tn", outcome: "tn", rows: n.tn, of: 0, right: true, missed: false, word: words.tn },
          { key: "fp", outcome: "fp", rows: n.fp, of: 0, right: false, missed: false, word: words.fp },
        ],
        [
          // of the missed, those that got an answer: the others stand in the column of their own
          {
            key: "fn",
            outcome: missing ? undefined : "fn",
            rows: n.fn - n.unanswered_positive,
            of: n.tp + n.fn,
            right: false,
            missed: true,
            word: words.fn,
          },
          { key: "tp", outcome: "tp", rows: n.tp, of: 0, right: true, missed: false, word: words.tp },
        ],
      ]
    : [];
  if (n && missing)
    [
      { rows: n.unanswered_negative, of: n.tn + n.fp + n.unanswered_negative, missed: false },
      { rows: n.unanswered_positive, of: n.tp + n.fn, missed: true },
    ].forEach((one, i) => {
      cells[i]?.push({ key: `none${i}`, right: false, word: "without an answer", ...one });
    });
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
      {n ? (
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
                  <Cell key={place.key} c={c} place={place} />
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

function Cell({ c, place }: { c: Shown; place: Place }) {
  const { outcome, rows, right, missed, word } = place;
  const share = outcome ? metricOf(c.part, SHARE[outcome]).value : place.of > 0 ? rows / place.of : null;
  const tint = missed ? "var(--color-missed)" : "var(--color-needless)";
  const depth = share === null || right || rows === 0 || c.pending ? 0 : 12 + Math.round(45 * share);
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
      <span className="block h-1 mt-1.5 bg-light">
        {!c.pending && (
          <span className="block h-1" style={{ width: `${100 * (share ?? 0)}%`, background: colour(c.position) }} />
        )}
      </span>
    </td>
  );
}
