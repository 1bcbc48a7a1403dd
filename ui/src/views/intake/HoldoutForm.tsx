import { Entry } from "../../parts/Entry";
import { several } from "../../parts/number";
import { Labels } from "./Labels";
import { classesOf, columnOf, embeddings, isMany, type MadeSplit, type Mapping, type Upload } from "./mapping";
import { Pick } from "./Pick";

type Props = { u: Upload; mapping: Mapping; put: (change: Partial<Mapping>) => void };

/** What each column of the hold-out is. */
export function HoldoutForm({ u, mapping, put }: Props) {
  const names = u.columns.map((c) => c.name);
  const splits = columnOf(u, mapping.split)?.values ?? [];
  const classes = classesOf(u, mapping).map((c) => c.label);
  return (
    <>
      <FirstRows u={u} />
      <div className="grid grid-cols-3 gap-3 mt-3 items-start">
        <Pick
          label="Row id"
          value={mapping.id}
          options={names}
          none="none: match by position"
          guess={u.guess.id}
          onPick={(id) => put({ id })}
        />
        <Pick
          label="Actual class"
          value={mapping.truth}
          options={names}
          guess={u.guess.truth}
          onPick={(truth) => put({ truth, positive: "", merge: {}, names: {} })}
        />
        {isMany(u, mapping) ? (
          <p className="text-sm text-soft pt-6">
            {classes.length || columnOf(u, mapping.truth)?.distinct} classes: none is the positive one
          </p>
        ) : (
          <Pick
            label="Positive class"
            value={mapping.positive}
            options={classes}
            none={classes.length ? "choose one" : "first say the actual class"}
            onPick={(positive) => put({ positive })}
          />
        )}
        <Pick
          label="Split"
          value={mapping.split}
          options={names}
          none="none: all rows"
          guess={u.guess.split}
          onPick={(split) => put({ split, report_on: "", tune_on: "" })}
        />
        {mapping.split && (
          <>
            <Pick
              label="Reported on"
              value={mapping.report_on}
              options={splits}
              none="choose one"
              onPick={(report_on) => put({ report_on })}
            />
            <Pick
              label="Cutoffs are chosen on"
              value={mapping.tune_on}
              options={splits.filter((s) => s !== mapping.report_on)}
              none="no split"
              onPick={(tune_on) => put({ tune_on })}
            />
          </>
        )}
        <Pick
          label="Group column"
          value={mapping.group}
          options={names}
          none="none: each row stands alone"
          guess={u.guess.group}
          onPick={(group) => put({ group })}
        />
        <Pick
          label="Sampling weight"
          value={mapping.weight}
          options={u.columns.filter((c) => c.numeric).map((c) => c.name)}
          none="none: all rows count equally"
          guess={u.guess.weight}
          onPick={(weight) => put({ weight })}
        />
      </div>
      <Reading u={u} mapping={mapping} put={put} />
      {mapping.split === "" && (
        <SplitMaker
          u={u}
          group={mapping.group}
          made={mapping.make_split}
          onChange={(make_split) => put({ make_split })}
        />
      )}
      {mapping.truth !== "" && <Labels u={u} mapping={mapping} put={put} />}
      {mapping.truth !== "" && <SliceFields u={u} mapping={mapping} onChange={(slices) => put({ slices })} />}
    </>
  );
}

/** What a person sees when they read a row. */
function Reading({ u, mapping, put }: Props) {
  const groups = embeddings(u);
  const { text, picture } = u.guess;
  const first = u.guess.embedding?.column;
  const called = Object.entries(groups).find(([, names]) => names[0] === first)?.[0] ?? null;
  const embedding = u.guess.embedding && { ...u.guess.embedding, column: called };
  const options = u.columns.map((c) => c.name);
  return (
    <details className="mt-3" open={Boolean(text?.column || u.guess.picture?.column || first)}>
      <summary className="text-sm text-soft cursor-pointer">For reading a row</summary>
      <div className="grid grid-cols-3 gap-3 mt-1 items-start">
        <Pick
          label="Its text"
          value={mapping.text}
          options={options}
          none="none"
          guess={text}
          onPick={(chosen) => put({ text: chosen })}
        />
        <Pick
          label="Its picture"
          value={mapping.picture}
          options={options}
          none="none"
          guess={picture}
          onPick={(chosen) => put({ picture: chosen })}
        />
        <Pick
          label="Its embedding"
          value={mapping.embedding}
          options={Object.keys(groups)}
          none="none"
          guess={embedding}
          onPick={(chosen) => put({ embedding: chosen })}
        />
      </div>
    </details>
  );
}

const WAYS = {
  class: "at random within each class",
  group: "at random, by whole groups",
  time: "by time, earliest first",
};

/** A split where the rows bear none: cutoffs are chosen on one part and reported on the other. */
function SplitMaker({
  u,
  group,
  made,
  onChange,
}: {
  u: Upload;
  group: string;
  made: MadeSplit | null;
  onChange: (m: MadeSplit | null) => void;
}) {
  return (
    <div className="mt-3 border-l-[3px] border-rule pl-3">
      <label>
        <input
          type="checkbox"
          checked={made !== null}
          onChange={(e) =>
            onChange(e.target.checked ? { by: group ? "group" : "class", field: group, tuning: "30", seed: "1" } : null)
          }
        />{" "}
        Make a split, so that cutoffs are not chosen on the rows that are reported
      </label>
      {made && (
        <div className="grid grid-cols-4 gap-3 mt-1.5">
          <Pick
            label="How"
            value={WAYS[made.by]}
            options={Object.values(WAYS)}
            onPick={(way) =>
              onChange({
                ...made,
                by: (Object.keys(WAYS) as MadeSplit["by"][]).find((k) => WAYS[k] === way) ?? "class",
              })
            }
          />
          {made.by !== "class" && (
            <Pick
              label={made.by === "group" ? "Group column" : "When each row was"}
              value={made.field}
              options={u.columns.map((c) => c.name)}
              onPick={(field) => onChange({ ...made, field })}
            />
          )}
          <Entry
            type="number"
            min="0"
            label="Rows for tuning, %"
            value={made.tuning}
            onSay={(tuning) => onChange({ ...made, tuning })}
          />
          {made.by !== "time" && (
            <Entry type="number" min="0" label="Seed" value={made.seed} onSay={(seed) => onChange({ ...made, seed })} />
          )}
        </div>
      )}
    </div>
  );
}

/** Which fields the numbers are also given for, value by value. */
function SliceFields({ u, mapping, onChange }: { u: Upload; mapping: Mapping; onChange: (fields: string[]) => void }) {
  const taken = [mapping.id, mapping.truth, mapping.split, mapping.weight];
  const fields = u.columns.filter((c) => !taken.includes(c.name) && c.distinct >= 2 && c.distinct <= 12);
  if (!fields.length) return null;
  return (
    <fieldset className="mt-3">
      <legend className="text-sm text-soft">Also report by these fields</legend>
      <div className="flex flex-wrap gap-x-4 gap-y-1 max-h-40 overflow-auto">
        {fields.map((c) => (
          <label key={c.name} className="text-sm">
            <input
              type="checkbox"
              checked={mapping.slices.includes(c.name)}
              onChange={(e) =>
                onChange(e.target.checked ? [...mapping.slices, c.name] : mapping.slices.filter((f) => f !== c.name))
              }
            />{" "}
            {c.name}
          </label>
        ))}
      </div>
    </fieldset>
  );
}

function FirstRows({ u }: { u: Upload }) {
  const rows = u.columns[0]?.first.map((_, i) => i) ?? [];
  return (
    <div className="mt-3">
      <p className="text-sm text-soft">
        {u.name}: {several(u.rows, "row")}, {several(u.columns.length, "column")}. The first rows:
      </p>
      <div className="overflow-x-auto border border-rule bg-sheet mt-1">
        <table className="text-sm">
          <thead>
            <tr className="text-left text-soft border-b border-rule">
              {u.columns.map((c) => (
                <th key={c.name} className="font-normal px-2.5 py-1 whitespace-nowrap">
                  {c.name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((i) => (
              <tr key={i} className="border-b border-light last:border-0">
                {u.columns.map((c) => (
                  <td key={c.name} className="px-2.5 py-1 whitespace-nowrap max-w-48 truncate">
                    {c.first[i]}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}
