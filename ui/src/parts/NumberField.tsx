import { useEffect, useState } from "react";
import { asSet } from "./number";

type Props = {
  label: string;
  value: number | null;
  /** Whether a number may stand here. */
  allowed?: (value: number) => boolean;
  /** Told of each number that may, once it is complete: by Enter, or on leaving. Null where the field was emptied. */
  onSet: (value: number | null) => void;
  /** Whether it may be left empty. */
  optional?: boolean;
  placeholder?: string;
  className?: string;
};

/** A number that is typed. What is no number, or may not stand here, is marked and goes nowhere. */
export function NumberField({
  label,
  value,
  allowed,
  onSet,
  optional = false,
  placeholder,
  className = "w-16",
}: Props) {
  const written = value === null ? "" : asSet(value).replace("−", "-");
  const [text, setText] = useState(written);
  useEffect(() => setText(written), [written]);
  const given = text.trim() === "" ? null : Number(text.trim().replace("−", "-"));
  const right = given === null ? optional : Number.isFinite(given) && (allowed?.(given) ?? true);
  const done = () => {
    if (!right) return;
    if (given !== value) onSet(given);
    else setText(written);
  };
  return (
    <input
      className={`border border-rule bg-sheet rounded-md px-1.5 py-0.5 text-ink tabular-nums aria-[invalid=true]:border-scarlet ${className}`}
      inputMode="decimal"
      aria-label={label}
      aria-invalid={!right}
      placeholder={placeholder}
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={done}
      onKeyDown={(e) => {
        if (e.key === "Enter") {
          e.preventDefault();
          done();
        }
        if (e.key === "Escape") setText(written);
      }}
    />
  );
}
