import { useState } from "react";
import { useSentence } from "../../api/queries";
import { colour, outcomes, type Shown, useScope } from "../../app/scope";
import { saveCsv } from "../../charts/save";
import { Button, Sentence, Tile, ViewHead } from "../../parts/basics";
import { Figure } from "../../parts/Figure";
import { shown } from "../../parts/number";
import { ManyMatrix } from "./ManyMatrix";

type Key = "tp" | "fn" | "fp" | "tn";

/** Each cell's share of its actual class, by the name it has in the results. */
const SHARE = { tp: "recall", fn: "fnr", fp: "fpr", tn: "specificity" } as const;

export function MatrixView() {
  const { study, split, show, query, chosen, positive, negative, results, many } = useScope();
  const sentence = useSentence(study.id, { view: "matrix", split, show, cutoffs: query }).data?.sentence;
  const [across, setAcross] = useState<"said" | "was">("said");
  const save = () =>
    saveCsv(
      [
        ["candidate", "split", "actual", ...results.holdout.classes.map((c) => `predicted ${c}`)],
        ...chosen.flatMap((c) =>
          results.holdout.classes.map((label, i) => [c.name, split, label, ...(c.part.matrix?.[i] ?? [])]),
        ),
      ],
      `matrix-${split}`,
    );
  return (
    <>
      <ViewHead
        title="Matrix"
        note={
          <>
            {across === "said"
              ? "down: what it was · across: what was said"
              : "down: what was said · across: what it was"}{" "}
            · tint: an error’s share of what it was ·{" "}
            <button type="button" className="link" onClick={save}>
              save CSV
            </button>
          </>
        }
      />
      {sentence && <Sentence>{sentence}</Sentence>}
      <div className="mb-3">
        <Button onClick={() => setAcross(across === "said" ? "was" : "said")}>Swap the axes</Button>
      </div>
      <div
        className={
          many ? "grid gap-y-7" : "grid gap-x-8 gap-y-6 grid-cols-[repeat(auto-fill,minmax(345px,1fr))] max-w-[860px]"
        }
      >
        {chosen.map((c) =>
          many ? (
            <ManyMatrix key={c.position} c={c} across={across} />
          ) : (
            <OneMatrix key={c.position} c={c} across={across} />
          ),
        )}
      </div>
      <p className="text-sm text-soft mt-5 max-w-[80ch]">
        Shares are of the actual class: of the rows that were {many ? "of a class" : `“${positive}” or “${negative}”`},
        how many were called so. A correct cell keeps the paper and an ink edge; an error darkens as it takes more of
        its class.
      </p>
    </>
  );
}

function OneMatrix({ c, across }: { c: Shown; across: "said" | "was" }) {
  const { positive, negative, words } = useScope();
  const cells: Key[][] =
    across === "said"
      ? [
          ["tn", "fp"],
          ["fn", "tp"],
        ]
      : [
          ["tn", "fn"],
          ["fp", "tp"],
        ];
  const down = across === "said" ? "was" : "said";
  return (
    <section aria-label={`Matrix of ${c.name}`}>
      <h2 className="font-sans font-semibold text-base flex items-center gap-2 mb-1">
        <Tile position={c.position} letter={c.letter} />
        {c.name}
        <span className="text-soft font-normal text-sm">
          {c.shownCutoff === null ? "classes only" : `≥ ${shown(c.shownCutoff)}`}
        </span>
      </h2>
      <table className="w-full table-fixed border-separate border-spacing-0.5" data-matrix={c.letter}>
        <thead>
          <tr className="text-sm text-soft text-left">
            <td className="w-[84px]" />
            {[negative, positive].map((name) => (
              <th key={name} scope="col" className="font-normal pb-0.5 truncate">
                {across} {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {cells.map((row, i) => (
            <tr key={row.join()}>
              <th scope="row" className="text-sm text-soft font-normal text-left align-middle pr-2 break-words">
                {down} {i === 0 ? negative : positive}
              </th>
              {row.map((key) => (
                <Cell key={key} c={c} outcome={key} word={words[key]} />
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Cell({ c, outcome, word }: { c: Shown; outcome: Key; word: string }) {
  const { results } = useScope();
  const n = outcomes(results, c.part);
  const rows = n[outcome];
  const share = c.part.metrics[SHARE[outcome]]?.value ?? null;
  const right = outcome === "tp" || outcome === "tn";
  const tint = outcome === "fn" ? "var(--color-missed)" : "var(--color-needless)";
  const depth = share === null || right || rows === 0 ? 0 : 12 + Math.round(45 * share);
  return (
    <td
      data-outcome={outcome}
      className={`border px-3 pt-2 pb-1 align-top ${right ? "border-ink bg-sheet" : "border-rule"}`}
      style={right ? undefined : { background: `color-mix(in srgb, ${tint} ${depth}%, var(--color-sheet))` }}
    >
      <Figure
        candidate={c.result.name}
        metric={outcome}
        value={{ value: rows }}
        whole
        className="text-[19px] font-semibold leading-tight"
      />
      <span className="block text-sm">
        {share === null ? "—" : shown(share)} <span className={right ? "text-soft" : ""}>{word}</span>
      </span>
      <span className="block h-1 mt-1.5 bg-light">
        <span className="block h-1" style={{ width: `${100 * (share ?? 0)}%`, background: colour(c.position) }} />
      </span>
    </td>
  );
}
