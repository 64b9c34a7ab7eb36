import { Link } from "@tanstack/react-router";
import { api, told } from "../api/client";
import { usePages } from "./pages";
import { Card, Empty, Loading, Trouble } from "./parts";
import { sayInstant } from "./say";
import { Why } from "./why";

/** Everything that happened to a patron or an item: who, where, when and why. */
export function History({ patron, item }: { patron?: number; item?: number }) {
  const list = usePages(["history", patron, item], (after) =>
    told(api.GET("/api/history", { params: { query: { patron, item, after } } })),
  );
  return (
    <Card label="History" className="max-h-[66vh] overflow-auto">
      <h2 className="px-3 py-2.5 font-semibold">History</h2>
      <Trouble error={list.error} />
      {list.isPending ? (
        <Loading />
      ) : !list.rows?.length ? (
        <Empty>Nothing has happened yet. Loans, returns, holds, moves and payments stand here.</Empty>
      ) : (
        <table className="list">
          <thead>
            <tr>
              <th>When</th>
              <th>What</th>
              <th>{item ? "Patron" : "Item"}</th>
              <th>Who, where</th>
            </tr>
          </thead>
          <tbody>
            {list.rows.map((e) => (
              <tr key={e.id}>
                <td className="text-sm whitespace-nowrap">{sayInstant(e.at)}</td>
                <td>
                  {e.text} <Why trace={e.why}>Why</Why>
                </td>
                <td className="text-sm">
                  {item && e.patron_id ? (
                    <Link to="/patrons" search={{ patron: e.patron_id }} className="hover:underline">
                      {e.patron}
                    </Link>
                  ) : (
                    e.item_id && (
                      <Link to="/items" search={{ item: e.item_id }} className="hover:underline">
                        {e.title}
                      </Link>
                    )
                  )}
                </td>
                <td className="text-sm text-ink-2">
                  {e.who}
                  {e.branch && `, ${e.branch}`}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {list.more}
    </Card>
  );
}
