type PickProps = { label: string; value: string; options: string[]; none?: string; onPick: (value: string) => void };

/** One of some names, in a field with its label. */
export function Pick({ label, value, options, none, onPick }: PickProps) {
  return (
    <label className="block">
      <span className="block text-sm text-soft">{label}</span>
      <select className="field" value={value} onChange={(e) => onPick(e.target.value)}>
        {(none !== undefined || value === "") && <option value="">{none ?? "choose one"}</option>}
        {options.map((o) => (
          <option key={o} value={o}>
            {o}
          </option>
        ))}
      </select>
    </label>
  );
}
