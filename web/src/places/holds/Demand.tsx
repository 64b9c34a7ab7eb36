import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Card, inputLook } from "../../ui/parts";
import { asksOutside } from "../../shell/places";
import { Table, type Column } from "../../ui/table";
import { outside } from "../interlibrary";
import { ToQueue } from "./ToQueue";

type Asked = Schema["HoldsAsked"];

const columns: Column<Asked>[] = [
  {
    id: "title",
    head: "Title",
    value: (t) => t.title,
    cell: (t) => <ToQueue id={t.title_id} title={t.title} />,
  },
  { id: "author", head: "Author", value: (t) => t.author },
  { id: "isbn", head: "ISBN", value: (t) => t.isbn, className: "font-mono text-sm" },
  { id: "waiting", head: "Waiting", value: (t) => t.waiting, right: true },
  { id: "copies", head: "Copies", value: (t) => t.copies, right: true },
  { id: "per", head: "Per copy", value: (t) => t.per_copy, cell: (t) => t.per_copy.toFixed(1), right: true },
  { id: "oldest", head: "Oldest hold", value: (t) => t.oldest },
  {
    id: "acts",
    head: "Actions",
    unnamed: true,
    right: true,
    screenOnly: true,
    cell: (t) => (
      <span className="flex justify-end gap-3 whitespace-nowrap">
        <Link to="/items" search={{ title: t.title_id }} className="link">
          Add copies
        </Link>
        <Outside of={t} />
      </span>
    ),
  },
];

/** Searches all partners for it at once, for who stands first in the queue; whoever answers is asked with one more click. */
function Outside({ of: t }: { of: Asked }) {
  const me = useMe();
  if (!asksOutside(me.role)) return null;
  const { patron, name, pickup } = t.first;
  return (
    <Link
      to="/interlibrary"
      className="link"
      title={`For ${name}, first in the queue`}
      onClick={() => outside.setState({ words: t.title, asking: true, whom: { id: patron, name, pickup } })}
    >
      Request from a partner
    </Link>
  );
}

/** Titles for whose copies too many wait, to be bought or asked for outside. The list goes out as a file for who buys. */
export function Demand() {
  const me = useMe();
  const [per, setPer] = useState("");
  const list = usePages(
    ["demand", per],
    (after) =>
      told(api.GET("/api/demand", { params: { query: { after, most: 300, per_copy: per === "" ? 0 : Number(per) } } })),
    { keep: true },
  );
  return (
    <Card label="High demand">
      <label className="flex flex-wrap items-center gap-2 px-3 pt-2.5">
        Holds per copy above
        <input
          type="number"
          min={1}
          max={100}
          value={per}
          placeholder="network default"
          onChange={(e) => setPer(e.target.value)}
          className={`${inputLook} w-28`}
        />
        <span className="text-sm text-ink-2">Leave empty for the network default.</span>
      </label>
      <Loading of={list}>
        {(rows) => (
          <Table
            label="High demand"
            columns={columns}
            rows={rows}
            id={(t) => t.title_id}
            pages={list.pages}
            tools
            paper={`High demand, ${me.network}`}
            className="max-h-[64vh]"
            empty="No title has that many holds per copy."
          />
        )}
      </Loading>
    </Card>
  );
}
