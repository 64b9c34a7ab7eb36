import { Link } from "@tanstack/react-router";
import { api, told, type Schema } from "../../api/client";
import { InHand } from "../../kit/inhand";
import { useMe } from "../../kit/me";
import { usePages } from "../../kit/pages";
import { Card, Code, Empty, Head, Loading, Tag, Trouble } from "../../kit/parts";
import { sayInstant } from "../../kit/say";

/** What comes here and what has left, strays first. Scanning receives. */
export function CourierPlace() {
  const me = useMe().data!;
  const list = usePages(
    ["transits", me.branch],
    (after) => told(api.GET("/api/transits", { params: { query: { after, most: 500 } } })),
    { refetchInterval: 30_000 },
  );
  const name = me.branches!.find((b) => b.code === me.branch)?.name;
  const coming = list.rows?.filter((t) => t.to === name) ?? [];
  const left = list.rows?.filter((t) => t.to !== name) ?? [];
  const strays = list.rows?.filter((t) => t.stray).length ?? 0;
  return (
    <div className="grid gap-3.5">
      <Head
        title="Courier"
        says={
          list.rows &&
          `${coming.length} on the way to ${name}, ${left.length} sent from here. ${strays ? `${strays} have missed their promise.` : "None has missed its promise."}`
        }
      />
      <Trouble error={list.error} />
      <InHand prompt="Scan an item out of a tote to receive it" />
      <div className="grid items-start gap-3.5 xl:grid-cols-2">
        <Moving title={`Coming to ${name}`} list={list.rows && coming} empty="Nothing is on its way here." end="from" />
        <Moving title={`Sent from ${name}`} list={list.rows && left} empty="Nothing from here is under way." end="to" />
      </div>
      {list.more}
    </div>
  );
}

function Moving({
  title,
  list,
  empty,
  end,
}: {
  title: string;
  list?: Schema["TodayTransit"][];
  empty: string;
  end: "from" | "to";
}) {
  return (
    <Card label={title} className="max-h-[70vh] overflow-auto">
      <h2 className="px-3 py-2.5 font-semibold">{title}</h2>
      {!list ? (
        <Loading />
      ) : list.length === 0 ? (
        <Empty>{empty}</Empty>
      ) : (
        <table className="list">
          <thead>
            <tr>
              <th>Item</th>
              <th>{end === "from" ? "From" : "To"}</th>
              <th>Sent</th>
              <th>Promised</th>
            </tr>
          </thead>
          <tbody>
            {list.map((t) => (
              <tr key={t.item_id}>
                <td>
                  <Link to="/items" search={{ item: t.item_id }} className="font-semibold hover:underline">
                    {t.title}
                  </Link>
                  <br />
                  <Code>{t.barcode}</Code>
                </td>
                <td>
                  {end === "from" ? t.from : t.to}
                  {t.hold && <span className="block text-sm text-ink-2">for a hold</span>}
                </td>
                <td className="text-sm">{sayInstant(t.sent_at)}</td>
                <td className="text-sm">
                  {t.promised_at ? sayInstant(t.promised_at) : "No promise"}
                  {t.stray && (
                    <span className="block">
                      <Tag tone="buoy">Look at both ends</Tag>
                    </span>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </Card>
  );
}
