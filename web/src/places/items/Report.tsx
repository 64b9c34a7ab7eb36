import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Loading } from "../../kit/loading";
import { Button, Card, Empty, Trouble } from "../../kit/parts";
import { Table } from "../../kit/table";
import { useWrite } from "../../kit/write";
import { ShelfScan } from "./ShelfScan";
import { itemColumns, useAgain, type Item } from "./stock";

type Inventory = Schema["StockInventory"];

/** What a shelf comes to: what does not stand where it should, and what should stand there and was not seen. */
export function Report({ shelf: v }: { shelf: Inventory }) {
  const report = useQuery({
    queryKey: ["shelf", v.id, "report"],
    queryFn: () => told(api.GET("/api/inventories/{id}/report", { params: { path: { id: v.id } } })),
  });
  const again = useAgain();
  const [missing, setMissing] = useState<Item[]>([]);
  const finish = useWrite(
    (items: number[], key) =>
      api.POST("/api/inventories/{id}/finish", {
        params: { path: { id: v.id }, header: keyed(key) },
        body: { missing: items },
      }),
    { name: `finish shelf ${v.id}`, about: v.name, done: again },
  );
  return (
    <Loading of={report}>
      {(r) => (
        <>
          <Card label="Not where it should be">
            <h2 className="px-3.5 pt-2.5 font-semibold">
              {r.in_place} in their place; {r.odd.length} not where they should be
            </h2>
            {r.odd.length === 0 ? (
              <Empty>Everything that was scanned stands where it should.</Empty>
            ) : (
              <ul className="divide-y divide-line">
                {r.odd.map((l) => (
                  <ShelfScan key={l.id} line={l} open={false} />
                ))}
              </ul>
            )}
          </Card>
          <Card label="Not seen">
            <h2 className="px-3.5 pt-2.5 pb-1 font-semibold">
              Should stand between the first and the last, and not seen: {r.unseen.length}
            </h2>
            <Table
              label="Not seen"
              columns={itemColumns}
              rows={r.unseen}
              id={(i) => i.id}
              tools
              paper={`Not seen: ${v.name}`}
              className="max-h-[50vh]"
              acts={
                v.finished_at
                  ? undefined
                  : [{ label: (c) => `${c.length} count as missing when it is finished`, run: setMissing }]
              }
              empty="Nothing is missing between the first and the last."
            />
          </Card>
          {!v.finished_at && (
            <p className="flex flex-wrap items-center gap-2.5">
              <Button busy={finish.busy} onClick={() => finish.run(missing.map((i) => i.id))}>
                {missing.length === 0
                  ? "Finish; nothing is marked as missing"
                  : `Finish; ${missing.length} are missing`}
              </Button>
              <span className="text-sm text-ink-2">
                What is marked as missing can be taken back under What was done.
              </span>
              <Trouble error={finish.problem} />
            </p>
          )}
        </>
      )}
    </Loading>
  );
}
