import { Link } from "@tanstack/react-router";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Card } from "../../ui/parts";
import { sayInstant } from "../../ui/say";
import { Table, type Column } from "../../ui/table";

type Reading = Schema["AccesslogReading"];

const sayKind: Record<Reading["kind"], string> = {
  scanned: "Scanned the card",
  opened: "Opened the record",
  history: "Looked at the history",
  searched: "Searched",
  listed: "Looked at a list",
  taken_out: "Exported all data of a patron",
};

const columns: Column<Reading>[] = [
  {
    id: "at",
    head: "When",
    value: (r) => r.at,
    cell: (r) => sayInstant(r.at),
    className: "text-sm md:whitespace-nowrap",
  },
  { id: "who", head: "Who", value: (r) => r.who },
  { id: "branch", head: "Where", value: (r) => r.branch },
  { id: "kind", head: "Action", value: (r) => sayKind[r.kind] },
  {
    id: "patron",
    head: "Patron",
    value: (r) => r.patron || r.words,
    cell: (r) =>
      r.patron_id ? (
        <Link to="/network" search={{ tab: "readings", patron: r.patron_id }} className="link">
          {r.patron}
        </Link>
      ) : r.kind === "listed" ? (
        r.words
      ) : (
        `“${r.words}”`
      ),
  },
];

/** Who has opened whose record, and searched for whom: all of it, of one patron, or by one person. */
export function AccessLog({ patron, staff }: { patron?: number; staff?: number }) {
  const list = usePages(["readings", patron, staff], (after) =>
    told(api.GET("/api/readings", { params: { query: { patron, staff, after } } })),
  );
  return (
    <Card label="Record access log">
      {(patron ?? staff) !== undefined && (
        <p className="border-b border-line px-4 py-2">
          {patron ? "One patron." : "One staff member."}{" "}
          <Link to="/network" search={{ tab: "readings" }} className="link">
            Show all
          </Link>
        </p>
      )}
      <Loading of={list}>
        {(rows) => (
          <Table
            label="Record access log"
            columns={columns}
            rows={rows}
            id={(r) => r.id}
            pages={list.pages}
            tools
            className="max-h-[70vh]"
            empty="No record has been opened yet. Card scans, opened records and patron searches are logged here."
          />
        )}
      </Loading>
    </Card>
  );
}
