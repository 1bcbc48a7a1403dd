import { useEffect, useLayoutEffect, useRef, useSyncExternalStore } from "react";
import { nearest, place, type Tally } from "../../charts/tally";

const SETTLED = 350; // ms after the last key until a nudged cutoff is kept

/** Where the handles stand while they move: what is drawn of several follows them without the view being made anew. */
export class Held {
  private at = new Map<number, number>();
  private told = new Set<() => void>();
  readonly nudges = new Map<number, (by: number) => void>();

  get = (position: number) => this.at.get(position) ?? null;
  set(position: number, value: number | null) {
    if (value === null) this.at.delete(position);
    else this.at.set(position, value);
    for (const tell of this.told) tell();
  }
  subscribe = (tell: () => void) => {
    this.told.add(tell);
    return () => this.told.delete(tell);
  };
}

/** Where a candidate's handle stands while it moves; null where it rests. */
export const useMoving = (held: Held, position: number) =>
  useSyncExternalStore(held.subscribe, () => held.get(position));

type Rest = {
  position: number;
  /** Where it rests, and how another place is kept. */
  kept: number;
  keep: (to: number) => void;
  tally: Tally;
};

/** A handle: where it stands, and how it is moved, let go of and nudged. What was let go of is kept. */
export function useHandle(held: Held, { position, kept, keep, tally }: Rest) {
  const moving = useMoving(held, position);
  const latest = useRef<number | null>(null);
  const settle = useRef<ReturnType<typeof setTimeout>>(undefined);
  const cutoff = moving ?? kept;
  const move = (value: number) => {
    clearTimeout(settle.current);
    latest.current = value;
    held.set(position, value);
  };
  const release = () => {
    clearTimeout(settle.current);
    const to = latest.current;
    latest.current = null;
    if (to === kept) held.set(position, null);
    else if (to !== null) keep(to);
  };
  // Once the address has what was let go of here, or something newer, that is what is shown.
  // biome-ignore lint/correctness/useExhaustiveDependencies: it is told whenever another cutoff is kept
  useLayoutEffect(() => {
    if (latest.current === null) held.set(position, null);
  }, [kept, held, position]);
  const leave = useRef(release);
  leave.current = release;
  useEffect(
    () => () => {
      leave.current(); // what a key moved is kept even when one goes on at once
      held.set(position, null);
    },
    [held, position],
  );
  const nudge = (by: number) => {
    const k = nearest(tally, latest.current ?? cutoff) + by;
    move(place(tally, Math.min(tally.tp.length - 1, Math.max(0, k))));
    settle.current = setTimeout(release, SETTLED);
  };
  held.nudges.set(position, nudge);
  return { cutoff, moves: moving !== null, move, release, nudge };
}
