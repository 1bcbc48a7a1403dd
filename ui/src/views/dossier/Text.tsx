import { type ReactNode, useEffect, useId, useRef, useState } from "react";
import { ProblemError } from "../../api/client";
import { Button, Fault } from "../../parts/basics";

const PAUSE = 900; // ms without a key until what was typed is kept

type Props = {
  label: string;
  /** Whether the label is for who does not see the page. */
  unseen?: boolean;
  /** As the dossier holds it. */
  value: string;
  rows?: number;
  most: number;
  placeholder?: string;
  /** Keep a text in place of the one it was made from. */
  onKeep: (text: string, from: string) => Promise<unknown>;
  children?: ReactNode;
};

const same = (a: string, b: string) => a.trim() === b.trim();

/**
 * A text of the dossier, kept while it is typed. Where someone else changes it meanwhile, both are shown and the person
 * says which it is to be: neither is lost.
 */
export function Text({ label, unseen = false, value, rows = 1, most, placeholder, onKeep, children }: Props) {
  const id = useId();
  const [typed, setTyped] = useState(value);
  const [base, setBase] = useState(value); // what was there when the text in the field was begun
  const [fault, setFault] = useState<unknown>(null);
  const sent = useRef(value);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);

  if (value !== base && (same(typed, base) || same(typed, value) || same(value, sent.current))) {
    setBase(value);
    if (same(typed, base)) setTyped(value);
  }
  const conflict = value !== base && !same(typed, value) && !same(typed, base) && !same(value, sent.current);

  const keep = async (from = base) => {
    clearTimeout(timer.current);
    if (same(typed, from) || (conflict && from === base)) return;
    sent.current = typed;
    try {
      await onKeep(typed, from);
      setFault(null);
    } catch (e) {
      if (!(e instanceof ProblemError && e.status === 412)) setFault(e);
      sent.current = from;
    }
  };
  const leave = useRef(keep);
  leave.current = keep;
  useEffect(() => () => void leave.current(), []);
  const type = (text: string) => {
    setTyped(text);
    clearTimeout(timer.current);
    timer.current = setTimeout(() => void leave.current(), PAUSE);
  };
  const field = {
    id,
    value: typed,
    maxLength: most,
    placeholder,
    onChange: (e: { target: { value: string } }) => type(e.target.value),
    onBlur: () => void keep(),
  };
  return (
    <div className={unseen ? "" : "mt-3"} data-saving={!same(typed, value)}>
      <label className={unseen ? "sr-only" : "block text-sm text-soft mb-0.5"} htmlFor={id}>
        {label}
      </label>
      {rows === 1 ? (
        <input className="field" {...field} />
      ) : (
        <textarea className="field font-serif text-[14px] leading-snug" rows={rows} {...field} />
      )}
      {conflict && (
        <div role="alert" className="border-l-[3px] border-scarlet bg-scarlet-soft px-3 py-2 my-1">
          <p className="font-semibold">Someone else changed this meanwhile. It now says:</p>
          <p className="font-serif whitespace-pre-wrap max-h-40 overflow-auto">{value || "(nothing)"}</p>
          <div className="flex gap-2 mt-1.5">
            <Button onClick={() => setTyped(value)}>Take theirs</Button>
            <Button
              onClick={() => {
                setBase(value);
                void keep(value);
              }}
            >
              Keep mine
            </Button>
          </div>
        </div>
      )}
      <Fault error={fault} done={() => setFault(null)} />
      {children}
    </div>
  );
}
