import type { ReactNode } from "react";
import type { Shown } from "../../app/scope";
import { Tile } from "../../parts/basics";
import { NumberField } from "../../parts/NumberField";

type Props = {
  c: Shown;
  cutoff: number;
  allowed?: (value: number) => boolean;
  onSet: (value: number) => void;
  /** What stands at the right. */
  children: ReactNode;
};

/** Whose strip it is, with its cutoff to be typed. */
export function StripHead({ c, cutoff, allowed, onSet, children }: Props) {
  return (
    <header className="flex items-center gap-2 min-w-0 mb-0.5">
      <h2 className="font-sans font-semibold text-base flex items-center gap-2 min-w-0">
        <Tile position={c.position} letter={c.letter} />
        <span className="truncate" title={c.name}>
          {c.name}
        </span>
      </h2>
      <NumberField
        label={`Cutoff of ${c.name}, typed`}
        value={cutoff}
        allowed={allowed}
        className="w-[4.6rem] text-sm"
        onSet={(to) => to !== null && onSet(to)}
      />
      <span className="flex-1" />
      {children}
    </header>
  );
}
