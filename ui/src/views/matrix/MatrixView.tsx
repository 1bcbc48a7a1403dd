import { Drafted } from "../../app/Drafted";
import { useOwn, useScope } from "../../app/scope";
import { saveCsv } from "../../charts/save";
import { Button, ViewHead } from "../../parts/basics";
import { Classes } from "./Classes";
import { ManyMatrix } from "./ManyMatrix";
import { TwoMatrix } from "./TwoMatrix";

/** What stands across; the other stands down. */
export type Across = "predicted" | "actual";

export function MatrixView() {
  const { split, slice, chosen, positive, negative, results, many, pending } = useScope();
  const [across, setAcross] = useOwn<Across>("across", ["predicted", "actual"]);
  const { classes } = results.holdout;
  const save = () => {
    const width = Math.max(...chosen.map((c) => c.part.matrix?.[0]?.length ?? 0), classes.length);
    const columns = [...classes.map((c) => `predicted ${c}`), ...(width > classes.length ? ["no answer"] : [])];
    saveCsv(
      [
        ["candidate", "split", ...slice.map(() => "slice"), "cutoff", "actual", ...columns],
        ...chosen.flatMap((c) =>
          classes.map((label, i) => [
            c.name,
            split,
            ...slice,
            c.shownCutoff,
            label,
            ...columns.map((_, j) => c.part.matrix?.[i]?.[j] ?? (c.part.matrix ? 0 : null)),
          ]),
        ),
      ],
      `matrix-${split}`,
    );
  };
  const Matrix = many ? ManyMatrix : TwoMatrix;
  return (
    <>
      <ViewHead
        title="Matrix"
        note={
          <>
            down: {across === "predicted" ? "actual class" : "predicted class"} · across:{" "}
            {across === "predicted" ? "predicted class" : "actual class"} ·{" "}
            <button type="button" className="link" disabled={pending} onClick={save}>
              save CSV
            </button>
          </>
        }
      />
      <Drafted view="matrix" />
      <div className="mb-3">
        <Button onClick={() => setAcross(across === "predicted" ? "actual" : "predicted")}>Swap the axes</Button>
      </div>
      <div
        className={
          many ? "grid gap-y-7" : "grid gap-x-8 gap-y-6 grid-cols-[repeat(auto-fill,minmax(345px,1fr))] max-w-[860px]"
        }
      >
        {chosen.map((c) => (
          <Matrix key={c.position} c={c} across={across} />
        ))}
      </div>
      <Classes />
      {chosen.length > 0 && (
        <p className="text-sm text-soft mt-5 max-w-[80ch]">
          Shares are of the actual class: of the rows whose actual class is{" "}
          {many ? "the row’s" : `“${positive}” or “${negative}”`}, how many were predicted so. A correct cell keeps the
          paper and an ink edge; an error darkens as it takes more of its class.
        </p>
      )}
    </>
  );
}
