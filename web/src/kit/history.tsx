import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { api, told } from "../api/client";
import { Card, Empty, Loading, Trouble } from "./parts";
import { sayInstant } from "./say";
import { Why } from "./why";

/** Everything that happened to a patron or an item: who, where, when and why. */
export function History({ patron, item }: { patron?: number; item?: number }) {
  const list = useQuery({
    queryKey: ["history", patron, item],
    queryFn: () => told(api.GET("/api/history", { params: { query: { patron, item } } })),
  });
  return (
    <Card label="History" className="max-h-[66vh] overflow-auto">
      <h2 className="px-3 py-2.5 font-semibold">History</h2>
      <Trouble error={list.error} />
      {list.isPending ? (
        <Loading />
      ) : !list.data?.length ? (
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
            {list.data.map((e) => (
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
    </Card>
  );
}
