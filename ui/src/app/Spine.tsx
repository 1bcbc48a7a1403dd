import { Link } from "react-router";
import { useDossier } from "../api/queries";
import { count } from "../parts/number";
import { type Scope, useScope, writeAddress } from "./scope";
import { STEPS, type Step } from "./steps";

type State = { mark: "read" | "needs" | "new"; note: string };

/** The steps in order, each with its state: the checklist for sign-off. */
export function Spine({ step }: { step: string }) {
  const scope = useScope();
  const dossier = useDossier(scope.study.id).data;
  const search = writeAddress(scope).toString();
  const exhibits = dossier?.exhibits.length ?? 0;
  return (
    <nav aria-label="Steps" className="w-[164px] shrink-0 border-r border-rule py-3 overflow-auto">
      <ol>
        {STEPS.map(({ title, step: open }, i) => {
          if (!open)
            return (
              <li key={title} aria-disabled="true" className="flex gap-3 px-3.5 py-[7px] text-soft">
                <Mark mark="absent" number={i + 1} />
                <span>
                  <span className="block leading-tight">{title}</span>
                  <span className="text-xs">not there yet</span>
                </span>
              </li>
            );
          const here = step === open || (open === "dossier" && step === "revisions");
          const state = stateOf(open, scope, exhibits, dossier?.decision_candidate ?? null);
          return (
            <li key={title}>
              <Link
                to={{ pathname: `/studies/${scope.study.id}/${open}`, search }}
                aria-current={here ? "page" : undefined}
                data-step={open}
                data-state={state.mark}
                className={`flex gap-3 px-3.5 py-[7px] border-l-[3px] ${here ? "bg-sheet border-scarlet" : "border-transparent hover:bg-light"}`}
              >
                <Mark mark={state.mark} number={i + 1} />
                <span className="min-w-0">
                  <span className={`block leading-tight ${here ? "font-semibold" : ""}`}>{title}</span>
                  <span className="text-xs text-soft">{state.note}</span>
                </span>
              </Link>
            </li>
          );
        })}
      </ol>
    </nav>
  );
}

function stateOf(step: Step, scope: Scope, exhibits: number, decision: string | null): State {
  const { study, results } = scope;
  const read = study.steps_read.includes(step);
  const seen = (note: string): State => ({ mark: read ? "read" : "new", note: read ? note : "not opened" });
  if (step === "intake") return seen(`${count(results.holdout.rows)} rows`);
  if (step === "line-up")
    return seen(study.candidates.length === 1 ? "1 candidate" : `${study.candidates.length} candidates`);
  if (step === "cutoff") {
    const peeked = study.candidates.filter(
      (c) => c.cutoff_chosen_on === study.holdout.report_on && study.holdout.tune_on !== null,
    );
    if (peeked.length > 0)
      return { mark: "needs", note: `${peeked.map((c) => c.letter).join(", ")} chosen on ${study.holdout.report_on}` };
    return seen("seen");
  }
  if (step === "dossier") {
    if (study.stamp === "returned") return { mark: "needs", note: `revision ${study.revision} returned` };
    if (study.stamp) return { mark: "read", note: `revision ${study.revision} ${study.stamp}` };
    if (exhibits > 0 && decision === null) return { mark: "needs", note: "no decision yet" };
    return { mark: exhibits > 0 ? "read" : "new", note: exhibits === 1 ? "1 exhibit" : `${exhibits} exhibits` };
  }
  return seen("seen");
}

function Mark({ mark, number }: { mark: State["mark"] | "absent"; number: number }) {
  const base = "w-[18px] h-[18px] rounded-full shrink-0 inline-flex items-center justify-center text-xs mt-0.5";
  if (mark === "read") return <span className={`${base} bg-moss text-on-accent font-bold`}>✓</span>;
  if (mark === "needs") return <span className={`${base} bg-ochre text-on-accent font-bold`}>!</span>;
  return (
    <span className={`${base} border ${mark === "absent" ? "border-dashed" : ""} border-faint text-soft`}>
      {number}
    </span>
  );
}
