import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, newKey, told } from "../../api/client";
import { InHand } from "../../kit/inhand";
import { useMe } from "../../kit/me";
import { Button, Card, Code, Empty, Head, Loading, Quiet, Trouble } from "../../kit/parts";
import { Why } from "../../kit/why";
import { useState } from "react";

/** What to take from the shelves here now, in shelf order. Scanning an item says where it goes. */
export function FetchPlace() {
  const me = useMe().data!;
  const queries = useQueryClient();
  const [error, setError] = useState<unknown>();
  const list = useQuery({
    queryKey: ["fetch", me.branch],
    queryFn: () => told(api.GET("/api/fetch")),
    refetchInterval: 30_000,
  });
  const missed = (id: number) =>
    told(api.POST("/api/holds/{id}/missed", { params: { path: { id }, header: newKey() } })).then(
      () => queries.invalidateQueries(),
      setError,
    );
  return (
    <div className="grid gap-3.5">
      <Head
        title="Fetch list"
        says={
          list.data &&
          `${list.data.length} to take from the shelves at ${me.branches!.find((b) => b.code === me.branch)?.name}, in shelf order.`
        }
      >
        <Button plain onClick={() => window.print()}>
          Print the list
        </Button>
      </Head>
      <Trouble error={error ?? list.error} />
      <InHand prompt="Scan an item taken from the shelf" />
      <Card label="To fetch">
        {!list.data ? (
          <Loading />
        ) : list.data.length === 0 ? (
          <Empty>Nothing to fetch. When a hold is routed to a copy on your shelves, it stands here.</Empty>
        ) : (
          <table className="list">
            <thead>
              <tr>
                <th>Shelf</th>
                <th>Title</th>
                <th>Number</th>
                <th>For</th>
                <th>Promised</th>
                <th>
                  <span className="sr-only">Why and not found</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {list.data.map((f) => (
                <tr key={f.hold_id}>
                  <td className="whitespace-nowrap">
                    <b className="font-semibold">{f.call_number}</b>
                    <br />
                    <span className="text-sm text-ink-2">{f.collection}</span>
                  </td>
                  <td>
                    <b className="font-semibold">{f.title}</b>
                    <br />
                    <span className="text-sm text-ink-2">
                      {f.author} {f.author && "·"} {f.material}
                    </span>
                  </td>
                  <td>
                    <Code>{f.barcode}</Code>
                  </td>
                  <td>{f.for}</td>
                  <td>{f.promise}</td>
                  <td className="text-right whitespace-nowrap print:hidden">
                    <Why trace={f.why}>Why this copy</Why>{" "}
                    <Quiet onClick={() => void missed(f.hold_id)}>Not found</Quiet>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </Card>
    </div>
  );
}
