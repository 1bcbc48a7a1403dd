import { ToggleGroup } from "radix-ui";

type Props<T extends string> = {
  /** What is chosen, for who cannot see it. */
  name: string;
  value: T;
  options: readonly (readonly [T, string])[];
  onChange: (to: T) => void;
};

/** One of a few, all of which can be seen. */
export function Choice<T extends string>({ name, value, options, onChange }: Props<T>) {
  return (
    <ToggleGroup.Root
      type="single"
      value={value}
      aria-label={name}
      className="inline-flex gap-1.5 text-sm"
      onValueChange={(to) => to && onChange(to as T)}
    >
      {options.map(([key, title]) => (
        <ToggleGroup.Item
          key={key}
          value={key}
          className="border rounded-[3px] px-2 py-0.5 border-rule bg-sheet hover:border-ink data-[state=on]:border-ink data-[state=on]:font-semibold"
        >
          {title}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}
