import { useEffect, useRef, useState } from "react";
import type { Metric } from "../../api/client";
import { useSentence, useTallies } from "../../api/queries";
import { useKeys } from "../../app/keys";
import { type Shown, useScope } from "../../app/scope";
import { countsAt, liveRates, type Tally } from "../../charts/tally";
import { Button, Fault, Loading, Sentence, Tile, ViewHead } from "../../parts/basics";
import { Figure } from "../../parts/Figure";
import { count, shown } from "../../parts/number";
import { Strip } from "./Strip";

export function CutoffView() {
  const { study, split, show, query, chosen, go, positive, many } = useScope();
  const sentence = useSentence(study.id, { view: "cutoff", split, show, cutoffs: query }).data?.sentence;
  const asked = useTallies(study.id, split);
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
  const tallies = asked.data?.tallies ?? [];
  const scores = tallies.flatMap((t) => [t.score[0] ?? 0, t.score.at(-1) ?? 0]);
  const domain: [number, number] = [Math.min(0, ...scores), Math.max(1, ...scores)];
  const step = 10 ** Math.floor(Math.log10((domain[1] - domain[0]) / 500));
  if (many)
    return (
      <>
        <ViewHead title="Cutoff" />
        {sentence && <Sentence>{sentence}</Sentence>}
      </>
    );
  const onReported = split === study.holdout.report_on && study.holdout.tune_on !== null;
  const without = chosen.filter((c) => c.shownCutoff === null);
  return (
    <>
      <ViewHead
        title="Cutoff"
        note={
          <>
            drag a handle, or <span className="kbd">,</span> <span className="kbd">.</span> one step · above: were{" "}
            {positive}, below: were not; each as a share of its class
          </>
        }
      />
      {sentence && <Sentence>{sentence}</Sentence>}
      {onReported && (
        <p
          className="border-l-[3px] border-ochre bg-ochre-soft px-3 py-1.5 mb-3 flex items-center gap-3 flex-wrap"
          role="note"
        >
          <span className="flex-1">
            These are the {split} rows. A cutoff moved here is chosen on the rows it is reported on, and the report will
            say so.
          </span>
          <Button onClick={() => go({ split: String(study.holdout.tune_on) })}>
            Choose on {String(study.holdout.tune_on)}
          </Button>
        </p>
      )}
      <Fault error={asked.error} />
      {asked.isPending && <Loading what="Counting scores" />}
      <div className="border border-rule bg-sheet rounded-[4px] divide-y divide-rule">
        {scored.map((c) => {
          const tally = tallies.find((t) => t.position === c.position);
          return (
            tally && (
              <CandidateStrip
                key={c.position}
                c={c}
                tally={tally}
                domain={domain}
                step={step}
                nudges={nudges.current}
                onFocus={() => setActive(c.position)}
              />
            )
          );
        })}
      </div>
      {without.length > 0 && (
        <p className="text-sm text-soft mt-3">
          {without.map((c) => c.name).join(", ")} {without.length === 1 ? "answers" : "answer"} classes only: no cutoff
          to set.
        </p>
      )}
    </>
  );
}

type Props = {
  c: Shown;
  tally: Tally;
  domain: [number, number];
  step: number;
  nudges: Map<number, (by: number) => void>;
  onFocus: () => void;
};

/** One candidate's strip. While the hand moves, the numbers come from the tally; at rest, from the results. */
function CandidateStrip({ c, tally, domain, step, nudges, onFocus }: Props) {
  const { keep, words, positive, negative, study } = useScope();
  const kept = c.shownCutoff ?? 0;
  const [moving, setMoving] = useState<number | null>(null);
  const latest = useRef<number | null>(null);
  const cutoff = moving ?? kept;
  const move = (value: number) => {
    latest.current = value;
    setMoving(value);
  };
  const release = () => {
    if (latest.current !== null) keep(c.position, latest.current);
    latest.current = null;
  };
  useEffect(() => {
    if (kept === moving) setMoving(null);
  }, [kept, moving]);
  const settle = useRef<ReturnType<typeof setTimeout>>(undefined);
  nudges.set(c.position, (by) => {
    const next = Number((Math.round((cutoff + by * step) / step) * step).toPrecision(12));
    move(Math.min(domain[1], Math.max(domain[0], next)));
    clearTimeout(settle.current);
    settle.current = setTimeout(release, 350);
  });
  const live = countsAt(tally, cutoff);
  const rates = liveRates(live);
  const still = moving === null && c.result.cutoff?.value === kept;
  const rate = (name: "recall" | "precision" | "f1"): Metric =>
    still ? (c.part.metrics[name] ?? { value: null }) : { value: rates[name], why: "no rows to divide by" };
  const here = study.candidates.find((k) => k.position === c.position);
  return (
    <section aria-label={`Cutoff of ${c.name}`} className="grid grid-cols-[minmax(0,1fr)_252px] gap-4 px-3.5 pt-3 pb-2">
      <div className="min-w-0">
        <h2 className="font-sans font-semibold text-base flex items-center gap-2 mb-2">
          <Tile position={c.position} letter={c.letter} /> {c.name}
          <span className="text-sm text-soft font-normal">
            {here?.cutoff_chosen_on ? `chosen on ${here.cutoff_chosen_on}` : "as set at intake"}
          </span>
        </h2>
        <Strip
          tally={tally}
          domain={domain}
          cutoff={cutoff}
          position={c.position}
          name={c.name}
          step={step}
          onMove={move}
          onRelease={release}
          onFocus={onFocus}
        />
      </div>
      <div className="text-sm" data-live={c.letter} data-moving={moving !== null}>
        <table className="w-full">
          <thead>
            <tr className="text-soft">
              <td />
              <th className="font-normal text-left">said {negative}</th>
              <th className="font-normal text-left">said {positive}</th>
            </tr>
          </thead>
          <tbody>
            <tr>
              <th className="font-normal text-soft text-left pr-2">{negative}</th>
              <Live name="tn" rows={live.tn} word={words.tn} />
              <Live name="fp" rows={live.fp} word={words.fp} tone="text-ochre" />
            </tr>
            <tr>
              <th className="font-normal text-soft text-left pr-2">{positive}</th>
              <Live name="fn" rows={live.fn} word={words.fn} tone="text-scarlet" />
              <Live name="tp" rows={live.tp} word={words.tp} />
            </tr>
          </tbody>
        </table>
        <dl className="grid grid-cols-[64px_46px_1fr] mt-1 border-t border-light pt-1">
          {(["recall", "precision", "f1"] as const).map((name) => {
            const m = rate(name);
            return (
              <div key={name} className="contents">
                <dt className="text-soft">{name === "f1" ? "F1" : name}</dt>
                <dd className="font-semibold">
                  {still ? (
                    <Figure candidate={c.name} metric={name} value={m} className="font-semibold" />
                  ) : (
                    <span data-metric={name}>{shown(m.value)}</span>
                  )}
                </dd>
                <dd className="text-soft">{m.low != null && `${shown(m.low)} to ${shown(m.high)}`}</dd>
              </div>
            );
          })}
        </dl>
      </div>
    </section>
  );
}

function Live({ name, rows, word, tone = "" }: { name: string; rows: number; word: string; tone?: string }) {
  return (
    <td className={`py-0.5 pr-2 leading-tight ${tone}`}>
      <span className="text-base font-semibold" data-live-count={name}>
        {count(rows)}
      </span>
      <span className="block text-xs">{word}</span>
    </td>
  );
}
