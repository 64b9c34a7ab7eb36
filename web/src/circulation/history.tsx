import { Link } from "@tanstack/react-router";
import { useMemo } from "react";
import { api, told, type Schema } from "../api/client";
import { Loading } from "../ui/loading";
import { usePages } from "../ui/pages";
import { Card } from "../ui/parts";
import { sayInstant } from "../ui/say";
import { Table, type Column } from "../ui/table";
import { Why } from "../shell/why";

type Happened = Schema["HistoryHappened"];

const ofItem: Column<Happened> = {
  id: "patron",
  head: "Patron",
  value: (e) => e.patron ?? "",
  cell: (e) =>
    e.patron_id ? (
      <Link to="/patrons" search={{ patron: e.patron_id }} className="hover:underline">
        {e.patron}
      </Link>
    ) : null,
};
const ofPatron: Column<Happened> = {
  id: "item",
  head: "Item",
  value: (e) => e.title ?? "",
  cell: (e) =>
    e.item_id ? (
      <Link to="/items" search={{ item: e.item_id }} className="hover:underline">
        {e.title}
      </Link>
    ) : null,
};

const columnsFor = (item: boolean): Column<Happened>[] => [
  {
    id: "at",
    head: "When",
    value: (e) => e.at,
    cell: (e) => sayInstant(e.at),
    className: "text-sm md:whitespace-nowrap",
  },
  {
    id: "what",
    head: "What",
    value: (e) => e.text,
    className: "min-w-48",
    cell: (e) => (
      <>
        {e.text} <Why trace={e.why}>Why</Why>
      </>
    ),
  },
  item ? ofItem : ofPatron,
  {
    id: "who",
    head: "Who, where",
    value: (e) => `${e.who}${e.branch && `, ${e.branch}`}`,
    className: "text-sm text-ink-2",
  },
];

/** Everything that happened to a patron or an item: who, where, when and why. */
export function History({ patron, item, says }: { patron?: number; item?: number; says?: string }) {
  const list = usePages(["history", patron, item], (after) =>
    told(api.GET("/api/history", { params: { query: { patron, item, after } } })),
  );
  const columns = useMemo(() => columnsFor(item !== undefined), [item]);
  return (
    <Card label="History">
      <h2 className="px-3 pt-2.5 pb-1 font-semibold">History</h2>
      {says && <p className="px-3 pb-1.5 text-sm text-ink-2">{says}</p>}
      <Loading of={list}>
        {(rows) => (
          <Table
            label="History"
            columns={columns}
            rows={rows}
            id={(e) => e.id}
            pages={list.pages}
            tools
            className="max-h-[66vh]"
            empty={`${says ? "Nothing else is visible to you." : "No activity yet."} Loans, returns, holds, moves and payments appear here.`}
          />
        )}
      </Loading>
    </Card>
  );
}
