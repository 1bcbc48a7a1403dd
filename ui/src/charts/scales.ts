import { type ScaleLinear, scaleLinear } from "d3-scale";

export type Scale = ScaleLinear<number, number>;
export type Interval = [number, number];

/** From the lowest to the highest of some numbers, with a little room on either side; null where there are none. */
export function domainOf(numbers: (number | null | undefined)[]): Interval | null {
  const found = numbers.filter((x): x is number => typeof x === "number");
  if (found.length === 0) return null;
  const [low, high] = [Math.min(...found), Math.max(...found)];
  const pad = 0.06 * (high - low) || 0.05;
  return [low - pad, high + pad];
}

const DIGITS = 12; // what a step added to itself leaves behind lies below these

/** The ticks of a ruler in about so many steps, all inside the domain, and those between them, four to a step. */
export function ticksOf(domain: Interval, about: number): { major: number[]; minor: number[] } {
  const scale = scaleLinear(domain, [0, 1]);
  const major = scale.ticks(about);
  const [first, second] = major;
  if (first === undefined || second === undefined) return { major, minor: [] };
  const step = (second - first) / 5;
  const [low, high] = domain;
  const minor: number[] = [];
  for (let k = Math.ceil((low - first) / step); first + k * step <= high; k++)
    if (k % 5 !== 0) minor.push(Number((first + k * step).toPrecision(DIGITS)));
  return { major, minor };
}

/** A stretch of a domain made larger or smaller around a place, kept within the whole and above a least size. */
export function zoomed([low, high]: Interval, by: number, around: number, [least, most]: Interval): Interval {
  const size = Math.min(most - least, Math.max((most - least) / 100, (high - low) * by));
  const share = high > low ? (around - low) / (high - low) : 0.5;
  const from = Math.min(most - size, Math.max(least, around - share * size));
  return [from, from + size];
}
