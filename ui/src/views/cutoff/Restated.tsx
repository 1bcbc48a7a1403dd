import { useParts } from "../../api/queries";
import { type Shown, useScope } from "../../app/scope";
import { PENDING, Tile } from "../../parts/basics";
import { NumberField } from "../../parts/NumberField";
import { count, shown } from "../../parts/number";
import { type Held, useMoving } from "./held";
import { usePrices } from "./prices";

const TOLD = ["precision", "flagged_share"] as const;

/** Precision, flagged rows and cost where another share of the rows is positive. */
export function Restated({ scored, held }: { scored: Shown[]; held: Held }) {
  const { study, split, slice, own, go, query, few, positive, metric, baseRate } = useScope();
  const [prices] = usePrices();
  const given = Number(own.base ?? "");
  const rate = own.base && given > 0 && given < 1 ? given : null;
  const asked = useParts(
    study.id,
    rate === null
      ? null
      : {
          kinds: ["expected"],
          split,
          cutoffs: query,
          within: slice,
          baseRate: rate,
          prices: [prices.needless, prices.missed],
        },
  );
  if (few) return null;
  const set = (to: number | null) => {
    const { base: _, ...others } = own;
    go({ own: to === null ? others : { ...others, base: String(to) } });
  };
  const late = asked.isPlaceholderData || !asked.data;
  return (
    <section aria-label="Expected base rate">
      <p className="flex items-center gap-1.5 text-sm text-soft flex-wrap">
        expected share of {positive}
        <NumberField
          label="Expected base rate"
          value={rate}
          optional
          placeholder={shown(baseRate)}
          allowed={(x) => x > 0 && x < 1}
          onSet={set}
        />
      </p>
      {rate !== null && (
        <table className="w-full text-sm tabular-nums mt-1">
          <thead>
            <tr className="text-xs text-soft text-left">
              <td />
              {TOLD.map((name) => (
                <th key={name} className="font-normal">
                  {metric(name).short.toLowerCase()}
                </th>
              ))}
              <th className="font-normal">cost</th>
            </tr>
          </thead>
          <tbody>
            {scored.map((c) => (
              <Row key={c.position} c={c} held={held} found={late ? null : restated(asked.data, c, split)} />
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

type Found = Record<string, { value: number | null; low?: number | null; high?: number | null; why?: string }>;

function restated(parts: ReturnType<typeof useParts>["data"], c: Shown, split: string): Found | null {
  const told = parts?.candidates?.find((x) => x.name === c.result.name)?.splits?.[split]?.at_expected_base_rate;
  return (Array.isArray(told) ? told[0] : told)?.metrics ?? null;
}

function Row({ c, held, found }: { c: Shown; held: Held; found: Found | null }) {
  const ready = useMoving(held, c.position) === null && !c.pending && found !== null;
  const cost = found?.cost;
  const thousand = (x: number | null | undefined) => (x == null ? shown(null) : count(Math.round(1000 * x)));
  return (
    <tr className="border-t border-light align-top" data-restated={c.letter}>
      <td className="py-1 w-7">
        <Tile position={c.position} letter={c.letter} />
      </td>
      {TOLD.map((name) => {
        const m = found?.[name];
        return (
          <td key={name} className="py-0.5 leading-tight" title={m?.why}>
            <b className="font-semibold" data-metric={name}>
              {ready ? shown(m?.value) : PENDING}
            </b>
            <span className="block text-xs text-soft whitespace-nowrap">
              {ready && m?.low != null && `${shown(m.low)} to ${shown(m.high ?? null)}`}
            </span>
          </td>
        );
      })}
      <td className="py-0.5 leading-tight" title={cost?.why}>
        <b className="font-semibold" data-metric="cost">
          {ready ? thousand(cost?.value) : PENDING}
        </b>
        <span className="block text-xs text-soft whitespace-nowrap">
          {ready && cost?.low != null && `${thousand(cost.low)} to ${thousand(cost.high)}`}
        </span>
      </td>
    </tr>
  );
}
