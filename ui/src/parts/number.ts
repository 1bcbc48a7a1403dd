/** How numbers are written: by the rules of the server's own sentences, and one table of cases holds both to them. */
const DASH = "—";
const MOST = 15;

/** A value to so many digits: the exact value's nearest, of two equally near the even one, with no grouping. */
function rounded(value: number, digits: number): string {
  const twice = Math.abs(value) * 2 ** (digits + 1);
  if (!Number.isInteger(twice) || twice % 2 === 0)
    return Math.abs(value) < 1e21 ? value.toFixed(digits) : `${BigInt(value)}${digits ? `.${"0".repeat(digits)}` : ""}`;
  // an odd number of halves of the last digit's unit, times a power of five: exactly in the middle
  const below = (BigInt(twice) * 5n ** BigInt(digits)) / 2n;
  const n = (below % 2n === 0n ? below : below + 1n).toString().padStart(digits + 1, "0");
  const text = digits ? `${n.slice(0, -digits)}.${n.slice(-digits)}` : n;
  return value < 0 ? `-${text}` : text;
}

const grouped = (text: string) => text.replace(/^-?\d+/, (whole) => whole.replace(/\B(?=(\d{3})+$)/g, ","));

/** A value to three digits after the point, but never rounded onto a bound (0, 1) that was not met. */
export function shown(value: number | null | undefined, bounds: number[] = [0, 1]): string {
  if (value === null || value === undefined) return DASH;
  let digits = Math.abs(value) < 1000 ? 3 : 0;
  while (digits < MOST && bounds.some((b) => value !== b && Number(rounded(value, digits)) === b)) digits += 1;
  if (digits === MOST) digits = 3; // nearer than arithmetic can tell: the bound, as it would be written
  const text = rounded(value, digits);
  return grouped(text).replace("-", Number(text) === 0 ? "" : "−");
}

/** A number that someone set, a cutoff above all: the shortest digits that are it and no other. */
export function asSet(value: number): string {
  return String(value + 0)
    .replace("e+", "e")
    .replaceAll("-", "−");
}

/** A number of rows; a sum of sampling weights with one digit after the point. */
export const count = (n: number) => grouped(rounded(n, Number.isInteger(n) ? 0 : 1));

/** A number with its noun. */
export const several = (n: number, noun: string, plural = `${noun}s`) => `${count(n)} ${n === 1 ? noun : plural}`;

/** The letter of the n-th candidate: A to Z, then AA, AB and so on. */
export function letterOf(n: number): string {
  const rest = Math.floor((n - 1) / 26);
  return `${rest > 0 ? letterOf(rest) : ""}${String.fromCharCode(65 + ((n - 1) % 26))}`;
}

/** Names in a row: at most so many, then how many others. */
export function named(names: string[], most = 3): string {
  if (names.length > most + 1) return `${names.slice(0, most).join(", ")} and ${names.length - most} others`;
  return names.length < 2 ? (names[0] ?? "") : `${names.slice(0, -1).join(", ")} and ${names.at(-1)}`;
}

/** A day: 4 March 2026. */
export const day = (iso: string) =>
  new Date(iso).toLocaleDateString("en-GB", { day: "numeric", month: "long", year: "numeric" });

/** A p-value. */
export const pShown = (p: number) => (p < 0.001 ? "under 0.001" : shown(p));
