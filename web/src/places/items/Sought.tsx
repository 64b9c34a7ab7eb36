import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { useClasses } from "../../circulation/classes";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Card, Code, Tag } from "../../ui/parts";
import { sayInstant } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { AnyOf } from "./stock";

type Sought = Schema["StockSought"];

const why = (s: Sought) =>
  ({ "": "Missing", returned: "Claims returned", never_had: "Claims never had it" })[s.claimed];

const columns: Column<Sought>[] = [
  {
    id: "shelf",
    head: "Shelf",
    value: (s) => `${s.collection}, ${s.call_number}`,
    className: "font-semibold",
  },
  {
    id: "title",
    head: "Title",
    value: (s) => s.title,
    cell: (s) => (
      <Link to="/items" search={{ item: s.id }} className="link">
        {s.title}
      </Link>
    ),
  },
  { id: "author", head: "Author", value: (s) => s.author },
  { id: "number", head: "Label", value: (s) => s.barcode, cell: (s) => <Code>{s.barcode}</Code> },
  { id: "seen", head: "Last seen at", value: (s) => s.at },
  { id: "why", head: "Reason", value: why, cell: (s) => <Tag tone={s.claimed ? "amber" : "buoy"}>{why(s)}</Tag> },
  {
    id: "looks",
    head: "Searches",
    value: (s) => s.looks,
    cell: (s) =>
      s.looks === 0
        ? "none yet"
        : `${s.looks} ×, last ${s.last_place}${s.last_look ? `, ${sayInstant(s.last_look)}` : ""}`,
  },
];

/** What is searched for: missing, or said to have been brought back. A row leads to the item, where each look is written down. */
export function Sought() {
  const me = useMe();
  const classes = useClasses();
  const [branch, setBranch] = useState(me.branch);
  const list = usePages(
    ["sought", branch],
    (after) => told(api.GET("/api/sought", { params: { query: { branch, after } } })),
    {
      keep: true,
    },
  );
  return (
    <>
      <AnyOf
        label="Home branch or last seen at"
        value={branch}
        options={classes.branches}
        any="any branch"
        onChoose={setBranch}
      />
      <Card label="Missing items">
        <Loading of={list}>
          {(rows) => (
            <Table
              label="Missing items"
              columns={columns}
              rows={rows}
              id={(s) => s.id}
              pages={list.pages}
              tools
              paper="To look for on the shelves"
              className="max-h-[66vh]"
              empty="No missing items. Missing items and claimed returns appear here."
            />
          )}
        </Loading>
      </Card>
    </>
  );
}
