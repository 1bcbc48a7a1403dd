import { Popover } from "radix-ui";
import type { ButtonHTMLAttributes, ReactNode } from "react";
import { ProblemError } from "../api/client";
import { colour } from "../app/scope";

const KINDS = {
  plain: "bg-sheet border-rule hover:border-ink",
  strong: "bg-sheet border-ink font-semibold hover:bg-light",
  scarlet: "bg-scarlet border-scarlet text-on-accent font-semibold hover:opacity-90",
  bare: "border-transparent hover:bg-light",
};

export function Button({
  kind = "plain",
  className = "",
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { kind?: keyof typeof KINDS }) {
  return (
    <button
      type="button"
      className={`border rounded-md px-2.5 py-1 disabled:opacity-45 ${KINDS[kind]} ${className}`}
      {...rest}
    />
  );
}

/** A candidate's letter on its colour. */
export function Tile({ position, letter, off = false }: { position: number; letter: string; off?: boolean }) {
  return (
    <span
      className="inline-flex items-center justify-center w-[18px] h-[18px] rounded-md text-xs font-bold shrink-0"
      style={
        off
          ? { border: "1px solid var(--color-rule)", color: "var(--color-soft)" }
          : { background: colour(position), color: "var(--color-on-accent)" }
      }
    >
      {letter}
    </span>
  );
}

/** The sentence at the top of a view. */
export function Sentence({ children }: { children: ReactNode }) {
  return (
    <p
      className="font-serif text-lg leading-snug border-l-[3px] border-ink pl-3 my-3 max-w-[104ch]"
      data-part="sentence"
    >
      {children}
    </p>
  );
}

export function ViewHead({ title, note, children }: { title: string; note?: ReactNode; children?: ReactNode }) {
  return (
    <header className="flex items-baseline gap-4 justify-between flex-wrap">
      <h1 className="text-xl">{title}</h1>
      {note && <p className="text-sm text-soft">{note}</p>}
      {children}
    </header>
  );
}

/** What went wrong: the sentence, then each fault on a line of its own, and a way to ask again where that may help. */
export function Fault({ error, again }: { error: unknown; again?: () => void }) {
  if (!error) return null;
  const problem = error instanceof ProblemError ? error : null;
  return (
    <div role="alert" className="border-l-[3px] border-scarlet bg-scarlet-soft px-3 py-2 my-3">
      <p className="font-semibold">{problem?.detail ?? (error instanceof Error ? error.message : String(error))}</p>
      {problem && problem.problems.length > 0 && (
        <ul className="mt-1 max-h-64 overflow-auto text-sm">
          {problem.problems.map((line) => (
            <li key={line} className="py-0.5 break-words">
              {line}
            </li>
          ))}
          {problem.count > problem.problems.length && (
            <li className="py-0.5">… and {(problem.count - problem.problems.length).toLocaleString("en-US")} more</li>
          )}
        </ul>
      )}
      {again && (
        <Button className="mt-2" onClick={again}>
          Ask again
        </Button>
      )}
    </div>
  );
}

export function Loading({ what }: { what: string }) {
  return (
    <p role="status" className="text-soft py-8">
      {what} …
    </p>
  );
}

/** A small sheet that opens beside what was pressed. */
export function Sheet({ trigger, label, children }: { trigger: ReactNode; label: string; children: ReactNode }) {
  return (
    <Popover.Root>
      <Popover.Trigger asChild>{trigger}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label={label}
          collisionPadding={12}
          sideOffset={5}
          className="z-40 w-80 bg-sheet border border-ink rounded-[4px] p-3"
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
