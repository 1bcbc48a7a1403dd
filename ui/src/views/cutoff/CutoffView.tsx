import { Fragment, useRef, useState } from "react";
import { useParts, useTallies } from "../../api/queries";
import { Drafted } from "../../app/Drafted";
import { useKeys } from "../../app/keys";
import { useOwn, useScope } from "../../app/scope";
import type { Interval } from "../../charts/scales";
import { ends, type Tally } from "../../charts/tally";
import { Button, Fault, ViewHead } from "../../parts/basics";
import { Choice } from "../../parts/Choice";
import { NumberField } from "../../parts/NumberField";
import { named } from "../../parts/number";
import { Catches } from "./Catches";
import { Held } from "./held";
import { ManyCutoff } from "./Many";
import { One } from "./One";
import { Owed } from "./Owed";
import { inOrder, usePrices } from "./prices";
import { Restated } from "./Restated";
import { bandOf, Review } from "./Review";
import { Rules } from "./Rules";
import { Sweep } from "./Sweep";
import { Trace } from "./Trace";

export function CutoffView() {
  return useScope().many ? <ManyCutoff /> : <TwoCutoff />;
}

function TwoCutoff() {
  const { study, split, slice, chosen, positive, own, setOwn, query, few } = useScope();
  const asked = useTallies(study.id, split, slice);
  const [active, setActive] = useState<number | null>(null);
  const [height, setHeight] = useOwn("height", ["root", "share"]);
  const [axis, setAxis] = useOwn("axis", ["one", "each"]);
  const held = useRef(new Held()).current;
  const scored = chosen.filter((c) => c.shownCutoff !== null);
  const nudge = (by: number) => {
    const at = scored.find((c) => c.position === active) ?? scored[0];
    if (at) held.nudges.get(at.position)?.(by);
  };
  useKeys({
    ",": () => nudge(-1),
    ".": () => nudge(1),
    "<": () => nudge(-10),
    ">": () => nudge(10),
    ";": () => nudge(-10),
    ":": () => nudge(10),
    h: () => setHeight(height === "root" ? "share" : "root"),
    b: () => {
      const at = scored.find((c) => c.letter === own.front) ?? scored[0];
      if (!at) return;
      const high = at.shownCutoff ?? 0.5;
      setOwn({ band: bandOf(own.band) ? null : `${Number((high / 2).toPrecision(3))}:${high}` });
    },
  });
  const tallies = new Map((asked.data?.tallies ?? []).map((t) => [t.position, t]));
  const without = chosen.filter((c) => c.shownCutoff === null);
  const counted = scored.flatMap((c) => {
    const tally = tallies.get(c.position);
    return tally ? [{ c, tally }] : [];
  });
  const { z } = study;
  const [prices] = usePrices();
  const priced = useParts(
    study.id,
    few || scored.length === 0
      ? null
      : { kinds: ["cost"], split, cutoffs: query, within: slice, prices: inOrder(prices) },
  );
  const costOf = (name: string) =>
    priced.isPlaceholderData
      ? null
      : (priced.data?.candidates?.find((x) => x.name === name)?.splits?.[split]?.cost ?? null);
  const shared = sharedBy(counted.map(({ tally }) => tally));
  const domain = axis === "one" ? shared : null;
  return (
    <>
      <ViewHead
        title="Cutoff"
        note={
          <>
            drag a handle, or <span className="kbd">,</span> <span className="kbd">.</span> one step · above the line:
            actual {positive}, below: the others
          </>
        }
      />
      <Drafted view="cutoff" />
      {scored.length > 0 && <WhereChosen />}
      {scored.length > 0 && (
        <div className="flex items-center gap-x-4 gap-y-1 flex-wrap text-sm text-soft mb-2">
          <Rules />
          <Costs />
        </div>
      )}
      <Fault error={asked.error} again={() => void asked.refetch()} />
      {scored.length > 0 && (
        <div className="@container">
          <div className="grid gap-x-5 gap-y-4 items-start grid-cols-1 @[780px]:grid-cols-[minmax(0,1fr)_262px]">
            <div className="min-w-0">
              <div className="border border-rule bg-sheet rounded-[4px] divide-y divide-rule">
                {scored.map((c) => {
                  const tally = tallies.get(c.position);
                  if (!tally) return <div key={c.position} className="h-[196px]" />;
                  return (
                    <One
                      key={c.position}
                      c={c}
                      tally={tally}
                      z={z}
                      costs={costOf(c.result.name)}
                      held={held}
                      domain={domain}
                      band={
                        (counted.find((x) => x.c.letter === own.front) ?? counted[0])?.c === c ? bandOf(own.band) : null
                      }
                      rooted={height === "root"}
                      onFocus={() => setActive(c.position)}
                    />
                  );
                })}
                {counted.length > 0 && shared && (
                  <Trace scored={counted} classes={without} domain={shared} held={held} />
                )}
              </div>
              <p className="text-sm text-soft font-serif italic mt-1">
                Height: {height === "root" ? "the square root of the" : "the"} share of each class.{" "}
                {study.holdout.tune_on && split === study.holdout.report_on && (
                  <>
                    Under each rate: its change since {study.holdout.tune_on}; filled: separated from nought, ring: not.{" "}
                  </>
                )}
                Bracket: cutoffs that cannot be separated from the best by the rule.
              </p>
              <p className="flex items-baseline gap-3 text-sm text-soft mt-1 flex-wrap">
                <span className="flex items-baseline gap-2">
                  height <span className="kbd">h</span>
                  <Choice
                    name="height"
                    value={height}
                    options={[
                      ["root", "square root"],
                      ["share", "share"],
                    ]}
                    onChange={setHeight}
                  />
                </span>
                {shared && scored.length > 1 && (
                  <span className="flex items-baseline gap-2">
                    ruler
                    <Choice
                      name="ruler"
                      value={axis}
                      options={[
                        ["one", "one for all"],
                        ["each", "each its own"],
                      ]}
                      onChange={setAxis}
                    />
                  </span>
                )}
              </p>
              {without.length > 0 && (
                <p className="text-sm text-soft mt-2">
                  {named(without.map((c) => c.name))} {without.length === 1 ? "answers" : "answer"} classes only: no
                  cutoff to set.
                </p>
              )}
            </div>
            <div className="space-y-4 min-w-0 border border-rule bg-sheet rounded-[4px] px-3 py-2">
              <Catches scored={scored} held={held} />
              <Owed scored={scored} />
              {counted.length > 0 && <Review scored={counted} z={z} />}
              <Restated scored={scored} held={held} />
            </div>
          </div>
        </div>
      )}
      {scored.length > 0 && <Sweep scored={scored} />}
      {scored.length === 0 && without.length > 0 && (
        <p className="text-sm text-soft mt-3">
          {named(without.map((c) => c.name))} {without.length === 1 ? "answers" : "answer"} classes only: no cutoff to
          set.
        </p>
      )}
    </>
  );
}

/** The ends of one ruler for all, where their scores share a range: none reaches ten times as far as another. */
function sharedBy(tallies: Tally[]): Interval | null {
  if (tallies.length === 0) return null;
  const all = tallies.map(ends);
  const [low, high] = [Math.min(...all.map((e) => e[0])), Math.max(...all.map((e) => e[1]))];
  return all.every(([a, b]) => (b - a) * 10 > high - low) ? [low, high] : null;
}

const DEAR = [
  ["missed", "fn"],
  ["needless", "fp"],
] as const;
const RIGHT = [
  ["caught", "tp"],
  ["left", "tn"],
] as const;

/** What each outcome costs: the errors, and on request the right answers too. */
function Costs() {
  const { words } = useScope();
  const [prices, set] = usePrices();
  const [more, setMore] = useState(false);
  const said = prices.caught > 0 || prices.left > 0;
  return (
    <span className="flex items-center gap-1.5 flex-wrap">
      <span>cost of each:</span>
      {(more || said ? [...DEAR, ...RIGHT] : DEAR).map(([name, cell]) => (
        <Fragment key={name}>
          {words[cell]}
          <NumberField
            label={`Cost of each: ${words[cell]}`}
            className="w-12"
            value={prices[name]}
            allowed={(x) => x >= 0}
            onSet={(to) => to !== null && set({ [name]: to })}
          />
        </Fragment>
      ))}
      {!more && !said && (
        <Button kind="bare" onClick={() => setMore(true)}>
          and right answers
        </Button>
      )}
    </span>
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
      className="border-l-[3px] border-ochre bg-ochre-soft px-3 py-1 mb-2 flex items-center gap-3 flex-wrap"
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
