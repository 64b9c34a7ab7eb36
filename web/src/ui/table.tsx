import {
  columnVisibilityFeature,
  createSortedRowModel,
  rowSelectionFeature,
  rowSortingFeature,
  sortFn_alphanumeric,
  tableFeatures,
  useTable,
  type ColumnDef,
  type ColumnVisibilityState,
  type ReactTable,
  type Row as ModelRow,
  type RowData,
  type SortingState,
} from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import clsx from "clsx";
import { useEffect, useMemo, useState, type KeyboardEvent, type ReactNode } from "react";
import { flushSync } from "react-dom";
import { csv, save } from "./csv";
import type { Pages } from "./pages";
import { isInstant, toFigures, toMinor, toWall } from "./say";
import { Empty, Quiet } from "./parts";
import { filterOf, keepFilter, remember, remembered } from "./remember";
import { Chosen, Tools } from "./tabletools";

/** A column: its head, its cell, and what it says as a text or number, by which it is sorted, filtered and exported. */
export interface Column<T extends RowData> {
  id: string;
  head: string;
  cell?: (row: T) => ReactNode;
  /** Left out: nothing to sort, filter or export by. */
  value?: (row: T) => string | number;
  /** The value is a sum: in the currency's units, or in its minor ones. */
  money?: "units" | "minor";
  right?: boolean;
  /** Its head is for who listens only. */
  unnamed?: boolean;
  className?: string;
  /** Not on paper. */
  screenOnly?: boolean;
}

/** Something to do with the rows that are chosen. */
export interface Act<T extends RowData> {
  label: (chosen: T[]) => string;
  run: (chosen: T[]) => void;
  busy?: boolean;
  plain?: boolean;
}

/** What a file has of a cell: sums with the currency's decimals, instants as the branch's clock shows them. */
function inFile<T extends RowData>(c: Column<T>, row: T): string {
  const value = c.value?.(row) ?? "";
  if (c.money) return toFigures(c.money === "minor" ? Number(value) : toMinor(String(value)));
  return isInstant(value) ? toWall(value) : String(value);
}

const features = tableFeatures({
  columnVisibilityFeature,
  rowSelectionFeature,
  rowSortingFeature,
  sortedRowModel: createSortedRowModel(),
  sortFns: { alphanumeric: sortFn_alphanumeric },
});
type Features = typeof features;
export type Model<T extends RowData> = ReactTable<Features, T>;
type Row<T extends RowData> = ModelRow<Features, T>;

interface Props<T extends RowData> {
  label: string;
  columns: Column<T>[];
  rows: T[];
  id: (row: T) => string | number;
  empty: ReactNode;
  /** More that can be asked for. */
  pages?: Pages;
  acts?: Act<T>[];
  /** Sorting, filter, columns, CSV, print: for lists that people compare. */
  tools?: boolean;
  /** It is narrowed elsewhere: it has no filter of its own. */
  narrowed?: boolean;
  /** What stands above the list on paper. */
  paper?: string;
  rowClass?: (row: T) => string | false | undefined;
  className?: string;
}

/** Above so many rows only those that can be seen are drawn. */
const many = 150;

/** State that is remembered for the person who works here. */
function useChoice<T>(name: string, usual: T) {
  const [choice, setChoice] = useState<T>(() => remembered<T>(name) ?? usual);
  const choose = (to: T | ((before: T) => T)) => {
    const next = to instanceof Function ? to(choice) : to;
    setChoice(next);
    remember(name, next);
  };
  return [choice, choose] as const;
}

/** A list in rows and columns, the same everywhere. Rows are walked by arrow keys; w tells the why of the chosen one. */
export function Table<T extends RowData>(props: Props<T>) {
  const { label, columns, rows, id, empty, pages, acts, tools, paper, className } = props;
  // Kept as state: the rows in sight are drawn once it is there, not when something else happens to be drawn anew.
  const [frame, setFrame] = useState<HTMLDivElement | null>(null);
  const printing = usePrinting();
  const [filter, setFilter] = useState(tools ? filterOf(label) : "");
  const [sorting, setSorting] = useChoice<SortingState>(`sorting of ${label}`, []);
  const [columnVisibility, setVisible] = useChoice<ColumnVisibilityState>(`columns of ${label}`, {});
  const defs = useMemo(() => columns.map(definition), [columns]);
  const narrowed = useMemo(() => narrow(rows, columns, filter), [rows, columns, filter]);
  const model = useTable({
    features,
    data: narrowed,
    columns: defs,
    getRowId: (r) => String(id(r)),
    enableRowSelection: !!acts,
    state: { sorting, columnVisibility },
    onSortingChange: setSorting,
    onColumnVisibilityChange: setVisible,
  });
  const shown = model.getRowModel().rows;
  const chosen = model.getSelectedRowModel().rows.map((r) => r.original);
  if (rows.length === 0) return <Empty>{empty}</Empty>;
  const narrowTo = (words: string) => {
    setFilter(words);
    keepFilter(label, words);
  };
  const exported = () =>
    save(
      `${label.toLowerCase().replaceAll(" ", "-")}.csv`,
      csv([
        columns.filter((c) => c.value).map((c) => c.head),
        ...shown.map((r) => columns.filter((c) => c.value).map((c) => inFile(c, r.original))),
      ]),
    );
  return (
    <>
      {paper && <p className="hidden pb-2 text-lg font-semibold print:block">{paper}</p>}
      {tools && (
        <Tools
          model={model}
          all={rows.length}
          filter={filter}
          onFilter={props.narrowed ? undefined : narrowTo}
          onExport={exported}
          pages={pages}
        />
      )}
      {acts && chosen.length > 0 && <Chosen acts={acts} chosen={chosen} onClear={() => model.resetRowSelection()} />}
      <div ref={setFrame} className={clsx("overflow-auto print:max-h-none print:overflow-visible", className)}>
        <table className="list" aria-label={label} aria-rowcount={shown.length + 1}>
          <Heads model={model} columns={columns} choosing={!!acts} sortable={!!tools} />
          <Body {...props} model={model} shown={shown} frame={frame} all={printing || shown.length <= many} />
        </table>
        {shown.length === 0 && <Empty>No row matches all of these words.</Empty>}
        {pages?.hasMore && (
          <p className="border-t border-line px-3.5 py-2.5 text-sm text-ink-2 print:hidden">
            {rows.length} shown, and there are more.{" "}
            <Quiet onClick={pages.fetchMore}>{pages.isFetchingMore ? "Loading …" : "Show more"}</Quiet>
          </p>
        )}
      </div>
    </>
  );
}

const definition = <T extends RowData>(column: Column<T>): ColumnDef<Features, T> => ({
  id: column.id,
  header: column.head,
  accessorFn: (row) => column.value?.(row),
  enableSorting: column.value !== undefined,
  sortFn: "alphanumeric",
  enableHiding: !column.unnamed,
});

/** The rows that say all of the words somewhere. */
function narrow<T extends RowData>(rows: T[], columns: Column<T>[], filter: string): T[] {
  const words = filter.toLowerCase().split(/\s+/).filter(Boolean);
  if (words.length === 0) return rows;
  const says = (r: T) =>
    columns
      .map((c) => String(c.value?.(r) ?? ""))
      .join(" ")
      .toLowerCase();
  return rows.filter((r) => words.every((w) => says(r).includes(w)));
}

/** Whether the page is being put on paper: then every row is drawn. */
function usePrinting() {
  const [printing, setPrinting] = useState(false);
  useEffect(() => {
    const begin = () => flushSync(() => setPrinting(true));
    const end = () => setPrinting(false);
    window.addEventListener("beforeprint", begin);
    window.addEventListener("afterprint", end);
    return () => {
      window.removeEventListener("beforeprint", begin);
      window.removeEventListener("afterprint", end);
    };
  }, []);
  return printing;
}

const sorts = { asc: "ascending", desc: "descending" } as const;

function Heads<T extends RowData>({
  model,
  columns,
  choosing,
  sortable,
}: {
  model: Model<T>;
  columns: Column<T>[];
  choosing: boolean;
  sortable: boolean;
}) {
  return (
    <thead>
      <tr>
        {choosing && (
          <th className="w-8 print:hidden">
            <input
              type="checkbox"
              aria-label="Select all rows"
              checked={model.getIsAllRowsSelected()}
              onChange={model.getToggleAllRowsSelectedHandler()}
            />
          </th>
        )}
        {model.getVisibleLeafColumns().map((c) => {
          const column = columns.find((x) => x.id === c.id);
          const sorted = c.getIsSorted();
          return (
            <th
              key={c.id}
              aria-sort={sorted ? sorts[sorted] : undefined}
              className={clsx(column?.right && "!text-right", column?.screenOnly && "print:hidden")}
            >
              {column?.unnamed ? (
                <span className="sr-only">{column.head}</span>
              ) : sortable && c.getCanSort() ? (
                <button type="button" className="cursor-pointer font-[550]" onClick={c.getToggleSortingHandler()}>
                  {column?.head} <span aria-hidden>{sorted === "asc" ? "↑" : sorted === "desc" ? "↓" : ""}</span>
                </button>
              ) : (
                column?.head
              )}
            </th>
          );
        })}
      </tr>
    </thead>
  );
}

interface BodyProps<T extends RowData> extends Props<T> {
  model: Model<T>;
  shown: Row<T>[];
  frame: HTMLDivElement | null;
  all: boolean;
}

/** The rows: all of them, or those in sight with room for the others above and below. */
function Body<T extends RowData>(props: BodyProps<T>) {
  const { shown, frame, all } = props;
  const [at, setAt] = useState<string>();
  const current = shown.some((r) => r.id === at) ? at : shown[0]?.id;
  // eslint-disable-next-line react-hooks/incompatible-library -- it is read anew at each drawing, on purpose
  const sight = useVirtualizer({
    count: shown.length,
    getScrollElement: () => frame,
    estimateSize: () => 48,
    overscan: 12,
    enabled: !all,
  });
  const drawn = all ? shown.map((row, index) => ({ row, index })) : inSight(shown, sight.getVirtualItems());
  const items = sight.getVirtualItems();
  const above = all ? 0 : (items[0]?.start ?? 0);
  const below = all ? 0 : sight.getTotalSize() - (items.at(-1)?.end ?? 0);
  const walk = (e: KeyboardEvent<HTMLElement>, index: number) => {
    const to = { ArrowDown: index + 1, ArrowUp: index - 1, Home: 0, End: shown.length - 1 }[e.key];
    const next = to === undefined ? undefined : shown[to];
    if (e.target !== e.currentTarget || to === undefined || !next) return;
    e.preventDefault();
    setAt(next.id);
    if (!all) sight.scrollToIndex(to);
    requestAnimationFrame(() => frame?.querySelector<HTMLElement>(`[data-row="${CSS.escape(next.id)}"]`)?.focus());
  };
  return (
    <tbody>
      {above > 0 && <Room height={above} />}
      {drawn.map(({ row, index }) => (
        <Line
          {...props}
          key={row.id}
          row={row}
          index={index}
          current={row.id === current}
          measure={all ? undefined : sight.measureElement}
          onAt={() => setAt(row.id)}
          onWalk={(e) => walk(e, index)}
        />
      ))}
      {below > 0 && <Room height={below} />}
    </tbody>
  );
}

const inSight = <T extends RowData>(shown: Row<T>[], items: { index: number }[]) =>
  items.flatMap(({ index }) => {
    const row = shown[index];
    return row ? [{ row, index }] : [];
  });

const Room = ({ height }: { height: number }) => (
  <tr aria-hidden>
    <td colSpan={99} style={{ height, padding: 0, border: 0 }} />
  </tr>
);

interface LineProps<T extends RowData> extends BodyProps<T> {
  row: Row<T>;
  index: number;
  current: boolean;
  measure?: (element: HTMLElement | null) => void;
  onAt: () => void;
  onWalk: (e: KeyboardEvent<HTMLElement>) => void;
}

function Line<T extends RowData>({
  columns,
  row,
  index,
  current,
  measure,
  onAt,
  onWalk,
  acts,
  rowClass,
}: LineProps<T>) {
  return (
    <tr
      ref={measure}
      data-row={row.id}
      data-index={index}
      data-keys="w"
      aria-rowindex={index + 2}
      aria-selected={acts ? row.getIsSelected() : undefined}
      tabIndex={current ? 0 : -1}
      className={clsx(rowClass?.(row.original), row.getIsSelected() && "bg-spruce-100")}
      onFocus={onAt}
      onKeyDown={(e) => {
        onWalk(e);
        if (e.target !== e.currentTarget) return;
        const press = (what: string) => e.currentTarget.querySelector<HTMLElement>(what)?.click();
        if (e.key === "w") press("[data-why]");
        else if (e.key === "Enter") press("a, button");
        else if (e.key === " " && acts) row.toggleSelected();
        else return;
        e.preventDefault();
      }}
    >
      {acts && (
        <td className="print:hidden">
          <input
            type="checkbox"
            aria-label="Select this row"
            checked={row.getIsSelected()}
            onChange={row.getToggleSelectedHandler()}
          />
        </td>
      )}
      {row.getVisibleCells().map((c) => {
        const column = columns.find((x) => x.id === c.column.id);
        return (
          <td
            key={c.id}
            className={clsx(
              column?.right && "text-right tabular-nums",
              column?.screenOnly && "print:hidden",
              column?.className,
            )}
          >
            {column?.cell ? column.cell(row.original) : column?.value?.(row.original)}
          </td>
        );
      })}
    </tr>
  );
}
