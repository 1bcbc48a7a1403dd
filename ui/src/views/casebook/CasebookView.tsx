import { type ReactNode, useEffect, useRef, useState } from "react";
import { rowsCsvAt } from "../../api/client";
import { useFields, useMarks, useRows } from "../../api/queries";
import { useAlone } from "../../app/alone";
import { InFront } from "../../app/InFront";
import { useKeys } from "../../app/keys";
import { useScope } from "../../app/scope";
import { Fault, ViewHead } from "../../parts/basics";
import { Choice } from "../../parts/Choice";
import { count, several } from "../../parts/number";
import { Case } from "./Case";
import { Labels } from "./Labels";
import { List, PAGE } from "./List";
import { MapView } from "./MapView";
import { Naming } from "./Naming";
import { Query } from "./Query";
import { ACROSS, Sheet } from "./Sheet";
import type { Known } from "./suggest";

const SELECT = "border border-rule bg-sheet rounded-md px-1.5 py-0.5 text-ink max-w-48";
const MOST_VALUES = 40;

const READS = [
  ["rows", "rows"],
  ["map", "the map"],
  ["labels", "suspect labels"],
] as const;
type Reads = (typeof READS)[number][0];

/** Single rows: those behind any number, and those whose label may be wrong. */
export function CasebookView() {
  const { own, setOwn } = useScope();
  const read: Reads = READS.find(([name]) => name === own.read)?.[0] ?? "rows";
  const choose = (
    <Choice
      name="What is read"
      value={read}
      options={READS}
      onChange={(to) => setOwn({ read: to === "rows" ? null : to, at: null })}
    />
  );
  if (read === "map") return <MapView choose={choose} />;
  return read === "labels" ? <Labels choose={choose} /> : <RowsBehind choose={choose} />;
}

/** The rows behind any number, in an order that teaches; one of them large. */
function RowsBehind({ choose }: { choose: ReactNode }) {
  const scope = useScope();
  const { study, split, slice, query, own, setOwn, chosen, all, results, mayWrite } = scope;
  const front = chosen.find((c) => c.letter === own.front) ?? chosen[0] ?? all[0];
  const condition = own.q ?? "";
  const sort = own.sort ?? (condition && front ? "wrong" : "row");
  const down = own.down === "yes";
  const fields = useFields(study.id).data?.fields ?? [];
  const marks = useMarks(study.id).data?.marks ?? {};
  const asked = {
    split,
    within: slice,
    cutoffs: query,
    condition,
    sort,
    down,
    ...(front ? { candidate: front.position } : {}),
  };
  const first = useRows(study.id, { ...asked, start: 0, count: PAGE });
  const total = first.data?.total ?? 0;
  const at = Math.min(Math.max(0, Number(own.at ?? 0) || 0), Math.max(0, total - 1));
  const open = (to: number) => setOwn({ at: to === 0 ? null : String(to) });
  const page = Math.floor(at / PAGE);
  const here = useRows(study.id, { ...asked, start: page * PAGE, count: PAGE });
  const row = here.isPlaceholderData ? undefined : here.data?.rows[at - page * PAGE];
  const [noting, setNoting] = useState(0);
  const [naming, setNaming] = useState(false);
  const step = (by: number) => open(Math.min(total - 1, Math.max(0, at + by)));
  const picture = (study.mapping as { show?: { picture?: string } }).show?.picture;
  const pictures = picture !== undefined && own.seen === "pictures";
  const beside = pictures ? ACROSS : 1;
  useKeys({
    ArrowDown: () => step(beside),
    ArrowUp: () => step(-beside),
    ArrowRight: () => step(1),
    ArrowLeft: () => step(-1),
    v: () => picture && setOwn({ seen: pictures ? null : "pictures" }),
    PageDown: () => step(20),
    PageUp: () => step(-20),
    n: () => setNoting((k) => k + 1),
    o: () => {
      const every = ORDERS.map(([name]) => name);
      setOwn({ sort: every[(every.indexOf(sort) + 1) % every.length] ?? null, at: null });
    },
  });
  const called = results.holdout.names ?? {};
  const known: Known = {
    fields: fields.map((f) => ({
      name: f.name,
      kind: f.kind === "number" || f.kind === "date" ? f.kind : "text",
      values:
        f.kind === "category" && f.distinct <= MOST_VALUES
          ? f.bars.filter((b) => b.others === undefined && b.label !== "").map((b) => b.label)
          : [],
    })),
    classes: results.holdout.classes.map((c) => called[c] ?? c),
    letters: all.map((c) => c.letter),
    scoring: all.filter((c) => c.gives === "scores").map((c) => c.letter),
    marks: Object.keys(marks),
    named: Object.keys(study.conditions),
  };
  const refused = first.isError ? first.error.message : null;
  const alone = useAlone();
  const saving = useRef<HTMLAnchorElement>(null);
  useEffect(() => {
    if (own.at && first.data && !first.isPlaceholderData && Number(own.at) >= first.data.total) setOwn({ at: null });
  }, [own.at, first.data, first.isPlaceholderData, setOwn]);
  return (
    <>
      <ViewHead
        title="Casebook"
        note={
          <>
            <span className="kbd">↑</span> <span className="kbd">↓</span> row · <span className="kbd">m</span> mark ·{" "}
            <span className="kbd">n</span> note · <span className="kbd">o</span> order
          </>
        }
      />
      {choose}
      <p
        className="font-serif text-lg leading-snug border-l-[3px] border-ink pl-3 my-3 min-h-[1lh]"
        data-part="sentence"
      >
        {first.data && !first.isPlaceholderData
          ? told(total, condition, split, first.data.unknown)
          : refused
            ? "The condition cannot be read."
            : "⋯"}
      </p>
      <Query value={condition} known={known} error={refused} onChange={(to) => setOwn({ q: to || null, at: null })} />
      <div className="flex items-baseline gap-x-3 gap-y-1 flex-wrap text-sm text-soft mb-1.5">
        <b className="font-semibold text-ink" data-part="total">
          {several(total, "row")}
        </b>
        <label className="flex items-baseline gap-1.5">
          order
          <select
            className={SELECT}
            aria-label="Order"
            value={sort}
            onChange={(e) => setOwn({ sort: e.target.value, at: null })}
          >
            {ORDERS.map(([name, title]) => (
              <option key={name} value={name} disabled={name === "score" && front?.gives !== "scores"}>
                {title}
              </option>
            ))}
            {fields.map((f) => (
              <option key={f.name} value={`field:${f.name}`}>
                {f.name}
              </option>
            ))}
          </select>
        </label>
        <label className="flex items-baseline gap-1">
          <input
            type="checkbox"
            checked={down}
            onChange={(e) => setOwn({ down: e.target.checked ? "yes" : null, at: null })}
          />
          turned round
        </label>
        {chosen.length > 1 && front && (
          <span className="flex items-baseline gap-1.5">
            by <InFront of={chosen} front={front} />
          </span>
        )}
        {picture && (
          <Choice
            name="How rows are seen"
            value={pictures ? "pictures" : "lines"}
            options={[
              ["lines", "lines"],
              ["pictures", "pictures"],
            ]}
            onChange={(to) => setOwn({ seen: to === "pictures" ? "pictures" : null })}
          />
        )}
        <span className="flex-1" />
        {(Object.keys(study.conditions).length > 0 || (condition && mayWrite && !refused)) && (
          <button type="button" className="link" onClick={() => setNaming(true)}>
            {condition && mayWrite ? "name it" : "named conditions"}
          </button>
        )}
        {alone.can(condition) && (
          <button type="button" className="link" onClick={() => alone.read(condition, {})}>
            read these rows alone
          </button>
        )}
        <a ref={saving} className="link" href={rowsCsvAt(study.id, asked)} download="rows.csv">
          save CSV
        </a>
      </div>
      {naming && (
        <Naming
          condition={refused ? "" : condition}
          candidate={front?.position}
          onChoose={(to) => setOwn({ q: to, at: null })}
          onDone={() => setNaming(false)}
        />
      )}
      <Fault error={refused ? null : here.error} again={() => void here.refetch()} />
      {total > 0 && (
        <div
          className={`grid gap-4 items-start ${pictures ? "grid-cols-[minmax(0,1.5fr)_minmax(0,1fr)]" : "grid-cols-[minmax(0,24rem)_minmax(0,1fr)]"}`}
        >
          {pictures ? (
            <Sheet total={total} at={at} asked={asked} front={front} picture={picture} onOpen={open} />
          ) : (
            <List total={total} at={at} asked={asked} front={front} onOpen={open} />
          )}
          {row ? (
            <Case
              key={row.row}
              row={row}
              front={front}
              place={`row ${count(at + 1)} of ${count(total)}`}
              marks={Object.keys(marks)}
              noting={noting}
            />
          ) : (
            <div className="h-64" aria-busy="true" />
          )}
        </div>
      )}
      {first.data && total === 0 && !refused && (
        <p className="text-soft">
          No row is so.{" "}
          {condition && (
            <button type="button" className="link" onClick={() => setOwn({ q: null, at: null })}>
              All rows
            </button>
          )}
        </p>
      )}
    </>
  );
}

const ORDERS: [string, string][] = [
  ["row", "as in the hold-out"],
  ["wrong", "most wrong"],
  ["unsure", "least sure"],
  ["disagreement", "disagreement"],
  ["score", "score"],
];

function told(total: number, condition: string, split: string, unknown: number) {
  const of = split === "all" ? "" : ` ${split}`;
  const what = condition
    ? `${count(total)}${of} ${total === 1 ? "row is" : "rows are"} so: ${condition}.`
    : `All ${count(total)}${of} rows.`;
  const open =
    unknown > 0 ? ` Of ${several(unknown, "more row")} it cannot be told, since what it reads is absent.` : "";
  return `${what}${open}`;
}
