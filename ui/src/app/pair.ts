import type { Shown } from "./scope";

/** Which two candidates are compared, as an address says it: A-B; the first two where it says none. */
export function pairOf(text: string | undefined, told: Shown[]): [Shown, Shown] | null {
  const [first, second] = (text ?? "").split("-").map((letter) => told.find((c) => c.letter === letter));
  if (first && second && first !== second) return [first, second];
  const [a, b] = told;
  return a && b ? [a, b] : null;
}
