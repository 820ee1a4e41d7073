import { Popover, PopoverButton, PopoverPanel } from "@headlessui/react";
import {
  type ColumnDef,
  flexRender,
  getCoreRowModel,
  getFilteredRowModel,
  getSortedRowModel,
  type SortingState,
  useReactTable,
} from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ArrowDown, ArrowUp, Columns3, Copy, Search } from "lucide-react";
import { useEffect, useId, useRef, useState } from "react";
import { Button } from "./Button.tsx";
import { keepHidden, readHidden, rowAfterKey, withColumn } from "./table-state.ts";
import { useCopy } from "./use-copy.ts";

/* The table is a virtual list of thousands of rows, which a table element cannot be: roles say what it is, and the
   scroller takes the focus and the arrow keys. */
declare module "@tanstack/react-table" {
  interface ColumnMeta<TData, TValue> {
    readonly isNumber?: boolean;
    readonly isMono?: boolean;
  }
}

const rowPx = 28;
const sortWords: Readonly<Record<string, "ascending" | "descending" | "none">> = {
  asc: "ascending",
  desc: "descending",
  false: "none",
};

interface Props<T> {
  readonly rows: readonly T[];
  readonly columns: ColumnDef<T>[];
  readonly label: string;
  readonly rowId: (row: T) => string;
  readonly selectedId?: string | null;
  readonly onSelect?: (row: T) => void;
}

/** A work table: sort, filter, resize, choose columns, keys, copy as CSV; thousands of rows without stutter. */
export function DataTable<T>({ rows, columns, label, rowId, selectedId, onSelect }: Props<T>) {
  const [sorting, setSorting] = useState<SortingState>([]);
  const [filter, setFilter] = useState("");
  const { copy: copyText, isCopied, problem } = useCopy();
  const [hidden, setHidden] = useState(() => readHidden(label, localStorage));
  const own = useId();
  const table = useReactTable({
    data: rows as T[],
    columns,
    state: {
      sorting,
      globalFilter: filter,
      columnVisibility: Object.fromEntries(hidden.map((column) => [column, false])),
    },
    onSortingChange: setSorting,
    onGlobalFilterChange: setFilter,
    getRowId: rowId,
    columnResizeMode: "onChange",
    getCoreRowModel: getCoreRowModel(),
    getSortedRowModel: getSortedRowModel(),
    getFilteredRowModel: getFilteredRowModel(),
    globalFilterFn: "includesString",
  });
  const scroller = useRef<HTMLDivElement>(null);
  const visible = table.getRowModel().rows;
  const virtual = useVirtualizer({
    count: visible.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowPx,
    overscan: 12,
  });
  const copy = async () => {
    const quote = (value: unknown) =>
      /[",\n]/.test(String(value ?? "")) ? `"${String(value).replaceAll('"', '""')}"` : String(value ?? "");
    const leaf = table.getVisibleLeafColumns();
    const lines = [
      leaf.map((column) => quote(column.columnDef.header)),
      ...visible.map((row) => leaf.map((column) => quote(row.getValue(column.id)))),
    ];
    await copyText(lines.map((line) => line.join(",")).join("\n"));
  };
  const selectedAt = visible.findIndex((row) => row.id === selectedId);
  const move = (key: string): boolean => {
    const page = Math.floor((scroller.current?.clientHeight ?? 0) / rowPx) - 1;
    const next = onSelect ? rowAfterKey(key, selectedAt, visible.length, page) : null;
    if (next === null) return false;
    onSelect?.(visible[next].original);
    virtual.scrollToIndex(next);
    return true;
  };
  // what was chosen elsewhere comes into sight
  // biome-ignore lint/correctness/useExhaustiveDependencies: only another choice moves the table
  useEffect(() => {
    const { startIndex = 0, endIndex = 0 } = virtual.range ?? {};
    if (selectedAt >= 0 && (selectedAt < startIndex || selectedAt >= endIndex))
      virtual.scrollToIndex(selectedAt, { align: "center" });
  }, [selectedId]);
  const all = table.getAllLeafColumns();
  const choose = (column: string) => {
    const next = withColumn(
      hidden,
      column,
      all.map(({ id }) => id),
    );
    setHidden(next);
    keepHidden(label, next, localStorage);
  };
  const template = table
    .getVisibleLeafColumns()
    .map((column) => `${column.getSize()}px`)
    .join(" ");
  return (
    <div className="flex h-full min-h-0 flex-col">
      <div className="flex shrink-0 items-center gap-2 border-b border-line px-3 py-1.5">
        <Search className="size-3.5 text-soft" aria-hidden />
        <input
          aria-label={`Filter ${label}`}
          placeholder={`Filter ${rows.length} rows`}
          value={filter}
          onChange={(event) => setFilter(event.target.value)}
          className="h-6 min-w-0 flex-1 bg-transparent text-[13px]"
        />
        <Button look="quiet" className="h-6 px-2 text-xs" title={problem ?? undefined} onClick={() => void copy()}>
          <Copy className="size-3" /> {isCopied ? "Copied" : problem ? "Not copied" : "Copy as CSV"}
        </Button>
        <Popover>
          <PopoverButton
            className="flex h-6 items-center gap-1 rounded px-2 text-xs text-soft hover:bg-raised"
            aria-label={`Columns of ${label}`}
            data-testid="columns"
          >
            <Columns3 className="size-3" aria-hidden />
            {hidden.length > 0 && `${all.length - hidden.length} of ${all.length}`}
          </PopoverButton>
          <PopoverPanel
            anchor="bottom end"
            className="z-20 min-w-40 rounded-md border border-line bg-panel py-1 text-[13px] shadow-lg"
          >
            {all.map((column) => (
              <label key={column.id} className="flex cursor-pointer items-center gap-2 px-3 py-1 hover:bg-raised">
                <input
                  type="checkbox"
                  checked={column.getIsVisible()}
                  onChange={() => choose(column.id)}
                  data-testid={`column-${column.id}`}
                />
                {String(column.columnDef.header)}
              </label>
            ))}
          </PopoverPanel>
        </Popover>
      </div>
      <div
        ref={scroller}
        className="min-h-0 flex-1 overflow-auto"
        role="grid"
        aria-readonly
        aria-label={label}
        aria-rowcount={visible.length + 1}
        aria-activedescendant={selectedAt >= 0 ? `${own}-${selectedAt}` : undefined}
        tabIndex={0}
        onKeyDown={(event) => {
          if (event.target === event.currentTarget && move(event.key)) event.preventDefault();
        }}
      >
        <div
          className="sticky top-0 z-10 grid w-max min-w-full border-b border-line bg-cloth text-xs text-soft"
          style={{ gridTemplateColumns: template }}
          role="row"
        >
          {table.getFlatHeaders().map((header) => (
            <div
              key={header.id}
              role="columnheader"
              className="relative"
              aria-sort={sortWords[String(header.column.getIsSorted())]}
            >
              <button
                type="button"
                className={`flex w-full items-center gap-1 px-3 py-1.5 font-semibold ${header.column.columnDef.meta?.isNumber ? "justify-end" : ""}`}
                onClick={header.column.getToggleSortingHandler()}
              >
                {flexRender(header.column.columnDef.header, header.getContext())}
                {header.column.getIsSorted() === "asc" && <ArrowUp className="size-3" aria-label="ascending" />}
                {header.column.getIsSorted() === "desc" && <ArrowDown className="size-3" aria-label="descending" />}
              </button>
              <span
                aria-hidden
                onMouseDown={header.getResizeHandler()}
                className="absolute top-0 right-0 h-full w-1.5 cursor-col-resize hover:bg-indigo"
              />
            </div>
          ))}
        </div>
        <div className="relative w-max min-w-full" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((item) => {
            const row = visible[item.index];
            return (
              <div
                key={row.id}
                id={`${own}-${item.index}`}
                role="row"
                aria-rowindex={item.index + 2}
                aria-selected={row.id === selectedId}
                onClick={() => onSelect?.(row.original)}
                data-testid={`row-${row.id}`}
                className={`absolute left-0 grid w-full items-center border-b border-line/60 text-[13px] ${row.id === selectedId ? "bg-indigo-wash" : onSelect ? "cursor-pointer hover:bg-raised" : ""}`}
                style={{ gridTemplateColumns: template, height: item.size, transform: `translateY(${item.start}px)` }}
              >
                {row.getVisibleCells().map((cell) => {
                  const { meta } = cell.column.columnDef;
                  return (
                    <div
                      key={cell.id}
                      role="gridcell"
                      className={`truncate px-3 ${meta?.isNumber ? "tabular text-right" : ""} ${meta?.isMono ? "font-mono text-xs" : ""}`}
                      title={String(cell.getValue() ?? "")}
                    >
                      {flexRender(cell.column.columnDef.cell, cell.getContext())}
                    </div>
                  );
                })}
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}
