import { Link } from "@tanstack/react-router";
import { useMemo } from "react";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { branchName, useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Card, Code, Tag } from "../../ui/parts";
import { sayInstant } from "../../ui/say";
import { Table, type Column } from "../../ui/table";

type Transit = Schema["TodayTransit"];

/** What comes here and what has left. Scanning receives. */
export function UnderWay() {
  const me = useMe();
  const name = branchName(me);
  const list = usePages(["transits", me.branch], (after) =>
    told(api.GET("/api/transits", { params: { query: { after, most: 500 } } })),
  );
  const rows = list.data;
  const coming = useMemo(() => rows?.filter((t) => t.to_branch === me.branch), [rows, me.branch]);
  const left = useMemo(() => rows?.filter((t) => t.to_branch !== me.branch), [rows, me.branch]);
  const at = sayInstant(me.now);
  return (
    <div className="grid items-start gap-3.5 xl:grid-cols-2">
      {(
        [
          [`Coming to ${name}`, coming, "from", "Nothing is on its way here."],
          [`Sent from ${name}`, left, "to", "Nothing from here is in transit."],
        ] as const
      ).map(([title, data, end, empty]) => (
        <Card key={end} label={title}>
          <h2 className="px-3 py-2.5 font-semibold">{title}</h2>
          <Loading of={{ ...list, data }}>
            {(some) => (
              <Table
                label={title}
                columns={end === "from" ? columns.coming : columns.left}
                rows={some}
                id={(t) => t.item_id}
                pages={list.pages}
                tools
                paper={`${title}, ${at}`}
                className="max-h-[66vh]"
                empty={empty}
              />
            )}
          </Loading>
        </Card>
      ))}
    </div>
  );
}

const columnsOf = (end: "from" | "to"): Column<Transit>[] => [
  {
    id: "item",
    head: "Item",
    value: (t) => `${t.title} ${t.barcode}`,
    cell: (t) => (
      <>
        <Link to="/items" search={{ item: t.item_id }} className="font-semibold hover:underline">
          {t.title}
        </Link>
        <br />
        <Code>{t.barcode}</Code>
      </>
    ),
  },
  {
    id: "end",
    head: end === "from" ? "From" : "To",
    value: (t) => t[end],
    cell: (t) => (
      <>
        {t[end]}
        {t.hold && <span className="block text-sm text-ink-2">for a hold</span>}
      </>
    ),
  },
  { id: "sent", head: "Sent", value: (t) => t.sent_at, cell: (t) => sayInstant(t.sent_at), className: "text-sm" },
  {
    id: "promised",
    head: "Promised",
    value: (t) => t.promised_at ?? "",
    className: "text-sm",
    cell: (t) => (
      <>
        {t.promised_at ? sayInstant(t.promised_at) : "None"}
        {t.stray && (
          <span className="block">
            <Tag tone="buoy">Check both branches</Tag>
          </span>
        )}
      </>
    ),
  },
];
const columns = { coming: columnsOf("from"), left: columnsOf("to") };
