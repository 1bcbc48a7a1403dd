import { useParts, useShownKeeping } from "../../api/queries";
import { Drafted } from "../../app/Drafted";
import { useKeys } from "../../app/keys";
import { pairOf } from "../../app/pair";
import { useOwn, useScope } from "../../app/scope";
import { saveCsv } from "../../charts/save";
import { Fault, Loading, Tile, ViewHead } from "../../parts/basics";
import { Choice } from "../../parts/Choice";
import { asSet } from "../../parts/number";
import { Averages, LessAverages } from "./Averages";
import { Classes } from "./Classes";
import { Confusions } from "./Confusions";
import { type Cells, groupsOf, type Of, type Order, ordered } from "./grid";
import { Merging } from "./Merging";
import { Pair } from "./Pair";
import { RowsStrip, rowsAt } from "./RowsStrip";
import { type Face, type Place, Rungs } from "./Rungs";
import { TwoMatrix } from "./TwoMatrix";

/** What stands across; the other stands down. */
export type Across = "predicted" | "actual";
export type Mode = "together" | "each" | "less";

const TOGETHER = 12; // classes up to which several candidates find room in one matrix
const MOST = 6; // candidates that do
const FEW = 5; // classes up to which a matrix is taken in at a glance

type Means = Record<string, Record<string, import("../../api/client").Metric> | undefined>;

export function MatrixView() {
  const { study, split, slice, chosen, results, many, pending, called, own, setOwn, query, few, cutoffs, mayWrite } =
    useScope();
  const [across, setAcross] = useOwn<Across>("across", study.across === "actual" ? TURNED : STANDING);
  const keeping = useShownKeeping(study.id);
  const [of, setOf] = useOwn<Of>("bars", ["actual", "predicted", "all"]);
  const [order, setOrder] = useOwn<Order>("order", ["study", "rows", "name", "taken"]);
  const { classes } = results.holdout;
  const told = chosen.filter((c) => c.part.matrix);
  const roomy = classes.length <= TOGETHER && told.length > 1 && told.length <= MOST;
  const modes: [Mode, ...Mode[]] = roomy ? ["together", "each", "less"] : told.length > 1 ? ["each", "less"] : ["each"];
  const [mode, setMode] = useOwn<Mode>("mode", modes);
  const merge = many ? groupsOf(own.merge, classes.length) : null;
  const merging = useParts(study.id, merge ? { kinds: ["merged"], split, cutoffs: "", within: slice, merge } : null);
  const pair = mode === "less" && !merge ? pairOf(own.pair, told) : null;
  const paired = useParts(
    study.id,
    pair && !few
      ? { kinds: ["cells"], split, cutoffs: query, within: slice, pair: [pair[0].position, pair[1].position] }
      : null,
  );
  useKeys({ x: () => setAcross(across === "predicted" ? "actual" : "predicted") });
  const found = new Map((merging.data?.candidates ?? []).map((c) => [c.name, c.splits?.[split]?.merged]));
  const grouped = merge ? [...found.values()][0]?.classes : undefined;
  const names = merge ? (grouped ?? []) : classes.map(called);
  const faces = told.flatMap((c): (Face & { means: Means })[] => {
    const one = merge ? found.get(c.result.name) : c.part;
    if (!one?.matrix) return [];
    const labels = merge ? (grouped ?? []) : classes;
    return [{ c, cells: one.matrix, classes: labels.map((x) => one.per_class?.[x]), means: one.averages ?? {} }];
  });
  const compared = pair ? faces.filter((f) => f.c === pair[0] || f.c === pair[1]) : faces;
  const sums: Cells = names.map((_, i) =>
    (faces[0]?.cells[0] ?? []).map((_, j) => faces.reduce((all, f) => all + (f.cells[i]?.[j] ?? 0), 0)),
  );
  const standing = ordered(sums, names, order);
  const behind = merge ? null : rowsAt(own.cell, names.length);
  const [i, j] = behind ?? [null, null];
  const focus: Place | null = i !== null && j !== null ? [i, j] : null;
  const setFocus = (at: Place | null) => setOwn({ cell: at?.join("-") ?? null });
  const unsaid = () => setOwn({ across: null });
  const save = () => saveMatrix(faces, merge ? names : classes, split, slice, cutoffs);
  const plain = !many && mode === "each";
  const rungs = { names, order: standing, across, of, focus, onFocus: setFocus };
  const less = pair && paired.data?.candidates?.find((c) => c.name === pair[0].result.name)?.splits?.[split]?.cells;
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
      <div className="flex items-baseline gap-x-4 gap-y-1.5 flex-wrap text-sm text-soft mb-3">
        {modes.length > 1 && (
          <Choice name="candidates" value={mode} options={modes.map((m) => [m, MODES[m]])} onChange={setMode} />
        )}
        {mode === "less" && !merge && <Pair told={told} />}
        {mode !== "less" && (
          <label className="flex items-baseline gap-1.5">
            {plain ? "shares" : "bars"}
            <select
              className={SELECT}
              aria-label={plain ? "Shares" : "Bars"}
              value={of}
              onChange={(e) => setOf(e.target.value as Of)}
            >
              <option value="actual">share of actual</option>
              <option value="predicted">share of predicted</option>
              <option value="all">share of all rows</option>
            </select>
          </label>
        )}
        {many && (
          <label className="flex items-baseline gap-1.5">
            classes by
            <select
              className={SELECT}
              aria-label="Order"
              value={order}
              onChange={(e) => setOrder(e.target.value as Order)}
            >
              <option value="study">the study</option>
              <option value="rows">rows</option>
              <option value="name">name</option>
              <option value="taken">who is taken for whom</option>
            </select>
          </label>
        )}
        {many && <Merging merge={merge} />}
        <button
          type="button"
          className="link"
          onClick={() => setAcross(across === "predicted" ? "actual" : "predicted")}
        >
          swap the axes
        </button>
        {mayWrite && across !== study.across && (
          <button
            type="button"
            className="link"
            disabled={keeping.isPending}
            onClick={() =>
              keeping.mutate({ metrics: study.headline, across }, { onSuccess: () => own.across && unsaid() })
            }
          >
            keep them so
          </button>
        )}
      </div>
      <Fault error={merging.error ?? paired.error} again={() => void (merge ? merging : paired).refetch()} />
      {merge && !merging.data && !merging.error && <Loading what="Taking classes together" />}
      {plain ? (
        <div className="grid gap-x-8 gap-y-6 grid-cols-[repeat(auto-fill,minmax(345px,1fr))] max-w-[860px]">
          {chosen.map((c) => (
            <TwoMatrix key={c.position} c={c} across={across} of={of} onRows={setFocus} />
          ))}
        </div>
      ) : (
        faces.length > 0 && (
          <div className="flex gap-x-4 gap-y-4 flex-wrap items-start">
            <div
              className={`flex-1 max-w-full space-y-5 overflow-hidden ${names.length > FEW && names.length <= TOGETHER ? "min-w-full" : "min-w-[min(100%,34rem)]"}`}
            >
              {mode === "each" ? (
                faces.map((f) => (
                  <section key={f.c.position} aria-label={`Matrix of ${f.c.name}`} data-matrix={f.c.letter}>
                    <h2 className="font-sans font-semibold text-base flex items-center gap-2 mb-1 break-words">
                      <Tile position={f.c.position} letter={f.c.letter} />
                      {f.c.name}
                    </h2>
                    <Rungs {...rungs} faces={[f]} />
                  </section>
                ))
              ) : pair && !less ? (
                <Loading what="Comparing cell by cell" />
              ) : (
                <Rungs {...rungs} faces={compared} less={pair ? less : null} />
              )}
              {many && pair && <LessAverages pair={pair} />}
            </div>
            {mode !== "less" && !few && names.length > 0 && (
              <div
                className={
                  names.length > FEW && names.length <= TOGETHER
                    ? "grid grid-cols-[repeat(auto-fit,minmax(12.6rem,1fr))] gap-6 w-full max-w-[44rem]"
                    : "w-[12.6rem] shrink-0 space-y-4"
                }
              >
                {many && <Averages faces={faces} />}
                {many && names.length > FEW && (
                  <Confusions faces={faces} names={names} onFocus={merge ? undefined : setFocus} />
                )}
              </div>
            )}
          </div>
        )
      )}
      {!plain && told.length < chosen.length && (
        <p className="text-sm text-soft mt-2">
          {chosen
            .filter((c) => !c.part.matrix)
            .map((c) => `${c.name}: ${c.result.cutoff?.why ?? "no class is predicted"}`)
            .join("; ")}
        </p>
      )}
      {behind && faces.length > 0 && <RowsStrip faces={faces} at={behind} onClose={() => setFocus(null)} />}
      {!merge && <Classes />}
      {chosen.length > 0 && <Caption mode={mode} many={many} plain={plain} of={of} pair={pair?.map((c) => c.letter)} />}
    </>
  );
}

const STANDING: [Across, Across] = ["predicted", "actual"];
const TURNED: [Across, Across] = ["actual", "predicted"];
const SELECT = "border border-rule bg-sheet rounded-md px-1.5 py-0.5 text-ink";
const MODES: Record<Mode, string> = { together: "together", each: "one by one", less: "one less another" };
const OF: Record<Of, string> = { actual: "actual class", predicted: "predicted class", all: "rows" };

type CaptionProps = { mode: Mode; many: boolean; plain: boolean; of: Of; pair?: string[] };

function Caption({ mode, many, plain, of, pair }: CaptionProps) {
  const { positive, negative } = useScope();
  const keys = (
    <>
      {" "}
      Arrow keys walk from cell to cell, the rows follow; <span className="kbd not-italic">x</span> swaps the axes.
    </>
  );
  return (
    <p className="text-sm text-soft font-serif italic mt-4 max-w-[90ch]">
      {plain ? (
        <>
          Shares are{" "}
          {of === "actual"
            ? `of the actual class: of the rows whose actual class is “${positive}” or “${negative}”, how many were predicted so`
            : of === "predicted"
              ? `of the predicted class: of the rows that were predicted “${positive}” or “${negative}”, how many are so`
              : "of all rows"}
          . A correct cell keeps the paper and an ink edge; an error darkens as it takes more of its actual class.
        </>
      ) : mode === "less" && pair ? (
        <>
          Bars: the share of the actual class that {pair[0]} predicts so less the share that {pair[1]} does; to the left
          where {pair[0]} has more. Filled and tinted: separated after correction for all cells, else hollow. Numbers:
          rows.{keys}
        </>
      ) : (
        <>
          Bars: share of the {OF[of]}. Tint: the share of the actual class that is missed so
          {mode === "together" && ", the mean of all"}. Framed in ink: right.{" "}
          {many && "Share predicted: filled where it is separated from the actual share."}
          {keys}
        </>
      )}
    </p>
  );
}

function saveMatrix(faces: Face[], classes: string[], split: string, slice: string[], cutoffs: Record<number, number>) {
  const width = Math.max(...faces.map((f) => f.cells[0]?.length ?? 0), classes.length);
  const columns = [...classes.map((c) => `predicted ${c}`), ...(width > classes.length ? ["no answer"] : [])];
  saveCsv(
    [
      ["candidate", "split", ...slice.map(() => "slice"), "cutoff", "actual", ...columns],
      ...faces.flatMap((f) =>
        classes.map((label, i) => [
          f.c.name,
          split,
          ...slice,
          cutoffs[f.c.position] === undefined ? null : asSet(cutoffs[f.c.position] ?? 0),
          label,
          ...columns.map((_, j) => f.cells[i]?.[j] ?? 0),
        ]),
      ),
    ],
    `matrix-${split}`,
  );
}
