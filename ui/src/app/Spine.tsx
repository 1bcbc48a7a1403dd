import { Link } from "react-router";
import { useDossier, useFindings } from "../api/queries";
import { PENDING } from "../parts/basics";
import { asSet, count, named, several } from "../parts/number";
import { metricOf, type Scope, type SplitResult, useScope, writeAddress } from "./scope";
import { useSteps } from "./steps";

/** `note`: what was found there. `needs`: it waits for the person. `read`: nothing there is left to do. */
type State = { read: boolean; needs: boolean; opened: boolean; note: string };

/** The steps in order, each with its state, as a printed checklist: the checklist for sign-off. */
export function Spine({ step }: { step: string }) {
  const scope = useScope();
  const dossier = useDossier(scope.study.id).data;
  const findings = useFindings(scope.study.id, scope.query).data?.findings;
  const search = writeAddress({ ...scope, own: {} }, scope.study).toString();
  const { all } = useSteps();
  const open = (findings ?? []).filter((f) => f.level === "warning" && !f.word).length;
  const found: Found = { open, exhibits: dossier?.exhibits.length ?? 0, decision: dossier?.decision_candidate ?? null };
  return (
    <nav aria-label="Steps" className="w-[164px] shrink-0 border-r border-rule py-3 overflow-auto">
      <ol>
        {all.map(({ title, step: own, load }) => {
          const open = load ? own : undefined;
          if (!open)
            return (
              <li
                key={title}
                aria-disabled="true"
                className="flex gap-3 px-3.5 py-[7px] border-l-[3px] border-transparent text-soft"
              >
                <Box kind="absent" />
                <span>
                  <span className="block leading-tight">{title}</span>
                  <span className="text-xs">not available yet</span>
                </span>
              </li>
            );
          const here = step === open || (open === "dossier" && step === "revisions");
          const state = stateOf(open, scope, found);
          const kind = state.needs ? "needs" : state.read ? "read" : "new";
          return (
            <li key={title}>
              <Link
                to={{ pathname: `/studies/${scope.study.id}/${open}`, search }}
                aria-current={here ? "page" : undefined}
                data-step={open}
                data-state={kind}
                className={`flex gap-3 px-3.5 py-[7px] border-l-[3px] ${here ? "bg-sheet border-ink" : "border-transparent hover:bg-light"}`}
              >
                <Box kind={kind} />
                <span className="min-w-0">
                  <span className={`block leading-tight ${here ? "font-semibold" : ""}`}>{title}</span>
                  <span
                    title={state.note}
                    className={`block text-xs tracking-tight truncate ${state.needs ? "text-scarlet" : "text-soft"}`}
                  >
                    {state.opened || state.needs ? state.note : "not opened"}
                  </span>
                </span>
              </Link>
            </li>
          );
        })}
      </ol>
    </nav>
  );
}

type Found = { open: number; exhibits: number; decision: string | null };

function stateOf(step: string, scope: Scope, found: Found): State {
  const { study, results, pending } = scope;
  const opened = study.steps_read.includes(step);
  const state = (note: string, needs = false): State => ({ read: opened, opened, needs, note });
  if (step === "intake")
    return found.open > 0
      ? state(`${several(found.open, "warning")} open`, true)
      : state(`${count(study.holdout.rows)} rows`);
  if (step === "roster") {
    const fails = (results.gates ?? []).filter((g) => g.level === "must" && g.status !== "pass").length;
    if (!pending && fails > 0) return state(several(fails, "gate not passed", "gates not passed"), true);
    return state(several(study.candidates.length, "candidate"));
  }
  if (step === "matrix") return state(pending ? PENDING : errors(scope));
  if (step === "curves") return state(scope.lacking ? PENDING : scope.few ? "too few rows" : areas(scope));
  if (step === "calibration") return state(scope.few ? "too few rows" : promised(scope));
  if (step === "cutoff") {
    const peeked = study.candidates.filter((c) => c.cutoff !== null && c.cutoff_chosen_on === study.holdout.report_on);
    if (peeked.length > 0)
      return state(`${named(peeked.map((c) => c.letter))} chosen on ${study.holdout.report_on}`, true);
    const set = study.candidates.flatMap((c) => (c.cutoff === null ? [] : asSet(c.cutoff)));
    return state(set.length === 0 ? "none to set" : set.length > 3 ? `${set.length} cutoffs` : set.join(", "));
  }
  if (step !== "dossier") return state("opened");
  if (study.stamp === "returned") return state(`revision ${study.revision} returned`, true);
  if (study.stamp) return { ...state(`revision ${study.revision} ${study.stamp}`), read: true, opened: true };
  if (found.exhibits > 0 && found.decision === null) return state("no decision yet", true);
  return { ...state(several(found.exhibits, "exhibit")), read: opened && found.exhibits > 0 };
}

/** From the fewest to the most errors of a candidate on the rows that are read. */
function errors({ chosen, many, words }: Scope): string {
  const wrong = chosen.flatMap(({ part }) => (many ? part.errors : part.outcomes?.fn) ?? []);
  if (wrong.length === 0) return "no class predicted";
  return `${span(wrong.map(count), wrong)} ${many ? "wrong" : words.fn}`;
}

const LEAST = 10; // rows of the rarer outcome, under which nothing is said of a calibration

/** Rows of the rarer of two classes; of more, of right and wrong. */
function rarer({ actual, rows, errors }: SplitResult): number {
  const counts = Object.values(actual);
  return counts.length > 2 ? Math.min(errors ?? 0, rows - (errors ?? 0)) : Math.min(...counts);
}

/** Whose probabilities are not what happened: by the intercept's whole interval, else by the expected gap's test. */
function promised({ chosen, results }: Scope): string {
  const told = chosen.filter((c) => metricOf(c.part, "ece").value !== null);
  if (told.length === 0) return "no probability";
  const enough = told.filter((c) => rarer(c.part) >= LEAST);
  if (enough.length === 0) return "too few rows to say";
  const off = enough
    .map((c) => ({ c, m: metricOf(c.part, "calibration_intercept") }))
    .filter(({ m }) => (m.low ?? 0) > 0 || (m.high ?? 0) < 0)
    .sort((a, b) => Math.abs(b.m.value ?? 0) - Math.abs(a.m.value ?? 0))[0];
  if (off) return `${off.c.letter} promises too ${(off.m.value ?? 0) < 0 ? "much" : "little"}`;
  const alpha = 1 - results.settings.confidence;
  const places = enough.find((c) => (metricOf(c.part, "ece").p_calibrated ?? 1) <= alpha);
  return places ? `${places.letter} off in places` : "as promised";
}

function areas({ chosen, many }: Scope): string {
  const found = chosen.flatMap((c) => metricOf(c.part, many ? "roc_auc_macro" : "roc_auc").value ?? []);
  return found.length === 0
    ? "no scores"
    : `AUC ${span(
        found.map((x) => x.toFixed(2)),
        found,
      )}`;
}

function span(texts: string[], values: number[]): string {
  const at = (x: number) => texts[values.indexOf(x)] ?? "";
  const [low, high] = [at(Math.min(...values)), at(Math.max(...values))];
  return low === high ? low : `${low} to ${high}`;
}

/** An empty box, a tick in ink, or a scarlet mark where the person is needed. */
function Box({ kind }: { kind: "new" | "read" | "needs" | "absent" }) {
  return (
    <svg width={16} height={16} viewBox="0 0 16 16" aria-hidden="true" className="shrink-0 mt-0.5">
      <rect
        x={2}
        y={3}
        width={11}
        height={11}
        fill="none"
        stroke={
          kind === "needs" ? "var(--color-scarlet)" : kind === "absent" ? "var(--color-faint)" : "var(--color-ink)"
        }
        strokeDasharray={kind === "absent" ? "2 2" : undefined}
      />
      {kind === "read" && <path d="M4.5,8.5 L7,11.5 L14,2" fill="none" stroke="var(--color-ink)" strokeWidth={1.8} />}
      {kind === "needs" && (
        <path d="M7.5,5.5 v4 M7.5,11 v1.2" stroke="var(--color-scarlet)" strokeWidth={1.8} fill="none" />
      )}
    </svg>
  );
}
