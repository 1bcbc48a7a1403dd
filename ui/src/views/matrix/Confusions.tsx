import { useScope } from "../../app/scope";
import { wilson } from "../../charts/tally";
import { PENDING, Tile } from "../../parts/basics";
import { count, shown } from "../../parts/number";
import { type Cells, confused, rowOf } from "./grid";
import type { Face, Place } from "./Rungs";

const MOST = 8;

/** Which classes are taken for which, the most confused first: of the candidate in front. */
export function Confusions({
  faces,
  names,
  onFocus,
}: {
  faces: Face[];
  names: string[];
  onFocus?: (at: Place) => void;
}) {
  const { study, own, pending } = useScope();
  const front = faces.find((f) => f.c.letter === own.front) ?? faces[0];
  if (!front) return null;
  const k = names.length;
  const cells: Cells = front.cells.map((row) => row.slice(0, k));
  const worst = confused(cells, MOST);
  if (worst.length === 0) return null;
  return (
    <section aria-label="Worst confusions" data-part="confusions" data-candidate={front.c.letter}>
      <h2 className="font-sans text-sm font-semibold flex items-center gap-1.5">
        <Tile position={front.c.position} letter={front.c.letter} /> most often confused
      </h2>
      <ol className="text-sm leading-snug">
        {worst.map(({ i, j, rows }) => {
          const of = rowOf(front.cells, i);
          const ends = study.z === null ? null : wilson(rows, of, study.z);
          const said = `${names[i]} as ${names[j]}`;
          return (
            <li key={`${i}-${j}`} className="border-t border-light py-0.5">
              <button
                type="button"
                className="block w-full text-left truncate hover:underline disabled:no-underline"
                title={said}
                disabled={!onFocus}
                onClick={() => onFocus?.([i, j])}
              >
                {said}
              </button>
              <span className="text-xs text-soft">
                <b className="font-semibold text-ink text-sm">{pending ? PENDING : count(rows)}</b>
                {!pending &&
                  ` of ${count(of)}: ${shown(rows / of)}${ends ? `, ${shown(ends[0])} to ${shown(ends[1])}` : ""}`}
              </span>
            </li>
          );
        })}
      </ol>
    </section>
  );
}
