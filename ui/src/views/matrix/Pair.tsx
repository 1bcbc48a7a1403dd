import { pairOf } from "../../app/pair";
import { type Shown, useScope } from "../../app/scope";

/** Choose the two that are compared. */
export function Pair({ told }: { told: Shown[] }) {
  const { own, setOwn } = useScope();
  const pair = pairOf(own.pair, told);
  if (!pair) return null;
  const set = (a: string, b: string) => {
    const other = told.find((c) => c.letter !== a)?.letter ?? b;
    setOwn({ pair: `${a}-${a === b ? other : b}` });
  };
  const select = (label: string, value: Shown, to: (letter: string) => void) => (
    <select
      aria-label={label}
      className="border border-rule bg-sheet rounded-md px-1.5 py-0.5 text-ink max-w-48"
      value={value.letter}
      onChange={(e) => to(e.target.value)}
    >
      {told.map((c) => (
        <option key={c.position} value={c.letter}>
          {c.letter} {c.name}
        </option>
      ))}
    </select>
  );
  return (
    <span className="flex items-baseline gap-1.5">
      {select("One", pair[0], (letter) => set(letter, pair[1].letter))}
      less
      {select("Less the other", pair[1], (letter) => set(pair[0].letter, letter))}
    </span>
  );
}
