import { useEffect, useRef } from "react";
import { useFields, useMarks, useParts } from "../../api/queries";
import { Drafted } from "../../app/Drafted";
import { InFront } from "../../app/InFront";
import { useKeys } from "../../app/keys";
import { SaveTable } from "../../app/SaveTable";
import { useOwn, useScope } from "../../app/scope";
import { Fault, Loading, ViewHead } from "../../parts/basics";
import { Choice } from "../../parts/Choice";
import { Alike } from "./Alike";
import { FieldPick, SELECT } from "./FieldPick";
import { Grid } from "./Grid";
import { CLASS_METRICS, cutOf, isApart, NAMED, type Order, type Read, type Told } from "./groups";
import { List } from "./List";
import { Worst } from "./Worst";

const SLICED = ["category", "number", "date"];
const MOST_VALUES = 400; // as the server slices

/** A metric by the groups of one field or two, for every candidate, each group against the other rows. */
export function SlicesView() {
  const scope = useScope();
  const { study, split, slice, chosen, own, setOwn, query, results, metric, many, few, of, called } = scope;
  const look = useFields(study.id);
  const fields = (look.data?.fields ?? []).filter(
    (f) => SLICED.includes(f.kind) && (f.kind === "number" || f.distinct <= MOST_VALUES),
  );
  const names = fields.map((f) => f.name);
  const known = (text: string | undefined) => (text && names.includes(cutOf(text, names).name) ? text : "");
  const marks = useMarks(study.id).data?.marks ?? {};
  const named = Object.keys(study.conditions).length + Object.keys(marks).length > 0;
  const by = own.by === NAMED ? NAMED : known(own.by);
  const and =
    by !== NAMED && known(own.and) && cutOf(own.and ?? "", names).name !== cutOf(by, names).name ? (own.and ?? "") : "";
  const first = fields.find((f) => f.kind === "category")?.name ?? names[0];
  useEffect(() => {
    if (!by && first) setOwn({ by: first }); // also where an address names a field that there is not
  }, [by, first, setOwn]);
  const told = study.metrics.filter((m) => chosen.some((c) => m.name in c.part.metrics) && m.better !== "neither");
  const usual = many ? "accuracy" : "recall";
  const ofClass = many ? CLASS_METRICS.find((m) => own.metric === `of:${m}`) : undefined;
  const name = ofClass ?? told.find((m) => m.name === own.metric)?.name ?? usual;
  const info: Read = ofClass ? { ...metric(ofClass), of } : metric(name);
  const [order, setOrder] = useOwn<Order>("order", ["gap", "size", "name"]);
  const [read, setRead] = useOwn<"groups" | "alike">("read", ["groups", "alike"]);
  const [layout, lay] = useOwn<"grid" | "list">("layout", ["grid", "list"]);
  const asked = useParts(
    study.id,
    by && !few && read === "groups"
      ? {
          kinds: ["slices"],
          split,
          cutoffs: query,
          within: slice,
          fields: [by, ...(and ? [and] : [])],
          ...(ofClass ? { of } : {}),
        }
      : null,
  );
  useKeys({
    g: () => setOrder(order === "gap" ? "size" : order === "size" ? "name" : "gap"),
    x: () => and && setOwn({ by: and, and: by }),
  });
  const alpha = 1 - results.settings.confidence;
  const found: Told[] = chosen.flatMap((c) => {
    const of = asked.data?.candidates?.find((x) => x.name === c.result.name)?.splits?.[split]?.slices;
    return of ? [{ c, of }] : [];
  });
  const front = found.find((t) => t.c.letter === own.front) ?? found[0];
  const late = asked.isPlaceholderData || scope.pending;
  const table = useRef<HTMLTableElement>(null);
  if (look.data && fields.length === 0 && !named)
    return (
      <>
        <ViewHead title="Slices" />
        <p>This hold-out has no field to slice by: no category, number or date besides id, class and split.</p>
      </>
    );
  return (
    <>
      <ViewHead
        title="Slices"
        note={
          <>
            {read === "alike" ? "each criterion over all groups" : "each group against the other rows"}
            {read === "groups" && (
              <>
                {" "}
                ·{" "}
                <SaveTable
                  figure={table}
                  of={`${ofClass ? `${info.title} of ${called(of)}` : info.title} by ${[by === NAMED ? "conditions, marks" : by, ...(and ? [and] : [])].join(" and ")}`}
                  name={`slices-${[by, ...(and ? [and] : [])].join("-")}-${name}-${split}`}
                  rows={() => numbersOf(found, info, split, slice, alpha)}
                  disabled={late || found.length === 0}
                />
              </>
            )}
          </>
        }
      />
      <Drafted view="slices" />
      <div className="flex items-baseline gap-x-3 gap-y-1.5 flex-wrap text-sm text-soft mb-2">
        <Choice
          name="what is read"
          value={read}
          options={[
            ["groups", "group by group"],
            ["alike", "treated alike"],
          ]}
          onChange={setRead}
        />
        <select
          hidden={read === "alike"}
          className={SELECT}
          aria-label="Metric"
          value={ofClass ? `of:${name}` : name}
          onChange={(e) => setOwn({ metric: e.target.value === usual ? null : e.target.value })}
        >
          {told.map((m) => (
            <option key={m.name} value={m.name}>
              {m.title}
            </option>
          ))}
          {many &&
            CLASS_METRICS.map((m) => (
              <option key={`of:${m}`} value={`of:${m}`}>
                {metric(m).title} of {called(of)}
              </option>
            ))}
        </select>
        <FieldPick
          label="by"
          fields={fields}
          value={by}
          named={read === "groups" && (named || by === NAMED)}
          onChange={(to) => setOwn({ by: to })}
        />
        {by !== NAMED && (
          <FieldPick
            label="and"
            fields={fields.filter((f) => f.name !== cutOf(by, names).name)}
            value={and}
            optional
            onChange={(to) => setOwn({ and: to || null })}
          />
        )}
        {and && read === "groups" && (
          <Choice
            name="layout"
            value={layout}
            options={[
              ["grid", "as a grid"],
              ["list", "as a list"],
            ]}
            onChange={lay}
          />
        )}
        {read === "groups" && !(and && layout === "grid") && (
          <label className="flex items-baseline gap-1.5">
            sorted by
            <select
              className={SELECT}
              aria-label="Sorted by"
              value={order}
              onChange={(e) => setOrder(e.target.value as Order)}
            >
              <option value="gap">gap</option>
              <option value="size">rows</option>
              <option value="name">name</option>
            </select>
          </label>
        )}
        {read === "groups" && and && layout === "grid" && <InFront of={found.map((t) => t.c)} front={front?.c} />}
      </div>
      <Fault error={asked.error ?? look.error} again={() => void asked.refetch()} />
      {few ? (
        <p>Too few rows are read here to slice them further.</p>
      ) : read === "groups" && !asked.data && !asked.error ? (
        <Loading what="Slicing" />
      ) : read === "alike" ? (
        by && by !== NAMED ? (
          <Alike fields={[by, ...(and ? [and] : [])]} />
        ) : (
          <p className="text-soft">Choose a field whose groups are compared.</p>
        )
      ) : and && layout === "grid" && front ? (
        <Grid told={front} all={found} info={info} alpha={alpha} late={late} table={table} />
      ) : (
        <List told={found} info={info} order={order} alpha={alpha} late={late} table={table} />
      )}
      {!few && read === "groups" && found.length > 0 && <Worst metric={name} />}
    </>
  );
}

function numbersOf(found: Told[], { name: metric, of: label }: Read, split: string, slice: string[], alpha: number) {
  const fields = Object.keys(found[0]?.of[0]?.by ?? {});
  return [
    [
      "candidate",
      "split",
      ...slice.map(() => "slice"),
      ...fields,
      "rows",
      label === undefined ? metric : `${metric} of ${label}`,
      "low",
      "high",
      "less the rest",
      "difference low",
      "difference high",
      "p",
      "p adjusted",
      "separated",
    ],
    ...found.flatMap(({ c, of }) =>
      of.map((s) => {
        const [m, d] = [s.metrics[metric], s.rest[metric]];
        return [
          c.name,
          split,
          ...slice,
          ...fields.map((f) => s.by[f] ?? ""),
          s.rows,
          m?.value ?? null,
          m?.low ?? null,
          m?.high ?? null,
          d?.difference ?? null,
          d?.low ?? null,
          d?.high ?? null,
          d?.p ?? null,
          d?.p_adjusted ?? null,
          isApart(s, metric, alpha) ? "yes" : "no",
        ];
      }),
    ),
  ];
}
