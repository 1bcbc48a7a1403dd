import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import { type RowsAsked, useRowPages } from "../../api/queries";
import { Picture } from "../../app/Picture";
import { type Shown, useScope } from "../../app/scope";
import { PENDING } from "../../parts/basics";
import { shown } from "../../parts/number";
import { PAGE } from "./List";
import type { RowTold } from "./told";

/** How many stand beside each other. */
export const ACROSS = 6;
const [HIGH, SEEN] = [122, 5];

type Props = {
  total: number;
  at: number;
  asked: RowsAsked;
  front: Shown | undefined;
  picture: string;
  onOpen: (at: number) => void;
};

/** The pictures of all rows; under each what the front candidate answered, and how surely. */
export function Sheet({ total, at, asked, front, picture, onOpen }: Props) {
  const { study, called } = useScope();
  const frame = useRef<HTMLDivElement>(null);
  const lines = useVirtualizer({
    count: Math.ceil(total / ACROSS),
    getScrollElement: () => frame.current,
    estimateSize: () => HIGH,
    overscan: 2,
  });
  const items = lines.getVirtualItems();
  const [from, to] = [(items[0]?.index ?? 0) * ACROSS, Math.min(total - 1, (items.at(-1)?.index ?? 0) * ACROSS + 5)];
  const pages = useRowPages(study.id, asked, Math.floor(from / PAGE), Math.floor(Math.max(0, to) / PAGE), PAGE);
  useEffect(() => lines.scrollToIndex(Math.floor(at / ACROSS), { align: "auto" }), [at, lines]);
  return (
    <div>
      <div
        ref={frame}
        className="border-y border-rule overflow-auto relative"
        style={{ height: Math.min(Math.ceil(total / ACROSS), SEEN) * HIGH }}
        role="listbox"
        aria-label="Pictures"
        tabIndex={0}
      >
        <div style={{ height: lines.getTotalSize() }}>
          {items.map(({ index, start }) => (
            <div
              key={index}
              className="absolute left-0 w-full grid gap-1.5 py-1"
              style={{ top: start, height: HIGH, gridTemplateColumns: `repeat(${ACROSS}, minmax(0, 1fr))` }}
              role="presentation"
            >
              {Array.from({ length: Math.min(ACROSS, total - index * ACROSS) }, (_, k) => {
                const place = index * ACROSS + k;
                const row = pages(place);
                const name = row?.fields[picture];
                return (
                  <button
                    key={place}
                    type="button"
                    role="option"
                    aria-selected={place === at}
                    tabIndex={-1}
                    data-row-at={place}
                    className={`text-left border ${place === at ? "border-ink border-l-[3px]" : "border-light"} bg-sheet px-1 min-w-0`}
                    onClick={() => onOpen(place)}
                  >
                    {name ? <Picture name={name} /> : <span className="block h-20" />}
                    <span className="block text-xs truncate">{row ? said(row, front, called) : PENDING}</span>
                  </button>
                );
              })}
            </div>
          ))}
        </div>
      </div>
      <p className="text-sm text-soft font-serif italic mt-1">
        Under each: what {front?.name ?? "the candidate in front"} answered, and how surely.
      </p>
    </div>
  );
}

/** What the front candidate answered for a row, with its score or the probability of that class. */
function said(row: RowTold, front: Shown | undefined, called: (label: string) => string): string {
  const answer = row.answers.find((a) => a.position === front?.position);
  if (!answer?.predicted) return "no answer";
  const sure = answer.score ?? answer.probabilities?.[answer.predicted] ?? null;
  return sure === null ? called(answer.predicted) : `${called(answer.predicted)} ${shown(sure)}`;
}
