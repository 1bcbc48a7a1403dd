import { useState } from "react";
import type { Schemas } from "../../api/client";
import { useFields } from "../../api/queries";
import { useScope } from "../../app/scope";
import { saveCsv } from "../../charts/save";
import { Button, Fault, Loading } from "../../parts/basics";
import { Modal } from "../../parts/Modal";
import { count, several, shown } from "../../parts/number";

type Field = Schemas["FieldSummary"];
type Key = "name" | "kind" | "absent" | "distinct" | "share" | "area";

const COLUMNS: { key: Key; title: string; right?: boolean }[] = [
  { key: "name", title: "Field" },
  { key: "kind", title: "holds" },
  { key: "absent", title: "empty", right: true },
  { key: "distinct", title: "values", right: true },
  { key: "share", title: "class information explained", right: true },
  { key: "area", title: "area", right: true },
];

/** Every field of the hold-out: what it holds, and how strongly it alone tells the classes apart. */
export function Fields() {
  const { study } = useScope();
  const look = useFields(study.id);
  const [order, setOrder] = useState<{ key: Key; down: boolean }>({ key: "share", down: true });
  const [open, setOpen] = useState<Field | null>(null);
  if (look.isError) return <Fault error={look.error} />;
  if (!look.data) return <Loading what="Looking at the fields" />;
  const fields = [...look.data.fields].sort((a, b) => {
    const [x, y] = [a[order.key], b[order.key]];
    if (x === null || y === null) return Number(x === null) - Number(y === null);
    return (order.down ? -1 : 1) * (typeof x === "string" ? x.localeCompare(String(y)) : x - Number(y));
  });
  const save = () =>
    saveCsv(
      [
        ["field", "kind", "rows", "empty", "distinct", "bits", "share_of_class_entropy", "area"],
        ...fields.map((f) => [f.name, f.kind, f.rows, f.absent, f.distinct, f.bits, f.share, f.area]),
      ],
      "fields",
    );
  return (
    <section aria-label="Fields">
      <div className="flex items-baseline gap-4 mt-6 mb-1">
        <h2 className="text-lg">The fields</h2>
        <p className="text-sm text-soft flex-1">
          Over all rows, each field alone: the share of the class entropy it explains beyond chance, and for numbers the
          ROC area as a score.
        </p>
        <Button kind="bare" className="text-sm" onClick={save}>
          CSV
        </Button>
      </div>
      <table className="text-left w-full max-w-[960px]" data-part="fields">
        <thead>
          <tr className="text-sm text-soft border-b border-rule">
            {COLUMNS.map(({ key, title, right }) => (
              <th
                key={key}
                className={`font-normal pr-6 py-1 ${right ? "text-right" : ""}`}
                aria-sort={order.key !== key ? "none" : order.down ? "descending" : "ascending"}
              >
                <button
                  type="button"
                  className="hover:text-ink"
                  onClick={() =>
                    setOrder((o) => ({ key, down: o.key === key ? !o.down : key !== "name" && key !== "kind" }))
                  }
                >
                  {title}
                  {order.key === key && (order.down ? " ↓" : " ↑")}
                </button>
              </th>
            ))}
            <th className="font-normal">by class</th>
          </tr>
        </thead>
        <tbody>
          {fields.map((f) => (
            <tr key={f.name} className="border-b border-light" data-field={f.name}>
              <th scope="row" className="font-semibold pr-6 py-1">
                <button type="button" className="hover:underline text-left break-words" onClick={() => setOpen(f)}>
                  {f.name}
                </button>
              </th>
              <td className="pr-6 text-soft">{f.kind === "constant" && f.distinct === 0 ? "nothing" : f.kind}</td>
              <td className={`pr-6 text-right ${f.absent ? "" : "text-soft"}`}>{count(f.absent)}</td>
              <td className="pr-6 text-right">{count(f.distinct)}</td>
              <td className="pr-6 text-right whitespace-nowrap">
                <span className="inline-block w-20 h-2 bg-passed align-middle mr-2">
                  <span className="block h-2 bg-ink" style={{ width: `${100 * f.share}%` }} />
                </span>
                <span className="inline-block w-12">{f.bars.length ? shown(f.share) : "—"}</span>
              </td>
              <td className="pr-6 text-right">{shown(f.area)}</td>
              <td>
                <Bars field={f} width={150} height={26} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <Modal open={open !== null} onOpenChange={(is) => !is && setOpen(null)} title={open?.name ?? ""}>
        {open && <Large field={open} />}
      </Modal>
    </section>
  );
}

/** Two classes: positives up, the others down; more: all rows together. */
function Bars({ field, width, height }: { field: Field; width: number; height: number }) {
  const { study } = useScope();
  const { classes } = study.holdout;
  const p = classes.indexOf(study.holdout.positive ?? "");
  if (!field.bars.length) return <span className="text-soft text-sm">—</span>;
  const sums = classes.map((_, k) => field.bars.reduce((a, b) => a + (b.rows[k] ?? 0), 0));
  const up = field.bars.map((b) =>
    p >= 0 ? (b.rows[p] ?? 0) / Math.max(1, sums[p] ?? 1) : b.rows.reduce((a, c) => a + c, 0),
  );
  const down = field.bars.map((b) => (p >= 0 ? (b.rows[1 - p] ?? 0) / Math.max(1, sums[1 - p] ?? 1) : 0));
  const most = Math.max(...up, ...down, 1e-9);
  const step = width / field.bars.length;
  const middle = p >= 0 ? height / 2 : height;
  const scale = (middle - 1) / most;
  return (
    <svg width={width} height={height} role="img" aria-label={`${field.name} by class`} className="block">
      <line x1={0} x2={width} y1={middle} y2={middle} stroke="var(--color-rule)" />
      {field.bars.map((b, i) => (
        <g key={b.label}>
          <rect
            x={i * step + 0.5}
            width={Math.max(1, step - 1)}
            y={middle - (up[i] ?? 0) * scale}
            height={(up[i] ?? 0) * scale}
            fill="var(--color-ink)"
          />
          <rect
            x={i * step + 0.5}
            width={Math.max(1, step - 1)}
            y={middle}
            height={(down[i] ?? 0) * scale}
            fill="var(--color-faint)"
          />
        </g>
      ))}
    </svg>
  );
}

function Large({ field }: { field: Field }) {
  const { study, positive, negative } = useScope();
  const { classes } = study.holdout;
  const names = study.holdout.names ?? {};
  return (
    <div className="mt-2">
      <p className="text-soft">
        {field.kind}, {several(field.distinct, "value")}, empty in {count(field.absent)} of {several(field.rows, "row")}
        .{" "}
        {field.bars.length > 0 &&
          `Alone it carries ${shown(field.bits)} bits about the class beyond chance, ${shown(field.share)} of the class entropy${
            field.area === null ? "" : `; as a score its area is ${shown(field.area)}`
          }.`}
      </p>
      {field.bars.length > 0 && (
        <>
          <div className="my-3">
            <Bars field={field} width={430} height={150} />
            {study.holdout.positive !== null && (
              <p className="text-sm text-soft">
                Shares of each class: {positive} up, {negative} down.
              </p>
            )}
          </div>
          <div className="max-h-64 overflow-auto">
            <table className="text-sm w-full text-left">
              <thead>
                <tr className="text-soft border-b border-rule">
                  <th className="font-normal py-1">value</th>
                  {classes.map((c) => (
                    <th key={c} className="font-normal text-right">
                      {names[c] ?? c}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {field.bars.map((b) => (
                  <tr key={b.label} className="border-b border-light">
                    <th scope="row" className="font-normal py-0.5 break-words max-w-60">
                      {b.label === "" ? "(empty)" : b.label}
                    </th>
                    {b.rows.map((n, k) => (
                      <td key={classes[k]} className="text-right">
                        {count(n)}
                      </td>
                    ))}
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        </>
      )}
      {field.bars.length === 0 && <p className="mt-2">It begins {field.first.join(", ") || "with nothing"}.</p>}
    </div>
  );
}
