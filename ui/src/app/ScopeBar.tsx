import { DropdownMenu } from "radix-ui";
import { Tile } from "../parts/basics";
import { asSet, several, shown } from "../parts/number";
import { metricOf, type Shown, useScope } from "./scope";
import { ITEM, MENU } from "./TopBar";

const MOST_NAMED = 6; // candidates that find room with their names; of more each is its letter

/** What is being read: it governs every view. */
export function ScopeBar() {
  const { study, split, show, all, go, positive, query, many, pending } = useScope();
  const rows = (name: string) => Object.values(study.balance[name] ?? {}).reduce((a, b) => a + b, 0);
  const share = all[0] ? metricOf(all[0].part, "prevalence").value : null;
  const splits = Object.keys(study.balance);
  const folded = all.length > MOST_NAMED;
  const said = (c: Shown) => (c.shownCutoff !== null ? `≥ ${asSet(c.shownCutoff)}` : c.runs_now ? "runs now" : c.gives);
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
      {many ? (
        <ClassRead />
      ) : (
        <span className="border border-rule bg-sheet rounded-md px-2.5 py-1">
          class <b className="font-semibold">{positive}</b>{" "}
          {share !== null && <span className="text-soft">{shown(share)} of rows</span>}
        </span>
      )}
      <span className="flex-1" />
      {all.map((c) => {
        const on = show.includes(c.position);
        return (
          <button
            key={c.position}
            type="button"
            aria-pressed={on}
            data-chip={c.letter}
            title={`${c.name}${said(c) && ` ${said(c)}`}: switch ${on ? "off" : "on"}${c.position < 10 ? ` (${c.position})` : ""}`}
            aria-label={`${c.letter} ${c.name} ${said(c)}`}
            onClick={() => go({ show: on ? show.filter((p) => p !== c.position) : [...show, c.position] })}
            className={`flex items-center gap-1.5 border border-rule rounded-md py-1 ${folded ? "px-1" : "pl-1 pr-2"} ${on ? "bg-sheet" : "text-soft"}`}
          >
            <Tile position={c.position} letter={c.letter} off={!on} />
            {!folded && (
              <>
                <span className="max-w-36 truncate">{c.name}</span>
                <span className="text-xs text-soft">{said(c)}</span>
              </>
            )}
          </button>
        );
      })}
    </section>
  );
}

/** Of three classes or more, the one that curves are read for, against the rest. */
function ClassRead() {
  const { study, split, of, called, go } = useScope();
  const balance = study.balance[split] ?? {};
  const whole = Object.values(balance).reduce((a, b) => a + b, 0);
  const share = (label: string) => (whole > 0 ? `${shown((balance[label] ?? 0) / whole)} of rows` : "no rows");
  const { classes } = study.holdout;
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger className="border border-rule bg-sheet rounded-md px-2.5 py-1 max-w-72" data-part="class">
        class <b className="font-semibold">{called(of)}</b> <span className="text-soft">{share(of)}</span> ▾
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="start" sideOffset={4} className={`${MENU} max-h-[70vh] overflow-auto`}>
          <DropdownMenu.Label className="px-2.5 py-1 text-sm text-soft">
            {several(classes.length, "class", "classes")}; curves read one against the rest
          </DropdownMenu.Label>
          {classes.map((label) => (
            <DropdownMenu.Item key={label} className={ITEM} onSelect={() => go({ of: label })}>
              <b className="font-semibold">{called(label)}</b> <span className="text-soft">{share(label)}</span>
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
