import type { ReactNode } from "react";

const ORDER = ["error", "warning", "note"];

type Finding = { level: string; code: string; message: string };
type Props<F extends Finding> = {
  list: F[];
  /** What is said beside the heading. */
  aside?: ReactNode;
  /** What stands under a finding. */
  below?: (finding: F) => ReactNode;
};

/** What was noticed in the data or the results, the gravest first. */
export function Findings<F extends Finding>({ list, aside, below }: Props<F>) {
  if (list.length === 0) return null;
  const sorted = [...list].sort((a, b) => ORDER.indexOf(a.level) - ORDER.indexOf(b.level));
  return (
    <section aria-label="Findings" className="mt-5">
      <h2 className="text-lg mb-1">Findings{aside}</h2>
      <ul className="max-w-[104ch]">
        {sorted.map((f) => (
          <li
            key={`${f.code} ${f.message}`}
            data-finding={f.code}
            className={`border-l-[3px] px-3 mb-1.5 ${f.level === "note" ? "border-rule py-0.5" : "border-ochre bg-ochre-soft py-1.5"}`}
          >
            <b className="font-semibold">{f.level}</b> · {f.message}
            {below?.(f)}
          </li>
        ))}
      </ul>
    </section>
  );
}
