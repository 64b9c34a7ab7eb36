import { useMemo, useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { sayCount, sayDate } from "../../ui/say";
import { Button, Card, Trouble } from "../../ui/parts";
import { Table, type Column } from "../../ui/table";

type Whole = Schema["CalendarsChange"];
type Loan = Schema["CalendarsMovedLoan"];
type Hold = Schema["CalendarsMovedHold"];

/** What a change touches, before it counts: loans can be left out, the rest follows. */
export function Preview({
  touched,
  change,
  write,
  onApply,
  onClose,
}: {
  touched: Schema["CalendarsTouched"];
  change: Whole;
  write: { busy: boolean; problem?: unknown };
  onApply: (leaveOut: number[]) => void;
  onClose: () => void;
}) {
  const [out, setOut] = useState<Set<number>>(new Set());
  const moving = touched.loans - out.size;
  return (
    <Card label="What will change" className="border-l-4 border-l-amber-500">
      <div className="flex flex-wrap items-center gap-3 px-4 py-3">
        <p className="min-w-64 flex-1">
          <b className="font-semibold">{touched.text}.</b> {sayCount(moving, "due date moves", "due dates move")},{" "}
          {sayCount(touched.holds, "hold stays", "holds stay")} longer on the shelf.
        </p>
        <Button busy={write.busy} onClick={() => onApply([...out])}>
          Apply
        </Button>
        <Button plain disabled={write.busy} onClick={onClose}>
          Close
        </Button>
      </div>
      <Trouble error={write.problem} />
      <p className="px-4 pb-2 text-sm text-ink-2">
        {days(touched.closed, "closed")}
        {touched.opened > 0 && days(touched.opened, "open")} Checked: all due dates and hold shelves, and opening days
        and courier runs until {sayDate(touched.looked)}.
      </p>
      {(touched.runs ?? []).length > 0 && (
        <p className="px-4 pb-2 text-sm text-tide-700">The courier still runs: {touched.runs?.join("; ")}.</p>
      )}
      {touched.loans > 0 && <Loans change={change} out={out} onOut={setOut} />}
      {touched.holds > 0 && <Holds change={change} />}
    </Card>
  );
}

const days = (count: number, as: string) =>
  count === 0 ? `No day is newly ${as}. ` : `${sayCount(count, "day is", "days are")} newly ${as}. `;

function Loans({ change, out, onOut }: { change: Whole; out: Set<number>; onOut: (o: Set<number>) => void }) {
  const list = usePages(["preview", "loans", change], (after) =>
    told(api.POST("/api/calendars/preview/loans", { params: { query: { after } }, body: change })),
  );
  const columns = useMemo((): Column<Loan>[] => {
    const goes = (loan: number, on: boolean) =>
      onOut(on ? new Set([...out].filter((x) => x !== loan)) : new Set([...out, loan]));
    return [
      {
        id: "moves",
        head: "Moves",
        cell: (l) => (
          <input
            type="checkbox"
            aria-label={`Move the due date of ${l.title}`}
            checked={!out.has(l.loan)}
            onChange={(e) => goes(l.loan, e.target.checked)}
          />
        ),
      },
      { id: "title", head: "Title", value: (l) => l.title },
      { id: "patron", head: "Patron", value: (l) => l.patron },
      { id: "before", head: "Before", value: (l) => l.before },
      { id: "after", head: "After", value: (l) => l.after, className: "font-semibold" },
    ];
  }, [out, onOut]);
  return (
    <Loading of={list} lines={3}>
      {(rows) => (
        <Table
          label="Due dates that change"
          columns={columns}
          rows={rows}
          id={(l) => l.loan}
          pages={list.pages}
          tools
          rowClass={(l) => out.has(l.loan) && "opacity-60"}
          className="max-h-72 border-t border-line"
          empty="No due date changes."
        />
      )}
    </Loading>
  );
}

const holdColumns: Column<Hold>[] = [
  { id: "title", head: "On the hold shelf", value: (h) => h.title },
  { id: "patron", head: "Patron", value: (h) => h.patron },
  { id: "before", head: "Last day", value: (h) => h.before },
  { id: "after", head: "New last day", value: (h) => h.after, className: "font-semibold" },
];

function Holds({ change }: { change: Whole }) {
  const list = usePages(["preview", "holds", change], (after) =>
    told(api.POST("/api/calendars/preview/holds", { params: { query: { after } }, body: change })),
  );
  return (
    <Loading of={list} lines={3}>
      {(rows) => (
        <Table
          label="Holds kept longer"
          columns={holdColumns}
          rows={rows}
          id={(h) => h.hold}
          pages={list.pages}
          className="max-h-72 border-t border-line"
          empty="No hold is kept longer."
        />
      )}
    </Loading>
  );
}
