import { useAskAgain } from "../../api/asked";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { branchName, useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Card, Code, Quiet, Tag, Trouble } from "../../ui/parts";
import { plural, sayDay, sayInstant } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { useWrite } from "../../shell/write";

type Stray = Schema["CouriersStray"];

const check = (c: Stray["at_from"]) => (c.looked && c.at ? `searched ${sayDay(c.at)}, ${c.who}` : "not searched yet");

const columns: Column<Stray>[] = [
  {
    id: "item",
    head: "Item",
    value: (s) => `${s.title} ${s.barcode}`,
    cell: (s) => (
      <>
        <Link to="/items" search={{ item: s.item_id }} className="font-semibold hover:underline">
          {s.title}
        </Link>
        <br />
        <Code>{s.barcode}</Code>{" "}
        {s.tote_id && (
          <Link to="/courier" search={{ tab: "totes", tote: s.tote_id }} className="link text-sm">
            in tote {s.tote}
          </Link>
        )}{" "}
        {s.hold && <Tag tone="amber">Patron waiting</Tag>}
      </>
    ),
  },
  {
    id: "late",
    head: "Late",
    value: (s) => s.late,
    className: "whitespace-nowrap",
    cell: (s) => (
      <Tag tone={s.asked ? "buoy" : "plain"}>
        {s.late === 0 ? "Since today" : `${s.late} open ${plural(s.late, "day")}`}
      </Tag>
    ),
  },
  {
    id: "from",
    head: "From",
    value: (s) => s.from,
    cell: (s) => (
      <>
        {s.from}
        <span className="block text-sm text-ink-2">
          {sayDay(s.sent_at)}; {check(s.at_from)}
        </span>
      </>
    ),
  },
  {
    id: "to",
    head: "To",
    value: (s) => s.to,
    cell: (s) => (
      <>
        {s.to}
        <span className="block text-sm text-ink-2">
          {s.promised_at && `${sayDay(s.promised_at)}; `}
          {check(s.at_to)}
        </span>
      </>
    ),
  },
  { id: "next", head: "Next step", value: (s) => s.next, className: "text-sm" },
  { id: "acts", head: "Search", unnamed: true, right: true, screenOnly: true, cell: (s) => <Look stray={s} /> },
];

/** What was sent and has not arrived, by how late it is, with what was searched for at both ends and what happens next. */
export function Strays() {
  const me = useMe();
  const [all, setAll] = useState(false);
  const list = usePages(["strays", me.branch, all], (after) =>
    told(api.GET("/api/strays", { params: { query: { after, all, most: 300 } } })),
  );
  return (
    <Card label="Missing in transit">
      <label className="flex items-center gap-2 px-3 pt-2.5">
        <input type="checkbox" checked={all} onChange={(e) => setAll(e.target.checked)} /> Whole network, not only from
        and to {branchName(me)}
      </label>
      <p className="px-3 pt-1 text-ink-2">
        Days late count only days when the receiving branch was open. When an item turns up, scan it here or anywhere.
      </p>
      <Loading of={list}>
        {(rows) => (
          <Table
            label="Missing in transit"
            columns={columns}
            rows={rows}
            id={(s) => s.transit_id}
            pages={list.pages}
            tools
            paper={`Sent and not arrived, ${sayInstant(me.now)}`}
            className="max-h-[64vh]"
            empty="Everything sent has arrived or is still on time."
          />
        )}
      </Loading>
    </Card>
  );
}

function Look({ stray: s }: { stray: Stray }) {
  const askAgain = useAskAgain();
  const look = useWrite(
    (place: string, key) =>
      api.POST("/api/transits/{id}/looked", {
        params: { path: { id: s.transit_id }, header: keyed(key) },
        body: { place },
      }),
    {
      name: `looked ${s.transit_id}`,
      about: () => `Searching for ${s.title}`,
      done: () => askAgain("strays"),
    },
  );
  if (s.here === "neither") return null;
  return (
    <>
      <Quiet
        disabled={look.busy}
        onClick={() => look.run(s.here === "to" ? "Totes, sort room, shelf" : "Its shelf, totes, sort room")}
      >
        Searched, not found
      </Quiet>
      <Trouble error={look.problem} />
    </>
  );
}
