import type { Schemas } from "../api/client";
import { PENDING } from "../parts/basics";
import { shown } from "../parts/number";
import { useScope } from "./scope";

type Gate = Schemas["GateResult"];

export const TONES: Record<string, string> = { pass: "", fail: "text-scarlet font-semibold", unclear: "text-ochre" };
const HOW: [string, string, string][] = [
  ["pass", "passes", "pass"],
  ["fail", "fails", "fail"],
  ["unclear", "unclear", "unclear"],
];

/** How many gates pass, fail and are unclear; none where there is no such gate. */
export function tallied(gates: Gate[]): { status: string; text: string }[] {
  return HOW.flatMap(([status, one, more]) => {
    const n = gates.filter((g) => g.status === status).length;
    return n ? [{ status, text: `${n} ${n === 1 ? one : more}` }] : [];
  });
}

/** How the gates stand, in one line, and each that does not pass. */
export function GatesNow() {
  const { results, pending } = useScope();
  const gates = results.gates ?? [];
  if (gates.length === 0) return null;
  const open = gates.filter((g) => g.status !== "pass");
  return (
    <section aria-label="Gates" className="px-3.5 pt-2.5 pb-3 text-sm border-t border-rule">
      <h2 className="text-lg">Gates</h2>
      {pending ? (
        <p>{PENDING}</p>
      ) : (
        <>
          <p>
            {tallied(gates).map(({ status, text }, i) => (
              <span key={status} className={TONES[status]}>
                {i > 0 && <span className="text-ink font-normal"> · </span>}
                {text}
              </span>
            ))}
          </p>
          <ul className="text-soft leading-snug">
            {open.slice(0, 3).map((g) => (
              <li key={`${g.text} ${g.candidate} ${JSON.stringify(g.by)}`}>
                {g.text}: {g.candidate}
                {g.by && ` (${Object.values(g.by).join(", ")})`} {g.read === null ? g.status : shown(g.read)}
              </li>
            ))}
            {open.length > 3 && <li>and {open.length - 3} others, in Roster</li>}
          </ul>
        </>
      )}
    </section>
  );
}
