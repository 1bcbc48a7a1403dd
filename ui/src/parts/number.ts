const DASH = "—";
const MOST = 15;

const grouped = (value: number, digits: number) =>
  value.toLocaleString("en-US", { minimumFractionDigits: digits, maximumFractionDigits: digits });

/** A value as people read it: three decimals, but never rounded onto a bound (0, 1) that was not met. */
export function shown(value: number | null | undefined, bounds: number[] = [0, 1]): string {
  if (value === null || value === undefined) return DASH;
  let digits = Math.abs(value) < 1000 ? 3 : 0;
  while (digits < MOST && bounds.some((b) => value !== b && Number(value.toFixed(digits)) === b)) digits += 1;
  if (digits === MOST) digits = 3; // nearer than arithmetic can tell: the bound, as it would be written
  const text = grouped(value, digits);
  return Number(value.toFixed(digits)) === 0 ? text.replace("-", "") : text.replace("-", "−");
}

/** A whole number of rows. */
export const count = (n: number) => n.toLocaleString("en-US");
