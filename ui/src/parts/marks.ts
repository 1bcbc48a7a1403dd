/** The look of a candidate by its position: colour and dash, which together with its letter tell it apart. */
const COLOURS = 8;
const DASHES = ["", "7 3", "2.5 2.5", "7 2.5 1.5 2.5"];
export const colour = (position: number) => `var(--color-c${((position - 1) % COLOURS) + 1})`;
/** Solid, long, short, dot-dash in turn, and moved on by one each time the colours begin again: 32 that differ. */
export const dash = (position: number) =>
  DASHES[(position - 1 + Math.floor((position - 1) / COLOURS)) % DASHES.length] ?? "";
