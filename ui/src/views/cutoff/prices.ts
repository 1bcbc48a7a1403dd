import { useScope } from "../../app/scope";
import type { Prices } from "../../charts/tally";

const FIRST: Prices = { needless: 1, missed: 10 };

/** What a needless flag and a miss cost, as the address says; and how to say otherwise. */
export function usePrices(): [Prices, (to: Prices) => void] {
  const { own, setOwn } = useScope();
  const [needless, missed] = (own.costs ?? "").split(":").map((text) => (text === "" ? Number.NaN : Number(text)));
  const right = (x: number | undefined): x is number => x !== undefined && Number.isFinite(x) && x >= 0;
  const prices = right(needless) && right(missed) ? { needless, missed } : FIRST;
  return [prices, (to) => setOwn({ costs: `${to.needless}:${to.missed}` })];
}
