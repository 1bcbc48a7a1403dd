import { useEffect, useRef, useState } from "react";
import { useTallies } from "../../api/queries";
import { Drafted } from "../../app/Drafted";
import { Figure } from "../../app/Figure";
import { useKeys } from "../../app/keys";
import { metricOf, type Shown, useScope } from "../../app/scope";
import { type Counts, countsOf, liveRates, nearest, place, type Tally } from "../../charts/tally";
import { Button, Fault, PENDING, Tile, ViewHead } from "../../parts/basics";
import { count, named, shown } from "../../parts/number";
import { Beside, stretchOf } from "./Beside";
import { Rules } from "./Rules";
import { Strip } from "./Strip";
import { Sweep } from "./Sweep";

const SETTLED = 350; // ms after the last key until a nudged cutoff is kept

export function CutoffView() {
  const { study, split, slice, chosen, positive, many } = useScope();
  const asked = useTallies(study.id, split, slice);
  const [active, setActive] = useState<number | null>(null);
  const nudges = useRef(new Map<number, (by: number) => void>());
  const scored = chosen.filter((c) => c.shownCutoff !== null);
  const nudge = (by: number) => {
    const at = scored.find((c) => c.position === active) ?? scored[0];
    if (at) nudges.current.get(at.position)?.(by);
  };
  useKeys({
    ",": () => nudge(-1),
    ".": () => nudge(1),
    "<": () => nudge(-10),
    ">": () => nudge(10),
    ";": () => nudge(-10),
    ":": () => nudge(10),
  });
  if (many)
    return (
      <>
        <ViewHead title="Cutoff" />
        <Drafted view="cutoff" />
      </>
    );
  const tallies = new Map((asked.data?.tallies ?? []).map((t) => [t.position, t]));
  const without = chosen.filter((c) => c.shownCutoff === null);
  return (
    <>
      <ViewHead
        title="Cutoff"
        note={
          <>
            drag a handle, or <span className="kbd">,</span> <span className="kbd">.</span> one step · above the line:
            actual {positive}, below: the others, as shares of their class; → predicted
          </>
        }
      />
      <Drafted view="cutoff" />
      {scored.length > 0 && <WhereChosen />}
      {scored.length > 0 && <Rules />}
      <Fault error={asked.error} again={() => void asked.refetch()} />
      {scored.length > 0 && (
        <div className="border border-rule bg-sheet rounded-[4px] divide-y divide-rule">
          {scored.map((c) => {
            const tally = tallies.get(c.position);
            if (!tally) return <div key={c.position} className="h-[182px]" />;
            return (
              <CandidateStrip
                key={c.position}
                c={c}
                tally={tally}
                nudges={nudges.current}
                onFocus={() => setActive(c.position)}
              />
            );
          })}
        </div>
      )}
      {scored.length > 0 && <Sweep scored={scored} />}
      {without.length > 0 && (
        <p className="text-sm text-soft mt-3">
          {named(without.map((c) => c.name))} {without.length === 1 ? "answers" : "answer"} classes only: no cutoff to
          set.
        </p>
      )}
    </>
  );
}

/** A warning where the rows that are looked at are those that are reported on. */
function WhereChosen() {
  const { study, split, go, mayWrite } = useScope();
  const { report_on, tune_on } = study.holdout;
  if (split !== report_on || !mayWrite) return null;
  const rows = split === "all" ? "All rows are reported on" : `These are the ${split} rows`;
  return (
    <p
      className="border-l-[3px] border-ochre bg-ochre-soft px-3 py-1.5 mb-3 flex items-center gap-3 flex-wrap"
      role="note"
    >
      <span className="flex-1">
        {rows}. A cutoff moved here is chosen on the rows it is reported on, and the report will say so.
        {tune_on === null && " This study has no split to choose on: set cutoffs in advance, in the study file."}
      </span>
      {tune_on !== null && <Button onClick={() => go({ split: tune_on })}>Choose on {tune_on}</Button>}
    </p>
  );
}

const NO_RATES = { recall: null, precision: null, f1: null };

type Props = {
  c: Shown;
  tally: Tally;
  nudges: Map<number, (by: number) => void>;
  onFocus: () => void;
};

/** The counts in the results, where these are at the cutoff that is shown. */
function measured(c: Shown): Counts | null {
  const n = c.part.outcomes;
  return c.pending || !n ? null : n;
}

/**
 * One candidate's strip. All that stands here belongs to one cutoff: counts come from the results where these are at
 * hand for it, and from the tally where the handle moves or they are on their way; intervals come with the results.
 */
function CandidateStrip({ c, tally, nudges, onFocus }: Props) {
  const { study, split, keep, words, positive, negative, few } = useScope();
  const kept = c.shownCutoff ?? 0;
  const [moving, setMoving] = useState<number | null>(null);
  const latest = useRef<number | null>(null);
  const settle = useRef<ReturnType<typeof setTimeout>>(undefined);
  const cutoff = moving ?? kept;
  const move = (value: number) => {
    clearTimeout(settle.current);
    latest.current = value;
    setMoving(value);
  };
  const release = () => {
    clearTimeout(settle.current);
    if (latest.current !== null) keep(c.position, latest.current);
    latest.current = null;
  };
  // Once the address has what was let go of here, or something newer, that is what is shown.
  const [was, setWas] = useState(kept);
  if (was !== kept) setWas(kept);
  if (moving !== null && latest.current === null && (was !== kept || moving === kept)) setMoving(null);
  const leave = useRef(release);
  leave.current = release;
  useEffect(() => () => leave.current(), []); // what a key moved is kept even when one goes on at once
  const nudge = (by: number) => {
    const k = nearest(tally, latest.current ?? cutoff) + by;
    move(place(tally, Math.min(tally.tp.length - 1, Math.max(0, k))));
    settle.current = setTimeout(release, SETTLED);
  };
  nudges.set(c.position, nudge);
  const still = moving === null && !c.pending;
  const live = still ? measured(c) : (countsOf(tally, cutoff) ?? null);
  const rates = live && (few ? NO_RATES : liveRates(live));
  return (
    <section aria-label={`Cutoff of ${c.name}`} className="grid grid-cols-[minmax(0,1fr)_252px] gap-4 px-3.5 pt-3 pb-2">
      <div className="min-w-0">
        <h2 className="font-sans font-semibold text-base flex items-center gap-2 mb-2 min-w-0 pr-24">
          <Tile position={c.position} letter={c.letter} />
          <span className="truncate flex-none max-w-[65%]" title={c.name}>
            {c.name}
          </span>
          <span
            className="text-sm text-soft font-normal truncate min-w-0"
            title={cutoff === c.cutoff ? c.cutoff_chosen : undefined}
            data-part="chosen"
          >
            {cutoff === c.cutoff ? c.cutoff_chosen : "not kept"}
          </span>
        </h2>
        <Strip
          tally={tally}
          counts={live}
          cutoff={cutoff}
          position={c.position}
          name={c.name}
          onMove={move}
          onRelease={release}
          onNudge={nudge}
          onFocus={onFocus}
          stretch={stretchOf(c, study, split)}
        />
        <Beside c={c} still={still} />
      </div>
      <div className="text-sm" data-live={c.letter} data-moving={!still} data-at={cutoff}>
        <table className="w-full table-fixed">
          <thead>
            <tr className="text-soft">
              <td className="w-[72px]" />
              {[negative, positive].map((name) => (
                <th key={name} className="font-normal text-left truncate pr-2" title={`predicted ${name}`}>
                  → {name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            <tr>
              <th className="font-normal text-soft text-left pr-2 truncate" title={`actual ${negative}`}>
                {negative}
              </th>
              <Live name="tn" rows={live?.tn} word={words.tn} />
              <Live name="fp" rows={live?.fp} word={words.fp} tone="text-ochre" />
            </tr>
            <tr>
              <th className="font-normal text-soft text-left pr-2 truncate" title={`actual ${positive}`}>
                {positive}
              </th>
              <Live name="fn" rows={live?.fn} word={words.fn} tone="text-scarlet" />
              <Live name="tp" rows={live?.tp} word={words.tp} />
            </tr>
          </tbody>
        </table>
        <Unanswered tally={tally} />
        <dl className="grid grid-cols-[64px_46px_1fr] mt-1 border-t border-light pt-1">
          {(["recall", "precision", "f1"] as const).map((name) => {
            const m = metricOf(c.part, name);
            return (
              <div key={name} className="contents">
                <dt className="text-soft">{name === "f1" ? "F1" : name}</dt>
                <dd className="font-semibold">
                  {still ? (
                    <Figure candidate={c.name} metric={name} value={m} className="font-semibold" />
                  ) : (
                    <span data-metric={name}>{rates ? shown(rates[name]) : PENDING}</span>
                  )}
                </dd>
                <dd className="text-soft" data-interval={name}>
                  {still ? m.low != null && `${shown(m.low)} to ${shown(m.high)}` : PENDING}
                </dd>
              </div>
            );
          })}
        </dl>
      </div>
    </section>
  );
}

/** Rows without an answer, which no cutoff flags. */
function Unanswered({ tally }: { tally: Tally }) {
  const n = tally.unanswered_positive + tally.unanswered_negative;
  if (n === 0) return null;
  return (
    <p className="text-xs text-soft">
      {count(n)} without an answer: {count(tally.unanswered_positive)} of these missed
    </p>
  );
}

function Live({
  name,
  rows,
  word,
  tone = "",
}: {
  name: string;
  rows: number | undefined;
  word: string;
  tone?: string;
}) {
  return (
    <td className={`py-0.5 pr-2 leading-tight ${tone}`}>
      <span className="text-base font-semibold" data-live-count={name}>
        {rows === undefined ? PENDING : count(rows)}
      </span>
      <span className="block text-xs truncate" title={word}>
        {word}
      </span>
    </td>
  );
}
