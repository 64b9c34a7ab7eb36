import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { useClasses } from "../../circulation/classes";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Card, Code, Tag } from "../../ui/parts";
import { sayDay } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { Whom } from "../../circulation/whom";
import { AnyOf } from "./stock";
import { DateChoice } from "../../ui/date";

type Lent = Schema["StockLent"];

const columns: Column<Lent>[] = [
  {
    id: "due",
    head: "Due",
    value: (l) => l.due_on,
    cell: (l) => (
      <>
        {l.due} {l.lost ? <Tag tone="buoy">lost</Tag> : l.late && <Tag tone="amber">late</Tag>}
      </>
    ),
  },
  {
    id: "title",
    head: "Title",
    value: (l) => l.title,
    cell: (l) => (
      <Link to="/items" search={{ item: l.item_id }} className="link font-semibold">
        {l.title}
      </Link>
    ),
  },
  { id: "number", head: "Label", value: (l) => l.barcode, cell: (l) => <Code>{l.barcode}</Code> },
  {
    id: "who",
    head: "Borrower",
    value: (l) => l.who,
    cell: (l) => <Whom id={l.patron_id} name={l.patron_id ? l.who : "a patron of another branch"} />,
  },
  { id: "class", head: "Patron class", value: (l) => l.class },
  { id: "since", head: "Since", value: (l) => l.since.slice(0, 10), cell: (l) => sayDay(l.since) },
  { id: "branch", head: "Lent at", value: (l) => l.branch },
  { id: "home", head: "Home branch", value: (l) => l.home },
  { id: "material", head: "Material", value: (l) => l.material },
  { id: "shelf", head: "Collection", value: (l) => `${l.collection}${l.call_number && `, ${l.call_number}`}` },
  { id: "renewals", head: "Renewed", value: (l) => l.renewals || "", right: true },
];

const nothing = { branch: "", home: "", class: "", material: "", collection: "", from: "", to: "" };

/** Everything on loan now: with whom, since when, until when; narrowed and exported. */
export function LentNow() {
  const classes = useClasses();
  const [query, setQuery] = useState(nothing);
  const set = (by: Partial<typeof nothing>) => setQuery({ ...query, ...by });
  const list = usePages(
    ["lent now", query],
    (after) => told(api.GET("/api/lent-now", { params: { query: { ...query, after, most: 500 } } })),
    {
      keep: true,
    },
  );
  return (
    <>
      <div className="flex flex-wrap items-end gap-2.5">
        <AnyOf
          label="Lent at"
          value={query.branch}
          options={classes.branches}
          any="any branch"
          onChoose={(branch) => set({ branch })}
        />
        <AnyOf
          label="Home branch"
          value={query.home}
          options={classes.branches}
          any="any branch"
          onChoose={(home) => set({ home })}
        />
        <AnyOf label="Patron class" value={query.class} options={classes.patrons} onChoose={(c) => set({ class: c })} />
        <AnyOf
          label="Material"
          value={query.material}
          options={classes.materials}
          onChoose={(material) => set({ material })}
        />
        <AnyOf
          label="Collection"
          value={query.collection}
          options={classes.collections}
          onChoose={(collection) => set({ collection })}
        />
        <DateChoice label="Due from" value={query.from} onChange={(from) => set({ from })} />
        <DateChoice label="to" value={query.to} onChange={(to) => set({ to })} />
      </div>
      <Card label="On loan">
        <Loading of={list}>
          {(rows) => (
            <Table
              label="On loan"
              columns={columns}
              rows={rows}
              id={(l) => l.loan_id}
              pages={list.pages}
              tools
              paper="On loan"
              className="max-h-[64vh]"
              empty="Nothing on loan matches."
            />
          )}
        </Loading>
      </Card>
    </>
  );
}
