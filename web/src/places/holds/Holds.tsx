import { useQueryClient } from "@tanstack/react-query";
import { Link, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { useMe } from "../../kit/me";
import { usePages } from "../../kit/pages";
import { Card, Empty, Head, Loading, Quiet, Tag, Trouble, type Tone } from "../../kit/parts";
import { sayDay } from "../../kit/say";
import { Why } from "../../kit/why";
import { PlaceHold } from "./PlaceHold";

const states: Record<string, [Tone, string]> = {
  ready: ["amber", "On the shelf"],
  moving: ["tide", "On its way"],
  fetching: ["spruce", "Being fetched"],
  waiting: ["plain", "Waiting"],
};

/** Holds for pickup here, or the queue of one title; and placing one. */
export function HoldsPlace() {
  const me = useMe().data!;
  const { title } = useSearch({ from: "/holds" });
  const queries = useQueryClient();
  const [error, setError] = useState<unknown>();
  const list = usePages(["holds", me.branch, title], (after) =>
    told(api.GET("/api/holds", { params: { query: { title, after, most: 300 } } })),
  );
  const cancel = (id: number) =>
    told(api.POST("/api/holds/{id}/cancel", { params: { path: { id }, header: newKey() }, body: { reason: "" } })).then(
      () => queries.invalidateQueries(),
      setError,
    );
  const ready = list.rows?.filter((h) => h.state === "ready").length ?? 0;
  const lapsed = list.rows?.filter((h) => h.lapsed).length ?? 0;
  const branch = me.branches!.find((b) => b.code === me.branch)?.name;
  return (
    <div className="grid gap-3.5">
      <Head
        title="Holds"
        says={
          list.rows &&
          (title
            ? `${list.rows.length}${list.hasMore ? " and more" : ""} open holds on this title.`
            : `${ready} on the hold shelf at ${branch}${lapsed ? `, ${lapsed} past their day` : ""}, ${list.rows.length - ready}${list.hasMore ? " and more" : ""} still to come.`)
        }
      />
      {me.role !== "volunteer" && <PlaceHold title={title} onPlaced={() => void queries.invalidateQueries()} />}
      <Trouble error={error ?? list.error} />
      <Card label="Open holds">
        {!list.rows ? (
          <Loading />
        ) : list.rows.length === 0 ? (
          <Empty>No open holds. Place one above, or from a title under Items.</Empty>
        ) : (
          <table className="list">
            <thead>
              <tr>
                <th>Title</th>
                <th>For</th>
                <th>How it stands</th>
                <th>Placed</th>
                <th>
                  <span className="sr-only">Why and actions</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {list.rows.map((h) => (
                <Line key={h.id} hold={h} onCancel={() => void cancel(h.id)} mayCancel={me.role !== "volunteer"} />
              ))}
            </tbody>
          </table>
        )}
        {list.more}
      </Card>
    </div>
  );
}

function Line({
  hold: h,
  onCancel,
  mayCancel,
}: {
  hold: Schema["HoldsHold"];
  onCancel: () => void;
  mayCancel: boolean;
}) {
  const [tone, word] = states[h.state] ?? ["plain", h.state];
  return (
    <tr>
      <td>
        <Link to="/holds" search={{ title: h.title_id }} className="font-semibold hover:underline">
          {h.title}
        </Link>
      </td>
      <td>
        <Link to="/patrons" search={{ patron: h.patron_id }} className="hover:underline">
          {h.patron}
        </Link>
      </td>
      <td>
        <Tag tone={h.lapsed ? "buoy" : tone}>{h.lapsed ? "Past its day" : word}</Tag>{" "}
        <span className="text-sm text-ink-2">{h.says}</span>
        {h.waiting > 0 && <span className="text-sm text-ink-2">, number {h.waiting} of those waiting</span>}
      </td>
      <td className="text-sm whitespace-nowrap">{sayDay(h.placed_at)}</td>
      <td className="text-right whitespace-nowrap">
        <Why trace={h.why}>Why</Why>{" "}
        {(h.state === "ready" || h.state === "moving") && (
          <a
            href={`/api/slips/hold/${h.id}`}
            target="_blank"
            className="border-b border-dotted border-spruce-500 text-sm text-spruce-700"
          >
            Slip
          </a>
        )}{" "}
        {mayCancel && <Quiet onClick={onCancel}>Cancel</Quiet>}
      </td>
    </tr>
  );
}
