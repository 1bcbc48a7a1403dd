import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import { type RowsAsked, useRowPages } from "../../api/queries";
import { type Shown, useScope } from "../../app/scope";
import { PENDING, Tile } from "../../parts/basics";
import { shown } from "../../parts/number";
import type { RowTold } from "./told";

export const PAGE = 100;
const [HIGH, SEEN] = [26, 22]; // of a row, and how many stand in sight

type Props = { total: number; at: number; asked: RowsAsked; front: Shown | undefined; onOpen: (at: number) => void };

/** All rows, as many as there are: those in sight are read, a page at a time. */
export function List({ total, at, asked, front, onOpen }: Props) {
  const { study, chosen } = useScope();
  const frame = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: total,
    getScrollElement: () => frame.current,
    estimateSize: () => HIGH,
    overscan: 6,
  });
  const items = rows.getVirtualItems();
  const [from, to] = [items[0]?.index ?? 0, items.at(-1)?.index ?? 0];
  const pages = useRowPages(study.id, asked, Math.floor(from / PAGE), Math.floor(to / PAGE), PAGE);
  useEffect(() => rows.scrollToIndex(at, { align: "auto" }), [at, rows]);
  const { id, truth, split, show } = study.mapping as Record<"id" | "truth" | "split", string | undefined> & {
    show?: { text?: string; picture?: string };
  };
  const scored = front?.gives === "scores";
  return (
    <div>
      <div
        ref={frame}
        className="border-y border-rule overflow-auto relative"
        style={{ height: Math.min(total, SEEN) * HIGH }}
        role="listbox"
        aria-label="Rows"
        tabIndex={0}
      >
        <div style={{ height: rows.getTotalSize() }}>
          {items.map(({ index, start }) => {
            const row = pages(index);
            const here = index === at;
            return (
              <button
                key={index}
                type="button"
                role="option"
                aria-selected={here}
                className={`absolute left-0 w-full flex items-center gap-2 px-2 text-sm border-b border-light text-left ${here ? "bg-sheet border-l-[3px] border-l-ink font-semibold" : "border-l-[3px] border-l-transparent"}`}
                style={{ height: HIGH, top: start }}
                tabIndex={-1}
                data-row-at={index}
                onClick={() => onOpen(index)}
              >
                {row ? (
                  <>
                    <span className="w-28 truncate tabular-nums">{(id && row.fields[id]) || `row ${row.row}`}</span>
                    <span className="flex-1 min-w-0 truncate text-soft font-normal" dir="auto">
                      {(show?.text && row.fields[show.text]) || firstOf(row, [id, truth, split])}
                    </span>
                    <Said row={row} chosen={chosen} />
                    {scored && <span className="w-12 text-right tabular-nums">{shown(scoreOf(row, front))}</span>}
                    {row.marks.length > 0 && (
                      <span
                        className="text-xs text-soft truncate max-w-16"
                        title={row.marks.map((m) => m.mark).join(", ")}
                      >
                        {row.marks[0]?.mark}
                      </span>
                    )}
                  </>
                ) : (
                  PENDING
                )}
              </button>
            );
          })}
        </div>
      </div>
      <p className="text-sm text-soft font-serif italic mt-1">
        Filled letter: answered as the row was. Outline: otherwise, or no answer.
      </p>
    </div>
  );
}

const scoreOf = (row: RowTold, front: Shown | undefined) =>
  row.answers.find((a) => a.position === front?.position)?.score ?? null;

const firstOf = (row: RowTold, but: (string | undefined)[]) =>
  Object.entries(row.fields).find(([name, value]) => !but.includes(name) && value)?.[1] ?? "";

const MOST = 6;

/** Which candidates are right about a row. */
function Said({ row, chosen }: { row: RowTold; chosen: Shown[] }) {
  const right = (c: Shown) => row.answers.find((a) => a.position === c.position)?.predicted === row.actual;
  const more = chosen.slice(MOST).filter(right).length;
  return (
    <span className="flex gap-0.5">
      {chosen.slice(0, MOST).map((c) => (
        <Tile key={c.position} position={c.position} letter={c.letter} off={!right(c)} />
      ))}
      {chosen.length > MOST && <span className="text-xs text-soft">+{more}</span>}
    </span>
  );
}
