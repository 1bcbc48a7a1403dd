import {
  type ColumnDef,
  createSortedRowModel,
  rowSortingFeature,
  type SortingState,
  sortFn_basic,
  tableFeatures,
  useTable,
} from "@tanstack/react-table";
import { type ReactNode, type RefObject, type TdHTMLAttributes, useMemo, useState } from "react";

const features = tableFeatures({ rowSortingFeature, sortedRowModel: createSortedRowModel() });

export type Column<R> = {
  key: string;
  head: ReactNode;
  /** What the head says in full. */
  title?: string;
  /** What stands under the head: a ruler. */
  under?: ReactNode;
  cell: (row: R) => ReactNode;
  /** What rows are sorted by; null stands last whichever way. A column without it is not sorted. */
  value?: (row: R) => number | string | null;
  /** Whether the first press puts the largest first. */
  largest?: boolean;
  headClass?: string;
  about?: (row: R) => TdHTMLAttributes<HTMLTableCellElement> & Record<`data-${string}`, string>;
};

type Props<R> = {
  name: string;
  columns: Column<R>[];
  rows: R[];
  /** The cell that names a row. */
  rowHead: (row: R) => ReactNode;
  headTitle: string;
  rowName: (row: R) => string;
  /** Where the order is written that the rows stand in. */
  order?: RefObject<R[]>;
  table?: RefObject<HTMLTableElement | null>;
  /** Rows that are not sorted with the others. */
  below?: ReactNode;
};

/** A table whose columns are data: sorted by pressing a head, each row named by its first cell. */
export function DataTable<R extends object>({
  name,
  columns,
  rows,
  rowHead,
  headTitle,
  rowName,
  order,
  table: element,
  below,
}: Props<R>) {
  const [sorting, setSorting] = useState<SortingState>([]);
  const defs = useMemo(
    () =>
      columns.map(
        (c): ColumnDef<typeof features, R, unknown> => ({
          id: c.key,
          accessorFn: (row) => c.value?.(row) ?? undefined,
          enableSorting: c.value !== undefined,
          sortDescFirst: c.largest ?? false,
          sortUndefined: "last",
          sortFn: sortFn_basic,
        }),
      ),
    [columns],
  );
  const table = useTable({ features, columns: defs, data: rows, state: { sorting }, onSortingChange: setSorting });
  if (order) order.current = table.getRowModel().rows.map((row) => row.original);
  const by = new Map(columns.map((c) => [c.key, c]));
  return (
    <table ref={element} className="w-full" data-part={name}>
      <thead>
        <tr className="border-b border-rule text-left text-sm text-soft align-top">
          <th className="font-normal px-3 py-2">{headTitle}</th>
          {table.getFlatHeaders().map(({ id, column }) => {
            const about = by.get(id);
            if (!about) return null;
            const way = column.getIsSorted();
            if (!about.value)
              return (
                <th key={id} className={`font-normal px-2 py-2 ${about.headClass ?? ""}`}>
                  {about.head}
                </th>
              );
            return (
              <th
                key={id}
                className={`font-normal px-2 py-2 ${about.headClass ?? ""}`}
                aria-sort={way === "desc" ? "descending" : way === "asc" ? "ascending" : "none"}
              >
                <button
                  type="button"
                  className="hover:text-ink whitespace-nowrap"
                  title={about.title}
                  onClick={column.getToggleSortingHandler()}
                >
                  {about.head}
                  {way && <span aria-hidden="true">{way === "desc" ? " ▾" : " ▴"}</span>}
                </button>
                {about.under}
              </th>
            );
          })}
        </tr>
      </thead>
      <tbody>
        {table.getRowModel().rows.map(({ id, original }) => (
          <tr key={id} className="border-b border-light" data-row={rowName(original)}>
            {rowHead(original)}
            {columns.map((c) => (
              <td key={c.key} {...c.about?.(original)}>
                {c.cell(original)}
              </td>
            ))}
          </tr>
        ))}
        {below}
      </tbody>
    </table>
  );
}
