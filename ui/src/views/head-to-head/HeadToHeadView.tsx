import { useMemo, useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { useParts } from "../../api/queries";
import { differenceOf, reported } from "../../app/Difference";
import { Drafted } from "../../app/Drafted";
import { useKeys } from "../../app/keys";
import { pairOf } from "../../app/pair";
import { SaveTable } from "../../app/SaveTable";
import { type Shown, useScope } from "../../app/scope";
import { domainOf } from "../../charts/scales";
import { Whisker } from "../../charts/Whisker";
import { Fault, Loading, PENDING, Tile, ViewHead } from "../../parts/basics";
import { colour } from "../../parts/marks";
import { asSet, count, pShown, shown } from "../../parts/number";
import { Across } from "./Across";
import { Balance } from "./Balance";
import { Level } from "./Level";
import { Scores } from "./Scores";

/** Two candidates on the same rows: metric by metric, who is right where they differ, and what changed between them. */
export function HeadToHeadView() {
  const scope = useScope();
  const { study, split, slice, query, chosen, own, setOwn, few } = scope;
  const two = pairOf(own.pair, chosen);
  const asked = useParts(
    study.id,
    two && !few
      ? { kinds: ["disagreement"], split, cutoffs: query, within: slice, pair: [two[0].position, two[1].position] }
      : null,
  );
  const swap = () => two && setOwn({ pair: `${two[1].letter}-${two[0].letter}` });
  const pairs = useMemo(
    () => chosen.flatMap((a, i) => chosen.slice(i + 1).map((b) => `${a.letter}-${b.letter}`)),
    [chosen],
  );
  const step = (by: number) => {
    const here = two ? pairs.indexOf(`${two[0].letter}-${two[1].letter}`) : -1;
    setOwn({ pair: pairs[(here + by + pairs.length) % pairs.length] ?? null });
  };
  useKeys({ x: swap, "[": () => step(-1), "]": () => step(1) });
  if (!two)
    return (
      <>
        <ViewHead title="Head-to-head" />
        <p>Two candidates are compared here: switch another one on above.</p>
      </>
    );
  const [a, b] = two;
  const told = asked.data?.candidates?.find((c) => c.name === a.result.name)?.splits?.[split]?.disagreement;
  const late = asked.isPlaceholderData || scope.pending;
  const pick = (at: 0 | 1, letter: string) => {
    const next =
      at === 0
        ? [letter, b.letter === letter ? a.letter : b.letter]
        : [a.letter === letter ? b.letter : a.letter, letter];
    setOwn({ pair: next.join("-") });
  };
  return (
    <>
      <ViewHead
        title="Head-to-head"
        note={
          <>
            <span className="kbd">x</span> swaps · <span className="kbd">[</span> <span className="kbd">]</span> other
            pairs
          </>
        }
      />
      <div className="flex items-baseline gap-2 flex-wrap">
        <Pick of={chosen} at={a} label="One" onPick={(x) => pick(0, x)} />
        <span className="text-soft">against</span>
        <Pick of={chosen} at={b} label="The other" onPick={(x) => pick(1, x)} />
      </div>
      <Level a={a} b={b} told={told?.equal_flags} late={late} />
      <Drafted view="head-to-head" />
      <Fault error={asked.error} again={() => void asked.refetch()} />
      {few && <p>Too few rows are read here: counts alone are told of them.</p>}
      <div className="@container">
        <div className="grid gap-x-8 gap-y-6 grid-cols-1 @[760px]:grid-cols-2 items-start">
          <div className="min-w-0 space-y-6">
            {!few && <Ledger a={a} b={b} />}
            {(asked.data || few) && <Made a={a} b={b} />}
          </div>
          <div className="min-w-0 space-y-6">
            {!told && !few && !asked.error && asked.isLoading && <Loading what="Comparing row by row" />}
            {asked.data && !told && !few && (
              <p className="text-soft">One of the two predicts no class here, so nothing is right or wrong.</p>
            )}
            {told && <Balance a={a} b={b} told={told} late={late} />}
            {told?.points && <Scores a={a} b={b} told={told} />}
          </div>
        </div>
        {told && <Across a={a} b={b} />}
      </div>
    </>
  );
}

type PickProps = { of: Shown[]; at: Shown; label: string; onPick: (letter: string) => void };

function Pick({ of, at, label, onPick }: PickProps) {
  return (
    <span className="flex items-center gap-1.5">
      <Tile position={at.position} letter={at.letter} />
      <select
        className="border border-rule bg-sheet rounded-md px-2 py-1 font-semibold max-w-[16rem]"
        aria-label={label}
        value={at.letter}
        onChange={(e) => onPick(e.target.value)}
      >
        {of.map((c) => (
          <option key={c.position} value={c.letter}>
            {c.letter} {c.name}
          </option>
        ))}
      </select>
    </span>
  );
}

/** Every metric of one less that of the other, on the same rows. */
function Ledger({ a, b }: { a: Shown; b: Shown }) {
  const table = useRef<HTMLTableElement>(null);
  const scope = useScope();
  const { study, split, slice, query, results, pending } = scope;
  const there = reported(scope);
  const [whole, setWhole] = useState(false);
  const asked = useParts(study.id, there ? { kinds: ["pairs"], split, cutoffs: query, within: slice } : null);
  const alpha = 1 - results.settings.confidence;
  const late = pending || !asked.data || asked.isPlaceholderData;
  const names = new Set([a.result.name, b.result.name]);
  const pair = (asked.data?.pairs ?? []).find((p) => names.has(p.a) && names.has(p.b));
  const every = study.metrics
    .filter((m) => pair?.metrics[m.name]?.difference != null)
    .map((info) => ({
      info,
      d: differenceOf(asked.data?.pairs ?? [], a, b, (of) => of.metrics[info.name], alpha),
      raw: pair?.metrics[info.name],
    }));
  const tested = every.filter(({ raw }) => raw?.p_adjusted != null);
  const lines = whole || tested.length === 0 ? every : tested;
  const why = tested.length === 0 ? every.find(({ raw }) => raw?.low != null && raw.why)?.raw?.why : null;
  if (!there)
    return (
      <p className="text-soft">
        Candidates are compared by test on {study.holdout.report_on} alone; choose it above to read the differences.
      </p>
    );
  const rows = () => [
    ["metric", "candidate", "less", "split", "difference", "low", "high", "p", "p adjusted", "separated"],
    ...every.map(({ info, d, raw }) => [
      info.name,
      a.name,
      b.name,
      split,
      d.value,
      d.low ?? null,
      d.high ?? null,
      raw?.p ?? null,
      raw?.p_adjusted ?? null,
      d.apart ? "yes" : "no",
    ]),
  ];
  return (
    <section aria-label="Differences" className="text-sm min-h-96">
      <h2 className="text-lg border-b border-ink pb-0.5 flex items-baseline gap-3">
        <span className="flex-1">
          {a.letter} less {b.letter}, on the same rows
        </span>
        <SaveTable
          figure={table}
          of={`${a.name} less ${b.name}`}
          name={`${a.letter}-less-${b.letter}-${split}`}
          rows={rows}
          disabled={late}
        />
      </h2>
      {late && lines.length === 0 && <Loading what="Comparing" />}
      <table ref={table} className="w-full tabular-nums">
        <tbody>
          {lines.map(({ info, d, raw }) => {
            const better =
              d.value === null || info.better === "neither" ? null : d.value > 0 === (info.better === "higher");
            const reach = Math.max(...[d.value, d.low, d.high].map((x) => Math.abs(x ?? 0)));
            return (
              <tr
                key={info.name}
                className="border-b border-light"
                data-difference-of={info.name}
                data-apart={d.apart ?? false}
              >
                <th scope="row" className="font-normal text-left py-0.5 pr-2">
                  {info.title}
                  {info.better === "lower" && <span className="text-soft"> (low)</span>}
                </th>
                <td>
                  {!late && (
                    <Whisker
                      of={d}
                      domain={domainOf([-reach, reach])}
                      color={better === false ? colour(b.position) : colour(a.position)}
                      ring={!d.apart}
                      at={0}
                    />
                  )}
                </td>
                <td className={`text-right px-2 ${d.apart ? "font-semibold" : ""}`}>
                  {late ? PENDING : `${(d.value ?? 0) > 0 ? "+" : ""}${shown(d.value)}`}
                </td>
                <td className="text-soft text-xs whitespace-nowrap">
                  {!late && d.low != null && `${shown(d.low)} to ${shown(d.high)}`}
                </td>
                <td
                  className="text-right pl-2 text-xs whitespace-nowrap"
                  title={raw?.p == null ? (d.why ?? undefined) : `before correction ${shown(raw.p)}`}
                >
                  {late ? "" : raw?.p_adjusted == null ? "not tested" : `p ${pShown(raw.p_adjusted)}`}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {lines.length > 0 && (
        <p className="font-serif italic text-soft mt-1">
          Each whisker has its own scale; only its place beside nought is compared.{" "}
          {tested.length > 0
            ? "Filled: separated, after correction over all pairs. Ring: not. In the colour of the one that is better. "
            : why && `None is tested: ${why}. `}
          {every.length > tested.length && tested.length > 0 && (
            <button type="button" className="link" onClick={() => setWhole(!whole)}>
              {whole ? "those with a test alone" : `and ${count(every.length - tested.length)} without a test`}
            </button>
          )}
        </p>
      )}
      <More lines={lines} />
    </section>
  );
}

type Line = {
  info: { title: string; name: string };
  d: { apart?: boolean; value: number | null };
  raw: Schemas["Difference"] | undefined;
};

/** About how many more rows would separate what these rows do not. */
function More({ lines }: { lines: Line[] }) {
  const told = lines.flatMap(({ info, d, raw }) => {
    const more = (raw as { more_rows?: { rows: number } } | undefined)?.more_rows;
    return !d.apart && more ? [{ info, rows: more.rows }] : [];
  });
  if (told.length === 0) return null;
  return (
    <section aria-label="How many more rows" className="mt-3">
      <h3 className="text-base font-semibold">How many more rows</h3>
      <p>
        If the differences stay as they are, they would be separated by about{" "}
        {told.slice(0, 4).map(({ info, rows }, i) => (
          <span key={info.name}>
            {i > 0 && ", "}
            <b className="font-semibold">{count(rows)}</b> for {info.title}
          </span>
        ))}
        {told.length > 4 && " …"}: a rough guide.
      </p>
    </section>
  );
}

/** What differs in how the two were made, and in what they cost. */
function Made({ a, b }: { a: Shown; b: Shown }) {
  const told = (c: Shown) => {
    const { result } = c;
    const made = Object.entries((result.made_with ?? {}) as Record<string, unknown>).map(
      ([key, value]) => [key, typeof value === "object" ? JSON.stringify(value) : String(value)] as const,
    );
    return new Map<string, string>([
      ...made,
      ...(result.version ? [["version", result.version] as const] : []),
      ["gives", result.gives],
      ...(c.shownCutoff !== null ? [["cutoff", `≥ ${asSet(c.shownCutoff)}, ${c.cutoff_chosen ?? ""}`] as const] : []),
      ...(result.price_per_1000 != null ? [["price of 1,000 rows", asSet(result.price_per_1000)] as const] : []),
      ...(result.latency_ms != null ? [["milliseconds a row", asSet(result.latency_ms)] as const] : []),
    ]);
  };
  const [x, y] = [told(a), told(b)];
  const keys = [...new Set([...x.keys(), ...y.keys()])].filter((k) => x.get(k) !== y.get(k));
  if (keys.length === 0) return null;
  return (
    <section aria-label="What changed between them" className="text-sm">
      <h2 className="text-lg border-b border-ink pb-0.5">What differs in how they were made</h2>
      <dl className="grid grid-cols-[auto_1fr_1fr] gap-x-4">
        {keys.map((key) => (
          <div key={key} className="contents" data-made={key}>
            <dt className="text-soft py-0.5 border-b border-light">{key}</dt>
            <dd className="py-0.5 border-b border-light break-words">{x.get(key) ?? "—"}</dd>
            <dd className="py-0.5 border-b border-light break-words">{y.get(key) ?? "—"}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}
