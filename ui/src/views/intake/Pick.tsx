import type { Schemas } from "../../api/client";

type Guess = Schemas["Guess"];
type PickProps = {
  label: string;
  value: string | null;
  options: string[];
  none?: string;
  guess?: Guess | undefined;
  onPick: (value: string) => void;
};

/** One of some names, in a field with its label, and why it was proposed; null is not answered yet. */
export function Pick({ label, value, options, none, guess, onPick }: PickProps) {
  const unsaid = value === null || (value === "" && none === undefined);
  return (
    <div>
      <label className="block">
        <span className="block text-sm text-soft">{label}</span>
        <select
          className={`field ${value === null ? "border-ochre" : ""}`}
          value={value === null ? "\0" : value}
          onChange={(e) => onPick(e.target.value)}
        >
          {unsaid && <option value={value === null ? "\0" : ""}>choose one</option>}
          {none !== undefined && <option value="">{none}</option>}
          {options.map((o) => (
            <option key={o} value={o}>
              {o}
            </option>
          ))}
        </select>
      </label>
      {guess?.column && <Why guess={guess} value={value} />}
    </div>
  );
}

function Why({ guess, value }: { guess: Guess; value: string | null }) {
  const readings = [guess.column, ...guess.also];
  if (value === null || (value === "" && guess.also.length > 0))
    return (
      <span className="block text-xs text-ochre">
        {readings.slice(0, 4).join(", ")}
        {readings.length > 4 && ", …"}: each could be it ({guess.why}). Which?
      </span>
    );
  if (value !== guess.column) return null;
  return <span className="block text-xs text-soft">proposed: {guess.why}</span>;
}
