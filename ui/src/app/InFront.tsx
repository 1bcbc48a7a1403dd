import { Tile } from "../parts/basics";
import { type Shown, useScope } from "./scope";

/** Which candidate stands in front, where one at a time is shown; the choice is part of the address. */
export function InFront({ of, front }: { of: Shown[]; front: Shown | undefined }) {
  const { setOwn } = useScope();
  return (
    <span className="flex gap-1.5 flex-wrap min-w-0">
      {of.map((c) => (
        <button
          key={c.position}
          type="button"
          aria-label={`${c.letter} ${c.name} in front`}
          aria-pressed={c === front}
          title={c.name}
          className={`rounded-[5px] p-px border ${c === front ? "border-ink" : "border-transparent"}`}
          onClick={() => setOwn({ front: c.letter })}
        >
          <Tile position={c.position} letter={c.letter} off={c !== front} />
        </button>
      ))}
    </span>
  );
}
