import { useScope } from "../../app/scope";
import type { Prices } from "../../charts/tally";

const FIRST: Prices = { needless: 1, missed: 10, caught: 0, left: 0 };

/** Prices in the order in which the address and HTTP say them. */
export const inOrder = (p: Prices): [number, number, number, number] => [p.needless, p.missed, p.caught, p.left];

/** The prices that an address says: two or four; the first ones where it says none, or something else. */
export function readPrices(text: string | undefined): Prices {
  const said = (text ?? "").split(":").map((x) => (x === "" ? Number.NaN : Number(x)));
  if ((said.length !== 2 && said.length !== 4) || said.some((x) => !Number.isFinite(x) || x < 0)) return FIRST;
  const [needless = 0, missed = 0, caught = 0, left = 0] = said;
  return { needless, missed, caught, left };
}

/** What the errors cost beyond the right answers to the same rows: all that a choice of a cutoff depends on. */
export const ofErrors = (p: Prices) => ({
  false_positive: p.needless - p.left,
  false_negative: p.missed - p.caught,
});

/** The prices in words, of those right answers that cost anything too. */
export const priced = (p: Prices, words: Record<"tp" | "fn" | "fp" | "tn", string>) =>
  [
    `one ${words.fp} ${p.needless}`,
    `one ${words.fn} ${p.missed}`,
    ...(p.caught ? [`one ${words.tp} ${p.caught}`] : []),
    ...(p.left ? [`one ${words.tn} ${p.left}`] : []),
  ].join(", ");

/** What each outcome costs, as the address says; and how to say otherwise. */
export function usePrices(): [Prices, (to: Partial<Prices>) => void] {
  const { own, setOwn } = useScope();
  const set = (to: Partial<Prices>) =>
    setOwn((now) => {
      const all = inOrder({ ...readPrices(now.costs), ...to });
      return { costs: (all[2] || all[3] ? all : all.slice(0, 2)).join(":") };
    });
  return [readPrices(own.costs), set];
}
