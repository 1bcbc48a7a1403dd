import type { InputHTMLAttributes } from "react";

type Props = Omit<InputHTMLAttributes<HTMLInputElement>, "onChange" | "value"> & {
  label: string;
  value: string;
  onSay: (value: string) => void;
};

/** A line of text, or a number, with its label above. */
export function Entry({ label, value, onSay, className = "", ...rest }: Props) {
  return (
    <label className="block">
      <span className="block text-sm text-soft">{label}</span>
      <input className={`field ${className}`} value={value} onChange={(e) => onSay(e.target.value)} {...rest} />
    </label>
  );
}
