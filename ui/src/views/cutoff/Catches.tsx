import type { Schemas } from "../../api/client";
import { type Shown, useScope } from "../../app/scope";
import { PENDING, Tile } from "../../parts/basics";
import { asSet, count, shown } from "../../parts/number";
import { type Held, useMoving } from "./held";

/** What the next catches cost from each cutoff in needless flags, and what the last ones did. */
export function Catches({ scored, held }: { scored: Shown[]; held: Held }) {
  const { words } = useScope();
  const told = scored.filter((c) => c.part.next_catch !== undefined || c.part.last_catch !== undefined);
  if (told.length === 0) return null;
  const full = told.flatMap((c) => [c.part.next_catch, c.part.last_catch]).filter((x) => x && !x.all_left);
  const wanted = full.length > 0 ? Math.min(...full.map((x) => x?.catches ?? 0)) : null;
  const most = Math.max(...told.flatMap((c) => [c.part.next_catch, c.part.last_catch].map((x) => x?.needless ?? 0)), 1);
  return (
    <section aria-label="The next catches">
      <h2 className="text-lg">The next {wanted !== null && count(wanted)} catches</h2>
      <table className="w-full text-sm tabular-nums">
        <thead>
          <tr className="text-xs text-soft">
            <td />
            <th className="font-normal text-left" colSpan={2}>
              the last ones
            </th>
            <th className="font-normal text-left" colSpan={2}>
              {words.fp} for more
            </th>
          </tr>
        </thead>
        <tbody>
          {told.map((c) => (
            <Row key={c.position} c={c} most={most} wanted={wanted} held={held} />
          ))}
        </tbody>
      </table>
    </section>
  );
}

type RowProps = { c: Shown; most: number; wanted: number | null; held: Held };

function Row({ c, most, wanted, held }: RowProps) {
  const { pending } = useScope();
  const ready = useMoving(held, c.position) === null && !c.pending && !pending;
  const { next_catch: next, last_catch: last } = c.part;
  return (
    <tr className="border-t border-light" data-beside={c.letter}>
      <td className="py-1 w-7">
        <Tile position={c.position} letter={c.letter} />
      </td>
      <Priced of={last} ready={ready} most={most} wanted={wanted} back />
      <Priced of={next} ready={ready} most={most} wanted={wanted} />
    </tr>
  );
}

type Priced = {
  of: Schemas["Catch"] | null | undefined;
  ready: boolean;
  most: number;
  wanted: number | null;
  back?: boolean;
};

function Priced({ of, ready, most, wanted, back = false }: Priced) {
  if (!ready) return <td colSpan={2}>{PENDING}</td>;
  if (!of)
    return (
      <td colSpan={2} className="text-soft text-xs">
        none {back ? "is flagged" : "is left below"}
      </td>
    );
  const { value, low, high } = of.price;
  const title = `${count(of.catches)} catches${of.all_left ? ", all there are" : ""}: needless flags a catch ${shown(value)}${
    low == null ? "" : `, ${shown(low)} to ${shown(high ?? null)}`
  }`;
  const bar = (
    <span
      className={`inline-block h-2.5 align-middle ${back ? "bg-passed" : "bg-needless"}`}
      style={{ width: `${(36 * of.needless) / most}px` }}
    />
  );
  return (
    <>
      <td className={`w-10 ${back ? "text-right" : "text-left"}`} title={title}>
        {bar}
      </td>
      <td className="pl-1.5 pr-2" title={title}>
        <b className={`font-semibold ${back ? "" : "text-ochre"}`}>
          {back ? "−" : "+"}
          {count(of.needless)}
        </b>
        <span className="text-xs text-soft block">
          {of.catches !== wanted && <>for {count(of.catches)}, </>}
          <span className="whitespace-nowrap">{of.cutoff === null ? "above all" : `≥ ${asSet(of.cutoff)}`}</span>
        </span>
      </td>
    </>
  );
}
