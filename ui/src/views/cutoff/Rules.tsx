import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useCutoffKeeping, useRuleChoosing } from "../../api/queries";
import { useScope } from "../../app/scope";
import { remember } from "../../app/undo";
import { Button, Fault } from "../../parts/basics";
import { asSet, named } from "../../parts/number";
import { ofErrors, usePrices } from "./prices";

type RuleInfo = Schemas["RuleInfo"];
type Parameters = Omit<Schemas["RuleIn"], "rule">;

const FIRST: Record<string, string> = {
  value: "0.8",
  share: "0.25",
  rows: "100",
};

/** Choose the cutoffs of all candidates by a rule, on the tuning rows. */
export function Rules() {
  const { study, split, cutoffs, go, mayWrite } = useScope();
  const [prices] = usePrices();
  const choosing = useRuleChoosing(study.id);
  const keeping = useCutoffKeeping(study.id);
  const [name, setName] = useState(study.rules[0]?.name ?? "");
  const [numbers, setNumbers] = useState<Record<string, string>>({});
  const rule = study.rules.find((r) => r.name === name);
  if (!rule || !mayWrite) return null;
  const priced: Record<string, number> = ofErrors(prices);
  const called: Record<string, string> = {
    value: "",
    share: "share of rows",
    rows: "rows",
  };
  const takes = (rule.one_of ? rule.takes.slice(0, 1) : rule.takes).filter((key) => !(key in priced));
  const given = (key: string) => numbers[key] ?? FIRST[key] ?? "";
  const cheap = rule.takes.some((key) => (priced[key] ?? 0) < 0);
  const wrong = cheap || takes.some((key) => given(key).trim() === "" || !Number.isFinite(Number(given(key))));
  const on = study.holdout.tune_on ?? study.holdout.report_on;
  const choose = () => {
    const typed = takes.map((key) => [key, Number(given(key))]);
    const prized = rule.takes.flatMap((key) => (key in priced ? [[key, priced[key]]] : []));
    const parameters: Parameters = Object.fromEntries([...typed, ...prized]);
    choosing.mutate(
      { rule: rule.name as Schemas["RuleIn"]["rule"], ...parameters },
      {
        onSuccess: ({ chosen }) => {
          const found = chosen.flatMap(({ position, value }) => (value === null ? [] : [[position, value] as const]));
          const before = found.flatMap(([position]) => {
            const was = cutoffs[position];
            return was === undefined ? [] : [{ position, value: was, chosen_on: split }];
          });
          go((now) => ({ cutoffs: { ...now.cutoffs, ...Object.fromEntries(found) } }));
          remember({
            what: `cutoffs by ${rule.title}`,
            back: async () => {
              for (const one of before) await keeping.mutateAsync(one);
              go({ cutoffs: { ...cutoffs } });
            },
          });
        },
      },
    );
  };
  const letters = new Map(study.candidates.map((c) => [c.position, c.letter]));
  const unmet = choosing.data?.chosen.filter((c) => c.value === null) ?? [];
  return (
    <form
      aria-label="Choose by a rule"
      className="flex items-center gap-2 flex-wrap text-sm"
      onSubmit={(e) => {
        e.preventDefault();
        if (!wrong) choose();
      }}
    >
      <label className="flex items-center gap-2 text-soft">
        rule
        <select
          aria-label="Rule"
          className="border border-rule bg-sheet rounded-md px-2 py-1 text-ink"
          value={name}
          onChange={(e) => setName(e.target.value)}
        >
          {study.rules.map((r: RuleInfo) => (
            <option key={r.name} value={r.name}>
              {r.title}
            </option>
          ))}
        </select>
      </label>
      {takes.map((key) => (
        <label key={key} className="flex items-center gap-1.5 text-soft">
          {called[key] && takes.length > 1 ? called[key] : null}
          <input
            className="border border-rule bg-sheet rounded-md px-2 py-1 w-[4.5rem] text-ink tabular-nums"
            inputMode="decimal"
            aria-label={called[key] || key}
            aria-invalid={wrong}
            value={given(key)}
            onChange={(e) => setNumbers({ ...numbers, [key]: e.target.value })}
          />
          {takes.length === 1 && called[key]}
        </label>
      ))}
      <Button type="submit" disabled={wrong || choosing.isPending}>
        Apply on {on === "all" ? "these rows" : on}
      </Button>
      {cheap && (
        <span role="status" className="text-soft">
          an error costs less than the right answer: no cutoff can be chosen by these costs
        </span>
      )}
      {unmet.length > 0 && (
        <span role="status" className="text-soft">
          {named(unmet.map((c) => letters.get(c.position) ?? ""))}:{" "}
          {unmet[0]?.flags ? "the rule flags nothing" : unmet[0]?.why}; the cutoff stays.
        </span>
      )}
      {choosing.data && unmet.length === 0 && (
        <span role="status" className="sr-only">
          Chosen: {choosing.data.chosen.map((c) => `${letters.get(c.position)} ${asSet(c.value ?? 0)}`).join(", ")}
        </span>
      )}
      <Fault error={choosing.error} done={() => choosing.reset()} />
    </form>
  );
}
