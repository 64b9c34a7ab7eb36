import { useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Card, Quiet } from "../../ui/parts";
import { supervises } from "../../shell/places";
import { sayInstant } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { TakeBack as Part } from "../../circulation/takeback";
import { itemColumns, useAgain } from "./stock";

type Deed = Schema["StockDoneToMany"];

/** What was done to many items at once, each to be undone as one. */
export function Deeds() {
  const [shown, setShown] = useState<Deed>();
  const list = usePages(["stock deeds"], (after) =>
    told(api.GET("/api/stock-deeds", { params: { query: { after } } })),
  );
  const columns: Column<Deed>[] = [
    { id: "at", head: "When", value: (d) => d.at, cell: (d) => sayInstant(d.at) },
    { id: "who", head: "Who", value: (d) => d.who },
    {
      id: "says",
      head: "Change",
      value: (d) => d.says,
      cell: (d) => (
        <>
          <b className="font-semibold">{d.says}</b> {d.reason && <span className="text-ink-2">({d.reason})</span>}
        </>
      ),
    },
    {
      id: "count",
      head: "Items",
      value: (d) => d.count,
      cell: (d) => <Quiet onClick={() => setShown(d)}>{d.count}</Quiet>,
      right: true,
    },
    {
      id: "undo",
      head: "Undo",
      unnamed: true,
      screenOnly: true,
      cell: (d) => <TakeBack deed={d.id} undone={d.undone} />,
    },
  ];
  return (
    <>
      <Card label="Activity">
        <Loading of={list}>
          {(rows) => (
            <Table
              label="Activity"
              columns={columns}
              rows={rows}
              id={(d) => d.id}
              pages={list.pages}
              className="max-h-[50vh]"
              empty="No batch changes yet."
            />
          )}
        </Loading>
      </Card>
      {shown && <Concerned key={shown.id} deed={shown} />}
    </>
  );
}

function Concerned({ deed }: { deed: Deed }) {
  const list = usePages(["items", "deed", deed.id], (after) =>
    told(api.GET("/api/stock-deeds/{id}/items", { params: { path: { id: deed.id }, query: { after } } })),
  );
  return (
    <Card label="Its items, as they are now">
      <h2 className="px-3.5 py-2 font-semibold">{deed.says}: its items, as they are now</h2>
      <Loading of={list}>
        {(rows) => (
          <Table
            label="Its items"
            columns={itemColumns}
            rows={rows}
            id={(i) => i.id}
            pages={list.pages}
            tools
            className="max-h-[50vh]"
            empty="None."
          />
        )}
      </Loading>
    </Card>
  );
}

/** Takes back what was done to many items, for who may, and says what stays as it is. */
export function TakeBack({ deed, undone, onDone }: { deed: number; undone?: boolean; onDone?: () => void }) {
  const me = useMe();
  const again = useAgain();
  if (!supervises(me.role)) return undone && <span className="text-ink-2">undone</span>;
  return (
    <Part
      name={`undo stock ${deed}`}
      about="Undoing the batch change"
      undone={undone}
      send={(key) => api.POST("/api/stock-deeds/{id}/undo", { params: { path: { id: deed }, header: keyed(key) } })}
      stay={(left) => `${left} changed again since then`}
      onDone={(left) => {
        again();
        if (left === 0) onDone?.();
      }}
    />
  );
}
