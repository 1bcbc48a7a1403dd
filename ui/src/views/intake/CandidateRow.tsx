import type { Schemas } from "../../api/client";
import { type JoinQuery, useJoin } from "../../api/queries";
import { Button, Tile } from "../../parts/basics";
import { Entry } from "../../parts/Entry";
import { count, letterOf, several } from "../../parts/number";
import type { Answers } from "./answers";
import { MadeWith } from "./MadeWith";
import { probabilitiesOf } from "./mapping";
import { Pick as PickOne } from "./Pick";

type Upload = Schemas["UploadOut"];

const KINDS = { score: "a score", probabilities: "probabilities", predicted: "a class" } as const;
const NO_ANSWER = { error: "stop the study", wrong: "count as wrong", left_out: "are left out" } as const;

type RowProps = {
  a: Answers;
  position: number;
  askId: boolean;
  /** The classes where there are three or more, each of which has a column of probabilities. */
  classes: string[] | null;
  join: JoinQuery | null;
  onChange: (change: Partial<Answers>) => void;
  onRemove: () => void;
};

/** One candidate's file: its name, its columns, how it joins. */
export function CandidateRow({ a, position, askId, classes, join, onChange, onRemove }: RowProps) {
  const names = a.upload.columns.map((c) => c.name);
  const first = a.upload.columns.find((c) => c.name === a.column)?.first.slice(0, 3) ?? [];
  return (
    <div className="border border-rule bg-sheet rounded-md px-3 py-2.5 mt-2" data-candidate-row={position}>
      <div className="flex items-center gap-2 mb-2">
        <Tile position={position} letter={letterOf(position)} />
        <input
          aria-label="Name of the candidate"
          className="field flex-1"
          value={a.name}
          maxLength={80}
          onChange={(e) => onChange({ name: e.target.value })}
        />
        <span className="text-sm text-soft">
          {a.upload.name}, {several(a.upload.rows, "row")}
        </span>
        <Button kind="bare" aria-label={`Remove ${a.name}`} onClick={onRemove}>
          ×
        </Button>
      </div>
      <div className="grid grid-cols-4 gap-3 items-start">
        {askId && <PickOne label="Row id" value={a.id} options={names} onPick={(id) => onChange({ id })} />}
        <PickOne
          label="Output"
          value={KINDS[a.kind]}
          options={classes ? [KINDS.probabilities, KINDS.predicted] : [KINDS.score, KINDS.predicted]}
          onPick={(said) =>
            onChange({ kind: (Object.keys(KINDS) as Answers["kind"][]).find((k) => KINDS[k] === said) ?? "predicted" })
          }
        />
        {a.kind === "probabilities" ? (
          <Probabilities u={a.upload} classes={classes ?? []} />
        ) : (
          <PickOne
            label={a.kind === "score" ? "Score column" : "Predicted class column"}
            value={a.column}
            options={names}
            guess={a.kind === "score" ? a.upload.guess.score : a.upload.guess.predicted}
            onPick={(c) => onChange({ column: c })}
          />
        )}
        {a.kind === "score" && (
          <Entry
            label="Cutoff to start from"
            type="number"
            step="any"
            value={a.cutoff}
            onSay={(cutoff) => onChange({ cutoff })}
          />
        )}
      </div>
      <p className="text-sm text-soft mt-1.5 flex gap-4">
        <span className="flex-1">
          {a.kind !== "probabilities" && first.length > 0 && `${a.column} begins: ${first.join(", ")}`}
        </span>
        <label>
          <input type="checkbox" checked={a.runs_now} onChange={(e) => onChange({ runs_now: e.target.checked })} /> runs
          now
        </label>
      </p>
      {join && <JoinLine join={join} />}
      <label className="text-sm text-soft flex items-center gap-2 mt-1">
        Rows without an answer
        <select
          className="field w-auto py-0.5"
          value={a.no_answer}
          onChange={(e) => onChange({ no_answer: e.target.value as Answers["no_answer"] })}
        >
          {Object.entries(NO_ANSWER).map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
      </label>
      <details className="text-sm mt-1" open={a.reason !== "" || a.priced !== ""}>
        <summary className="cursor-pointer text-soft">How it was made, and what it costs</summary>
        <MadeWith u={a.upload} value={a} onChange={onChange} />
      </details>
    </div>
  );
}

/** Which column holds each class's probability, found by name. */
function Probabilities({ u, classes }: { u: Upload; classes: string[] }) {
  const found = probabilitiesOf(u, classes);
  const left = classes.filter((c) => !found[c]);
  return (
    <p className="text-sm col-span-2 pt-1">
      {left.length === 0
        ? "✓ a column for each class: "
        : `${left.length} of ${classes.length} classes have no column: `}
      <span className="text-soft break-words">
        {(left.length ? left : Object.values(found)).slice(0, 12).join(", ")}
      </span>
      {left.length > 0 && (
        <span className="block text-xs text-ochre">Name each column after its class, as p_{left[0]}.</span>
      )}
    </p>
  );
}

const SETS = { missing: "missing", extra: "not rows of the hold-out", doubled: "standing twice" } as const;

/** What became of each id when this file was joined, with each set to save. */
function JoinLine({ join }: { join: JoinQuery }) {
  const found = useJoin(join).data;
  if (!found) return <p className="text-sm text-soft mt-1">joining …</p>;
  const query = new URLSearchParams(Object.entries(join).map(([k, v]) => [k, String(v)]));
  return (
    <p className="text-sm mt-1 flex gap-4 flex-wrap" data-part="join">
      <span>
        {found.missing + found.extra + found.doubled === 0 ? "✓ every row has its answer: " : ""}
        {several(found.matched, "row")} matched
      </span>
      {(Object.keys(SETS) as (keyof typeof SETS)[])
        .filter((set) => found[set] > 0)
        .map((set) => (
          <a
            key={set}
            className="text-scarlet underline underline-offset-2"
            href={`/api/v1/joins/${set}.csv?${query.toString()}`}
            download={`${set}.csv`}
          >
            {count(found[set])} {SETS[set]}
          </a>
        ))}
    </p>
  );
}
