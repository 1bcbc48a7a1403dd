import { useParts } from "../../api/queries";
import { Figure } from "../../app/Figure";
import { type Shown, useScope } from "../../app/scope";
import { PENDING, Tile } from "../../parts/basics";
import { NumberField } from "../../parts/NumberField";
import { count, shown } from "../../parts/number";
import { type Held, useMoving } from "./held";
import { inOrder, usePrices } from "./prices";

const TOLD = ["precision", "flagged_share"] as const;

/** Precision, flagged rows and cost where another share of the rows is positive. */
export function Restated({ scored, held }: { scored: Shown[]; held: Held }) {
  const { study, split, slice, own, setOwn, query, few, positive, baseRate } = useScope();
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
          prices: inOrder(prices),
        },
  );
  if (few) return null;
  const set = (to: number | null) => setOwn({ base: to?.toString() ?? null });
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
      {rate !== null &&
        scored.map((c) => (
          <Row key={c.position} c={c} held={held} rate={rate} found={late ? null : restated(asked.data, c, split)} />
        ))}
    </section>
  );
}

type Found = Record<string, { value: number | null; low?: number | null; high?: number | null; why?: string }>;

function restated(parts: ReturnType<typeof useParts>["data"], c: Shown, split: string): Found | null {
  const told = parts?.candidates?.find((x) => x.name === c.result.name)?.splits?.[split]?.at_expected_base_rate;
  return (Array.isArray(told) ? told[0] : told)?.metrics ?? null;
}

function Row({ c, held, found, rate }: { c: Shown; held: Held; found: Found | null; rate: number }) {
  const { metric } = useScope();
  const [prices] = usePrices();
  const ready = useMoving(held, c.position) === null && !c.pending && found !== null;
  const thousand = (x: number | null | undefined) => (x == null ? shown(null) : count(Math.round(1000 * x)));
  const told = [
    ...TOLD.map((name) => [name, metric(name).short.toLowerCase(), shown] as const),
    ["cost", "cost", thousand] as const,
  ];
  return (
    <div className="border-t border-light flex gap-2 py-1 text-sm tabular-nums" data-restated={c.letter}>
      <Tile position={c.position} letter={c.letter} />
      <dl className="grid grid-cols-[auto_auto_1fr] gap-x-2 flex-1 leading-snug">
        {told.map(([name, title, write]) => {
          const m = found?.[name];
          return (
            <div key={name} className="contents">
              <dt className="text-soft">{title}</dt>
              <dd className="font-semibold text-right">
                {ready && m ? (
                  <Figure
                    candidate={c.name}
                    metric={name}
                    value={m}
                    of={`expected base rate ${rate}`}
                    besides={{ base_rate: rate, prices: inOrder(prices) }}
                    text={write(m.value)}
                  />
                ) : (
                  <span data-metric={name}>{PENDING}</span>
                )}
              </dd>
              <dd className="text-xs text-soft leading-5 whitespace-nowrap tracking-tight">
                {ready && m?.low != null && `${write(m.low)} to ${write(m.high)}`}
              </dd>
            </div>
          );
        })}
      </dl>
    </div>
  );
}
