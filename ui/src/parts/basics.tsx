import type { ButtonHTMLAttributes, CSSProperties, ReactNode } from "react";
import { ProblemError } from "../api/client";
import { colour } from "./marks";
import { count } from "./number";

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

/** What stands where a number is on its way. */
export const PENDING = "⋯";

type SentenceProps = { children: ReactNode; pending?: boolean; lines?: number };
const NARROW = 1.4; // lines for one, where the window is narrow

/** The sentence at the top of a view. While it is on its way it keeps its room and nothing can be read. */
export function Sentence({ children, pending = false, lines = 2 }: SentenceProps) {
  return (
    <p
      className="font-serif text-lg leading-snug border-l-[3px] border-ink pl-3 my-3 max-w-[104ch] relative min-h-[calc(var(--wide)*1lh)] max-[1100px]:min-h-[calc(var(--narrow)*1lh)]"
      style={{ "--wide": lines, "--narrow": Math.ceil(NARROW * lines) } as CSSProperties}
      data-part="sentence"
      aria-busy={pending}
    >
      {pending && <span className="absolute">{PENDING}</span>}
      <span className={pending ? "invisible" : ""}>{children}</span>
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

type FaultProps = { error: unknown; again?: () => void; done?: () => void; list?: boolean };

/**
 * What went wrong: the sentence, then each fault on a line of its own. It stays until it is read: `again` asks once
 * more where that may help, `done` closes it, `list` leads to the studies where there is nothing to ask for.
 */
export function Fault({ error, again, done, list = false }: FaultProps) {
  if (!error) return null;
  const problem = error instanceof ProblemError ? error : null;
  const gone = problem?.status === 404;
  return (
    <div role="alert" className="border-l-[3px] border-scarlet bg-scarlet-soft px-3 py-2 my-3">
      <p className="font-semibold flex gap-3">
        <span className="flex-1">{problem?.detail ?? (error instanceof Error ? error.message : String(error))}</span>
        {done && (
          <button type="button" className="font-normal link self-start" onClick={done}>
            close
          </button>
        )}
      </p>
      {problem && problem.problems.length > 0 && (
        <ul className="mt-1 max-h-64 overflow-auto text-sm">
          {problem.problems.map((line) => (
            <li key={line} className="py-0.5 break-words">
              {line}
            </li>
          ))}
          {problem.count > problem.problems.length && (
            <li className="py-0.5">… and {count(problem.count - problem.problems.length)} more</li>
          )}
        </ul>
      )}
      {again && !gone && (
        <Button className="mt-2" onClick={again}>
          Try again
        </Button>
      )}
      {list && (
        <a className="link inline-block mt-2 ml-2" href="/">
          All studies
        </a>
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
