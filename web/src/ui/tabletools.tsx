import type { RowData } from "@tanstack/react-table";
import { DropdownMenu } from "radix-ui";
import type { Pages } from "./pages";
import { Button, inputLook, Quiet } from "./parts";
import type { Act, Model } from "./table";

const tool =
  "cursor-pointer rounded px-2 text-sm leading-6 text-ink-2 hover:bg-spruce-100 data-[state=open]:bg-spruce-100";

/** What stands above a list that people compare: words to narrow it, its columns, and ways out of it. */
export function Tools<T extends RowData>({
  model,
  all,
  filter,
  onFilter,
  onExport,
  pages,
}: {
  model: Model<T>;
  /** How many rows there are before they are narrowed. */
  all: number;
  filter: string;
  /** Left out: it is narrowed elsewhere. */
  onFilter?: (words: string) => void;
  onExport: () => void;
  pages?: Pages;
}) {
  const columns = model.getAllLeafColumns().filter((c) => c.getCanHide());
  const count = model.getRowModel().rows.length;
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1.5 border-b border-line px-3 py-2 print:hidden">
      {onFilter && (
        <input
          type="search"
          aria-label="Filter"
          placeholder="Filter"
          value={filter}
          onChange={(e) => onFilter(e.target.value)}
          className={`${inputLook} w-48`}
        />
      )}
      {filter && (
        <span className="text-sm text-ink-2" role="status">
          {count} of {all}
        </span>
      )}
      <span className="ml-auto flex gap-1">
        <DropdownMenu.Root>
          <DropdownMenu.Trigger className={tool}>Columns</DropdownMenu.Trigger>
          <DropdownMenu.Portal>
            <DropdownMenu.Content className="z-30 min-w-40 rounded-card border border-line-strong bg-surface p-1 shadow-lg">
              {columns.map((c) => (
                <DropdownMenu.CheckboxItem
                  key={c.id}
                  checked={c.getIsVisible()}
                  onCheckedChange={(on) => c.toggleVisibility(on)}
                  onSelect={(e) => e.preventDefault()}
                  className="flex cursor-pointer justify-between gap-4 rounded px-3 py-1.5 outline-none data-[highlighted]:bg-spruce-100"
                >
                  {String(c.columnDef.header)} <span aria-hidden>{c.getIsVisible() ? "✓" : ""}</span>
                </DropdownMenu.CheckboxItem>
              ))}
            </DropdownMenu.Content>
          </DropdownMenu.Portal>
        </DropdownMenu.Root>
        <button type="button" className={tool} onClick={onExport}>
          {pages?.hasMore ? `Export these ${count} as CSV` : "CSV"}
        </button>
        <button type="button" className={tool} onClick={() => window.print()}>
          Print
        </button>
      </span>
    </div>
  );
}

/** What can be done with the rows that are chosen. */
export function Chosen<T extends RowData>({
  acts,
  chosen,
  onClear,
}: {
  acts: Act<T>[];
  chosen: T[];
  onClear: () => void;
}) {
  return (
    <div
      role="group"
      aria-label="With the selected rows"
      className="flex flex-wrap items-center gap-3 border-b border-line bg-spruce-100 px-3 py-1.5 print:hidden"
    >
      <b className="font-semibold">{chosen.length} chosen</b>
      {acts.map((a) => {
        const label = a.label(chosen);
        return (
          <Button key={label} plain={a.plain} busy={a.busy} onClick={() => a.run(chosen)}>
            {label}
          </Button>
        );
      })}
      <Quiet onClick={onClear}>Clear selection</Quiet>
    </div>
  );
}
