import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, keyed, told } from "../../api/client";
import { Loading } from "../../ui/loading";
import { Button, Card, Trouble } from "../../ui/parts";
import { Differences } from "./CompareTab";
import { itself, useDraftWrite } from "./draft";
import { sayDimension, type Edition } from "./types";

/** The order in which dimensions outweigh each other; a new order shows what it would change before it counts. */
export function Ranking({ ranking, edition, draft }: { ranking: string[]; edition: Edition; draft?: Edition }) {
  const [order, setOrder] = useState(ranking);
  const changed = order.join() !== ranking.join();
  const preview = useQuery({
    queryKey: ["ranked", edition.id, edition.revision, order.join()],
    enabled: changed,
    queryFn: () =>
      told(
        api.GET("/api/rulebook/editions/{id}/ranked", {
          params: { path: { id: edition.id }, query: { ranking: order.join() } },
        }),
      ),
  });
  const rank = useDraftWrite(
    `ranking of ${edition.id}`,
    "The new ranking",
    (d: Edition, key) =>
      api.PUT("/api/rulebook/drafts/{id}/ranking", {
        params: { path: { id: d.id }, header: keyed(key) },
        body: { revision: d.revision, ranking: order },
      }),
    itself,
  );
  const up = (k: number) =>
    setOrder(order.map((d, n) => (n === k - 1 ? (order[k] ?? d) : n === k ? (order[k - 1] ?? d) : d)));
  return (
    <Card label="Ranking" className="grid gap-3 px-4 py-3">
      <div className="flex flex-wrap items-center gap-x-2 gap-y-2">
        <b className="font-semibold">Order of precedence:</b>
        <ol className="flex flex-wrap gap-2">
          {order.map((d, k) => (
            <li key={d} className="flex items-center gap-1.5 rounded bg-sunk px-2 py-0.5">
              <span className="text-sm text-ink-2 tabular-nums">{k + 1}</span> {sayDimension(d)}
              {draft && k > 0 && (
                <button
                  type="button"
                  aria-label={`Rank ${sayDimension(d)} higher`}
                  title="Rank higher"
                  className="cursor-pointer rounded px-1 text-spruce-700 hover:bg-spruce-100"
                  onClick={() => up(k)}
                >
                  ←
                </button>
              )}
            </li>
          ))}
        </ol>
        {changed && draft && (
          <span className="ml-auto flex gap-2">
            <Button plain onClick={() => setOrder(ranking)}>
              Reset
            </Button>
            <Button disabled={!preview.data} busy={rank.busy} onClick={() => rank.run(draft)}>
              Save in draft
            </Button>
          </span>
        )}
      </div>
      <Trouble error={rank.problem} />
      {changed && (
        <Loading of={preview} lines={2}>
          {(data) => <Differences data={data} what="Order" />}
        </Loading>
      )}
    </Card>
  );
}
