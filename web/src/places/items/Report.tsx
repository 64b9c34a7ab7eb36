import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { Button, Card, Empty, Trouble } from "../../ui/parts";
import { Table } from "../../ui/table";
import { useWrite } from "../../shell/write";
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
          <Card label="Misplaced">
            <h2 className="px-3.5 pt-2.5 font-semibold">
              {r.in_place} in place; {r.odd.length} misplaced
            </h2>
            {r.odd.length === 0 ? (
              <Empty>Everything scanned is in its place.</Empty>
            ) : (
              <ul className="divide-y divide-line">
                {r.odd.map((l) => (
                  <ShelfScan key={l.id} line={l} open={false} />
                ))}
              </ul>
            )}
          </Card>
          <Card label="Not scanned">
            <h2 className="px-3.5 pt-2.5 pb-1 font-semibold">
              Expected on these shelves, not scanned: {r.unseen.length}
            </h2>
            <Table
              label="Not scanned"
              columns={itemColumns}
              rows={r.unseen}
              id={(i) => i.id}
              tools
              paper={`Not scanned: ${v.name}`}
              className="max-h-[50vh]"
              acts={
                v.finished_at ? undefined : [{ label: (c) => `${c.length} will be marked missing`, run: setMissing }]
              }
              empty="Nothing is missing."
            />
          </Card>
          {!v.finished_at && (
            <p className="flex flex-wrap items-center gap-2.5">
              <Button busy={finish.busy} onClick={() => finish.run(missing.map((i) => i.id))}>
                {missing.length === 0
                  ? "Finish without marking any missing"
                  : `Finish and mark ${missing.length} missing`}
              </Button>
              <span className="text-sm text-ink-2">You can undo this under Activity.</span>
              <Trouble error={finish.problem} />
            </p>
          )}
        </>
      )}
    </Loading>
  );
}
