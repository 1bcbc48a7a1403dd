import { Drafted } from "../../app/Drafted";
import { InFront } from "../../app/InFront";
import { useKeys } from "../../app/keys";
import { useOwn, useScope } from "../../app/scope";
import { ViewHead } from "../../parts/basics";
import { Choice } from "../../parts/Choice";
import { colour, dash } from "../../parts/marks";
import { named } from "../../parts/number";
import { BinsTable } from "./BinsTable";
import { Gaps } from "./Gaps";
import { ReliabilityPlane } from "./ReliabilityPlane";
import { Repairs } from "./Repairs";
import { calibrationOf, farthest, type Which } from "./read";
import { Walk } from "./Walk";

const BINS = [
  ["equal_mass", "equal rows"],
  ["equal_width", "equal width"],
] as const;
const BANDS = [
  ["chance", "if true"],
  ["whole", "the whole curve"],
] as const satisfies readonly (readonly [Which, string])[];
const MOST = 6; // candidates drawn beside each other; the table has all

export function CalibrationView() {
  const { chosen, many, of, called, positive, split, slice, few, results, own, setOwn } = useScope();
  const [by, choose] = useOwn("by", ["class", "largest"]);
  const largest = many && by === "largest";
  const told = chosen.flatMap((c) => {
    const found = calibrationOf(c, largest ? "" : of);
    return found ? [{ c, found }] : [];
  });
  const [bins, cut] = useOwn("bins", ["equal_mass", "equal_width"]);
  const [which, draw] = useOwn<Which>("band", ["chance", "whole"]);
  const [table, unfold] = useOwn("table", ["no", "yes"]);
  const [worst] = [...told].sort((a, b) => farthest(b) - farthest(a));
  const front = told.find(({ c }) => c.letter === own.front) ?? worst;
  const bring = (letter: string) => setOwn({ front: letter });
  const letterAt = (position: number) => told.find(({ c }) => c.position === position)?.c.letter ?? "";
  const step = (by: number) => {
    const i = front ? told.indexOf(front) : 0;
    const next = told[(i + by + told.length) % told.length];
    if (next) bring(next.c.letter);
  };
  useKeys({ b: () => cut(bins === "equal_mass" ? "equal_width" : "equal_mass"), f: () => step(1), F: () => step(-1) });
  const happened = largest ? "right" : many ? called(of) : positive;
  const without = chosen.filter((c) => !told.some((t) => t.c === c));
  const drawn = told.slice(0, MOST);
  return (
    <>
      <ViewHead title="Calibration">
        <div className="flex items-baseline gap-x-4 gap-y-1 text-sm text-soft flex-wrap">
          {told.length > 0 && (
            <>
              {many && (
                <Choice
                  name="probability"
                  value={by}
                  options={[
                    ["class", `of “${called(of)}”`],
                    ["largest", "the largest"],
                  ]}
                  onChange={choose}
                />
              )}
              <span className="flex items-baseline gap-2">
                bins <Choice name="bins" value={bins} options={BINS} onChange={cut} />
              </span>
              <span className="flex items-baseline gap-2">
                band <Choice name="band" value={which} options={BANDS} onChange={draw} />
              </span>
              <button type="button" className="link" onClick={() => unfold(table === "yes" ? "no" : "yes")}>
                {table === "yes" ? "without the table" : "the bins as a table"}
              </button>
            </>
          )}
        </div>
      </ViewHead>
      <Drafted view="calibration" />
      {front && (
        <div className="grid grid-cols-[minmax(300px,5fr)_minmax(360px,6fr)] max-[1100px]:grid-cols-1 gap-x-7 gap-y-5 max-w-[1120px]">
          <div className="max-w-[480px] min-w-0">
            <div className="flex gap-2 mb-1.5 flex-wrap items-center min-w-0">
              <InFront of={told.map(({ c }) => c)} front={front.c} />
              <b className="truncate min-w-0" title={front.c.name}>
                {front.c.name}
              </b>
            </div>
            <ReliabilityPlane
              told={front}
              color={colour(front.c.position)}
              dash={dash(front.c.position)}
              happened={happened}
              bins={bins}
              which={which}
            />
            <p className="text-sm text-soft font-serif italic max-w-[60ch]">
              Line: best monotone fit. Rings:{" "}
              {bins === "equal_mass" ? "bins of about as many rows each" : "bins of one width"},{" "}
              {results.settings.confidence * 100} % intervals. {BAND_SAYS[which]} Hatched: where the whole true curve,
              if it never falls, lies to one side of the promise. Beneath: rows that were “{happened}” up, others down:
              the square root of the share of their class.
            </p>
          </div>
          <div className="grid gap-5 content-start min-w-0">
            <Walk told={drawn} />
            <Gaps told={drawn} front={front.c.position} onFront={(position) => bring(letterAt(position))} />
            <Repairs />
          </div>
        </div>
      )}
      {told.length > MOST && (
        <p className="text-sm text-soft mt-3">
          Drawn beside each other: the first {MOST} of {told.length}; any of them can be brought in front.
        </p>
      )}
      {front && table === "yes" && (
        <BinsTable told={told} bins={bins} split={split} slice={slice} happened={happened} />
      )}
      {without.length > 0 && told.length > 0 && !few && (
        <p className="text-sm text-soft mt-3">
          {named(without.map((c) => c.name))} {without.length === 1 ? "gives" : "give"} no probability.
        </p>
      )}
    </>
  );
}

const BAND_SAYS: Record<Which, string> = {
  chance: "Grey: where the line would lie if the probabilities were true, point by point.",
  whole: "Tinted: where the true curve lies, all of it at once, if it never falls.",
};
