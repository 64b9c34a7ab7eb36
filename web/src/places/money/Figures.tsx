import { BranchChoice } from "../../circulation/branches";
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Card } from "../../ui/parts";
import { supervises } from "../../shell/places";
import { sayDate, sayInstant, sayMoney, toFigures } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { means } from "./means";
import { DateChoice } from "../../ui/date";

type Taken = Schema["AccountsTaken"];
type Means = keyof typeof means;
type Waived = Schema["AccountsWaivedBy"];

const taken: Column<Taken>[] = [
  { id: "day", head: "Day", value: (t) => t.day, cell: (t) => sayDate(t.day) },
  { id: "branch", head: "Branch", value: (t) => t.branch },
  { id: "till", head: "Till", value: (t) => t.till },
  { id: "who", head: "Staff", value: (t) => t.who },
  { id: "means", head: "Method", value: (t) => means[t.means as Means] },
  { id: "for", head: "For", value: (t) => t.for },
  { id: "count", head: "Count", right: true, value: (t) => t.count, className: "tabular-nums" },
  {
    id: "sum",
    head: "Amount",
    right: true,
    value: (t) => t.minor,
    money: "minor",
    cell: (t) => sayMoney(t.sum),
    className: "tabular-nums",
  },
];

const waived: Column<Waived>[] = [
  { id: "at", head: "When", value: (w) => w.at, cell: (w) => sayInstant(w.at) },
  { id: "branch", head: "Branch", value: (w) => w.branch },
  { id: "who", head: "Waived by", value: (w) => w.who },
  { id: "name", head: "Patron", value: (w) => w.name },
  { id: "for", head: "Charge", value: (w) => w.for },
  { id: "reason", head: "Reason", value: (w) => w.reason, className: "min-w-40" },
  {
    id: "sum",
    head: "Amount",
    right: true,
    value: (w) => Number(w.sum),
    money: "units",
    cell: (w) => sayMoney(w.sum),
    className: "tabular-nums",
  },
];

/** What went over the counter in a period, and who waived what. */
export function Figures() {
  const me = useMe();
  const all = supervises(me.role);
  const today = me.now.slice(0, 10);
  const [from, setFrom] = useState(today.slice(0, 8) + "01");
  const [to, setTo] = useState(today);
  const [branch, setBranch] = useState(me.branch);
  const query = { from, to, branch: branch || undefined };
  const asks = from !== "" && to !== "";
  const list = useQuery({
    queryKey: ["takings", query],
    queryFn: () => told(api.GET("/api/money/takings", { params: { query } })),
    enabled: asks,
  });
  const file = new URLSearchParams({ from, to, branch }).toString();
  return (
    <div className="grid gap-3.5">
      <div className="flex flex-wrap items-end gap-3 print:hidden">
        <DateChoice label="From" value={from} onChange={setFrom} />
        <DateChoice label="To" value={to} onChange={setTo} />
        {all && <BranchChoice all="all" value={branch} onChange={setBranch} />}
        <a className="link pb-1" href={`/api/money/takings.csv?${file}`} download="taken.csv">
          Export CSV
        </a>
        {all && (
          <a className="link pb-1" href={`/api/money/journal.csv?${file}`} download="journal.csv">
            Export double-entry journal
          </a>
        )}
      </div>
      {asks && (
        <>
          <Loading of={list} lines={6}>
            {({ rows }) => (
              <>
                <Sums rows={rows} />
                <Card label="Income">
                  <Table
                    label="Income"
                    columns={taken}
                    rows={rows}
                    id={(t) => [t.day, t.branch, t.till, t.who, t.means, t.for].join(" ")}
                    tools
                    paper={`Income, ${sayDate(from)} to ${sayDate(to)}`}
                    empty="No payments in this period."
                  />
                </Card>
              </>
            )}
          </Loading>
          {all && <Waivers query={query} />}
        </>
      )}
    </div>
  );
}

/** The sums by means, and all of it. */
function Sums({ rows }: { rows: Taken[] }) {
  const sums = useMemo(() => {
    const by = new Map<string, number>();
    for (const r of rows) by.set(r.means, (by.get(r.means) ?? 0) + r.minor);
    return [...by];
  }, [rows]);
  if (rows.length === 0) return null;
  return (
    <dl className="flex flex-wrap gap-3">
      {sums.map(([by, sum]) => (
        <Sum key={by} name={means[by as Means]} sum={sum} />
      ))}
      <Sum name="Total" sum={sums.reduce((all, [, n]) => all + n, 0)} />
    </dl>
  );
}

function Sum({ name, sum }: { name: string; sum: number }) {
  return (
    <div className="rounded-card border border-line bg-surface px-4 py-2">
      <dt className="text-sm text-ink-2">{name}</dt>
      <dd className="text-xl font-semibold tabular-nums">{sayMoney(toFigures(sum))}</dd>
    </div>
  );
}

function Waivers({ query }: { query: { from: string; to: string; branch?: string } }) {
  const list = usePages(["waivers", query], (after) =>
    told(api.GET("/api/money/waivers", { params: { query: { ...query, after } } })),
  );
  return (
    <Card label="Waivers">
      <h2 className="px-3.5 pt-3 font-semibold">Waivers</h2>
      <Loading of={{ ...list, data: list.data }} lines={4}>
        {(rows) => (
          <Table
            label="Waivers"
            columns={waived}
            rows={rows}
            id={(w) => w.id}
            pages={list.pages}
            tools
            empty="No waivers in this period."
          />
        )}
      </Loading>
    </Card>
  );
}
