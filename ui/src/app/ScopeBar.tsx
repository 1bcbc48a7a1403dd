import { DropdownMenu } from "radix-ui";
import { Tile } from "../parts/basics";
import { asSet, several, shown } from "../parts/number";
import { metricOf, useScope } from "./scope";
import { ITEM, MENU } from "./TopBar";

/** What is being read: it governs every view. */
export function ScopeBar() {
  const { study, split, show, all, go, positive, query, many, results, pending } = useScope();
  const rows = (name: string) => Object.values(study.balance[name] ?? {}).reduce((a, b) => a + b, 0);
  const share = all[0] ? metricOf(all[0].part, "prevalence").value : null;
  const splits = Object.keys(study.balance);
  const named = (name: string) => (name === "all" ? "All rows" : name[0]?.toUpperCase() + name.slice(1));
  return (
    <section
      aria-label="What is being read"
      className="flex items-center gap-2 px-4 min-h-[44px] py-1.5 shrink-0 border-b border-rule bg-raised flex-wrap"
      data-cutoffs={query}
      data-pending={pending}
    >
      <span className="text-sm text-soft">Reading</span>
      <DropdownMenu.Root modal={false}>
        <DropdownMenu.Trigger className="border border-rule bg-sheet rounded-md px-2.5 py-1" data-part="split">
          <b className="font-semibold">{named(split)}</b> {several(rows(split), "row")}
          {splits.length > 1 && " ▾"}
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content align="start" sideOffset={4} className={MENU}>
            {splits.map((name) => (
              <DropdownMenu.Item key={name} className={ITEM} onSelect={() => go({ split: name })}>
                <b className="font-semibold">{named(name)}</b> {several(rows(name), "row")}
                <span className="text-soft">
                  {name === study.holdout.report_on && " · reported on"}
                  {name === study.holdout.tune_on && " · cutoffs are chosen here"}
                </span>
              </DropdownMenu.Item>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
      <span className="border border-rule bg-sheet rounded-md px-2.5 py-1">
        {many ? (
          several(results.holdout.classes.length, "class", "classes")
        ) : (
          <>
            class <b className="font-semibold">{positive}</b>{" "}
            {share !== null && <span className="text-soft">{shown(share)} of rows</span>}
          </>
        )}
      </span>
      <span className="flex-1" />
      {all.map((c) => {
        const on = show.includes(c.position);
        return (
          <button
            key={c.position}
            type="button"
            aria-pressed={on}
            data-chip={c.letter}
            title={`${c.name}: switch ${on ? "off" : "on"} (${c.position})`}
            onClick={() => go({ show: on ? show.filter((p) => p !== c.position) : [...show, c.position] })}
            className={`flex items-center gap-1.5 border border-rule rounded-md pl-1 pr-2 py-1 ${on ? "bg-sheet" : "text-soft"}`}
          >
            <Tile position={c.position} letter={c.letter} off={!on} />
            <span className="max-w-36 truncate">{c.name}</span>
            <span className="text-xs text-soft">
              {c.shownCutoff !== null ? `≥ ${asSet(c.shownCutoff)}` : c.runs_now ? "runs now" : c.gives}
            </span>
          </button>
        );
      })}
    </section>
  );
}
