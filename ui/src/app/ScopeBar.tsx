import { DropdownMenu } from "radix-ui";
import { useFields, useMarks } from "../api/queries";
import { PENDING, Tile } from "../parts/basics";
import { quoted } from "../parts/conditions";
import { asSet, several, shown } from "../parts/number";
import { useAlone } from "./alone";
import { ofClass, type Shown, toggled, useScope } from "./scope";
import { ITEM, MENU } from "./TopBar";

const MOST_NAMED = 6; // candidates that find room with their names; of more each is its letter

/** What is being read: it governs every view. */
export function ScopeBar() {
  const { study, split, show, all, baseRate, go, positive, query, many, pending, lacking } = useScope();
  const rows = (name: string) => study.holdout.splits[name] ?? 0;
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
          {baseRate !== null && !lacking && <span className="text-soft">{shown(baseRate)} of rows</span>}
        </span>
      )}
      <SliceRead />
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
            onClick={() => go(({ show }) => ({ show: toggled(show, c.position) }))}
            className={`flex items-center gap-1.5 border border-rule rounded-md py-1 ${folded ? "px-1" : "pl-1 pr-2"} ${on ? "bg-sheet" : "text-soft"}`}
          >
            <Tile position={c.position} letter={c.letter} off={!on} />
            {folded ? (
              <span className="sr-only">
                {c.name} {said(c)}
              </span>
            ) : (
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

const MOST_FIELDS = 40;

/** The slice that is read: a chip for each field with its value, and a menu of the fields that hold few values. */
function SliceRead() {
  const { study, split, within, results, lacking, go } = useScope();
  const fields = useFields(study.id).data?.fields ?? [];
  const offered = fields.filter((f) => f.kind === "category" && !(f.name in within)).slice(0, MOST_FIELDS);
  const without = (name: string) => Object.fromEntries(Object.entries(within).filter(([key]) => key !== name));
  const sliced = Object.keys(within).length > 0;
  const marks = Object.keys(useMarks(study.id).data?.marks ?? {});
  const named: [string, string][] = [
    ...Object.entries(study.conditions).flatMap(([name, c]): [string, string][] => (c.alone ? [[name, c.alone]] : [])),
    ...marks.map((mark): [string, string] => [`marked “${mark}”`, `mark ${quoted(mark)}`]),
  ];
  const some = offered.length > 0 || named.length > 0;
  const { read: choose } = useAlone();
  return (
    <>
      {Object.entries(within).map(([name, value]) => (
        <span
          key={name}
          data-slice={name}
          className="border border-ink bg-sheet rounded-md pl-2.5 pr-1 py-1 flex items-baseline gap-1"
        >
          <span
            className={`${name ? "max-w-56" : "max-w-80"} truncate`}
            title={name ? `${name} is ${value || "absent"}` : value}
          >
            {name && `${name} `}
            <b className="font-semibold">{value || "absent"}</b>
          </span>
          <button
            type="button"
            className="px-1 text-soft hover:text-ink"
            aria-label={name ? `All rows, whatever ${name} is` : `All rows, not only where ${value}`}
            onClick={() => go({ within: without(name) })}
          >
            ×
          </button>
        </span>
      ))}
      {sliced && (
        <span className="text-sm text-soft" data-part="slice-rows">
          {lacking ? PENDING : several(results.holdout.splits[split] ?? 0, "row")}
        </span>
      )}
      {!some && !sliced && (
        // its room is kept until the fields are known, so that the bar does not grow by a line then
        <span className="text-sm px-1 py-1 invisible" aria-hidden="true">
          all rows, or a slice ▾
        </span>
      )}
      {some && (
        <DropdownMenu.Root modal={false}>
          <DropdownMenu.Trigger className="text-sm text-soft hover:text-ink px-1 py-1" data-part="slice">
            {sliced ? "and …" : "all rows, or a slice ▾"}
          </DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content align="start" sideOffset={4} className={`${MENU} max-h-[70vh] overflow-auto`}>
              <DropdownMenu.Label className="px-2.5 py-1 text-sm text-soft">Rows of all splits</DropdownMenu.Label>
              {named.map(([name, text]) => (
                <DropdownMenu.Item key={name} className={ITEM} title={text} onSelect={() => choose(text)}>
                  {name}
                </DropdownMenu.Item>
              ))}
              {offered.map((f) => (
                <DropdownMenu.Sub key={f.name}>
                  <DropdownMenu.SubTrigger className={`${ITEM} flex justify-between gap-4`}>
                    {f.name} <span className="text-soft">{several(f.distinct, "value")} ▸</span>
                  </DropdownMenu.SubTrigger>
                  <DropdownMenu.Portal>
                    <DropdownMenu.SubContent className={`${MENU} max-h-[70vh] overflow-auto`}>
                      {f.bars
                        .filter((bar) => bar.others === undefined)
                        .map((bar) => (
                          <DropdownMenu.Item
                            key={bar.label}
                            className={`${ITEM} flex justify-between gap-4`}
                            onSelect={() => go((now) => ({ within: { ...now.within, [f.name]: bar.label } }))}
                          >
                            {bar.label || "absent"}{" "}
                            <span className="text-soft">
                              {several(
                                bar.rows.reduce((a, b) => a + b, 0),
                                "row",
                              )}
                            </span>
                          </DropdownMenu.Item>
                        ))}
                    </DropdownMenu.SubContent>
                  </DropdownMenu.Portal>
                </DropdownMenu.Sub>
              ))}
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
      )}
    </>
  );
}

/** Of three classes or more, the one that curves are read for, against the rest. */
function ClassRead() {
  const { study, of, called, go, baselines, lacking } = useScope();
  const share = (label: string) => {
    const found = baselines[0] && ofClass(baselines[0].part, label)?.prevalence?.value;
    return typeof found === "number" && !lacking ? `${shown(found)} of rows` : "";
  };
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
