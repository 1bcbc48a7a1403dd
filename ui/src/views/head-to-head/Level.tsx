import { useEffect, useState } from "react";
import { api, got, type Schemas } from "../../api/client";
import { useChange } from "../../api/queries";
import { type Shown, useScope } from "../../app/scope";
import { Button, Fault } from "../../parts/basics";
import { asSet, count } from "../../parts/number";

/** What makes the two comparable: the second at as many flags as the first, and earlier versions of either. */
export function Level({
  a,
  b,
  told,
  late,
}: {
  a: Shown;
  b: Shown;
  told: Schemas["EqualFlags"] | undefined;
  late: boolean;
}) {
  const scope = useScope();
  const { study, go, mayWrite } = scope;
  const change = useChange(study.id);
  const kept = study.candidates.find((c) => c.position === b.position)?.cutoff ?? null;
  const put = (value: number) => go(({ cutoffs }) => ({ cutoffs: { ...cutoffs, [b.position]: value } }));
  const there = new Set(study.candidates.map((c) => c.name));
  const older = [a, b].flatMap((c) => {
    const of = study.candidates.find((x) => x.position === c.position);
    return (of?.versions ?? [])
      .filter((v) => v.number !== of?.version_number && !there.has(nameOf(c.result.name, v.number)))
      .map((v) => ({ c, number: v.number }));
  });
  const [taken, setTaken] = useState<{ letter: string; name: string } | null>(null);
  // once the study has it, it is shown and compared
  const added = taken && study.candidates.find((x) => x.name === taken.name);
  useEffect(() => {
    if (!added || !taken) return;
    setTaken(null);
    go(({ show, own, cutoffs }) => ({
      show: [...show, added.position],
      cutoffs: added.cutoff === null ? cutoffs : { ...cutoffs, [added.position]: added.cutoff },
      own: { ...own, pair: `${taken.letter}-${added.letter}` },
    }));
  }, [added, taken, go]);
  const take = async (c: Shown, number: number) => {
    const path = { study_id: study.id, position: c.position, number };
    const at = "/api/v1/studies/{study_id}/candidates/{position}/versions/{number}/candidate" as const;
    await change.mutateAsync(() => got(api.POST(at, { params: { path } })));
    setTaken({ letter: c.letter, name: nameOf(c.result.name, number) });
  };
  const alike = told && Math.abs(told.flags - told.first) < 1e-9 * Math.max(1, told.first);
  const moved = told?.cutoff != null && b.shownCutoff === told.cutoff;
  return (
    <div className="text-sm text-soft flex gap-x-4 gap-y-1 flex-wrap mt-1 min-h-[1lh]" data-part="level">
      {told && !late && (
        <span>
          {told.cutoff === null ? (
            `At no cutoff but flagging nothing does ${b.letter} flag no more than ${a.letter}.`
          ) : moved ? (
            <>
              {b.letter} flags {alike ? "as many as" : `${count(told.flags)}, nearest below`} {a.letter}
              {alike ? "" : `'s ${count(told.first)}`}: its cutoff was moved on the rows that are read.{" "}
              {kept !== null && kept !== told.cutoff && (
                <button type="button" className="link" onClick={() => put(kept)}>
                  back to ≥ {asSet(kept)}
                </button>
              )}
            </>
          ) : (
            <button type="button" className="link" onClick={() => told.cutoff !== null && put(told.cutoff)}>
              compare at as many flags: {b.letter} ≥ {asSet(told.cutoff)}
            </button>
          )}
        </span>
      )}
      {mayWrite &&
        older.map(({ c, number }) => (
          <Button
            key={`${c.letter}-${number}`}
            kind="bare"
            className="text-sm"
            disabled={change.isPending}
            onClick={() => void take(c, number).catch(() => undefined)}
          >
            Take version {number} of {c.letter} along, to compare with
          </Button>
        ))}
      <Fault error={change.error} />
    </div>
  );
}

const LONGEST = 80;

/** What an earlier version is called as a candidate of its own. */
export const nameOf = (name: string, number: number) => {
  const more = `, version ${number}`;
  return name.slice(0, LONGEST - more.length) + more;
};

/** Of two of which one is an earlier version of the other, the newer one; null of any others. */
export function newerOf(a: Shown, b: Shown): Shown | null {
  const earlier = (c: Shown) => (c.result.made_with as Record<string, unknown> | undefined)?.earlier_version_of;
  return earlier(b) === a.result.name ? a : earlier(a) === b.result.name ? b : null;
}
