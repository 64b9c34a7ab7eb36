import { Link } from "@tanstack/react-router";
import { useMemo, useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { branchName, useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Card, Tag } from "../../ui/parts";
import { asksOutside, supervises } from "../../shell/places";
import { sayDay } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { Whom } from "../../circulation/whom";
import { Why } from "../../shell/why";
import { outside } from "../interlibrary";
import { Lately } from "./Lately";
import { ToQueue } from "./ToQueue";
import { CancelHold } from "./CancelHold";

type Hold = Schema["HoldsStuck"];

const columnsFor = (asks: boolean): Column<Hold>[] => [
  {
    id: "title",
    head: "Title",
    value: (h) => h.title,
    cell: (h) => (
      <>
        <ToQueue id={h.title_id} title={h.title} />
        {h.only && <span className="block text-sm text-ink-2">{h.only}</span>}
      </>
    ),
  },
  { id: "for", head: "For", value: (h) => h.patron, cell: (h) => <Whom id={h.patron_id} name={h.patron} bold /> },
  { id: "at", head: "Pickup at", value: (h) => h.at },
  { id: "placed", head: "Placed", value: (h) => h.placed_at, cell: (h) => sayDay(h.placed_at) },
  {
    id: "because",
    head: "Problem",
    value: (h) => h.because,
    cell: (h) => (
      <>
        {h.because} <Why trace={h.why_so}>Why</Why>
      </>
    ),
  },
  {
    id: "acts",
    head: "Actions",
    unnamed: true,
    right: true,
    screenOnly: true,
    cell: (h) => (
      <span className="flex justify-end gap-3 whitespace-nowrap">
        {asks && (
          <Link
            to="/interlibrary"
            className="link"
            onClick={() =>
              outside.setState({
                words: h.title,
                asking: true,
                whom: { id: h.patron_id, name: h.patron, pickup: h.pickup },
              })
            }
          >
            Request from a partner
          </Link>
        )}
        <CancelHold hold={h} />
      </span>
    ),
  },
];

/** Holds for which there is nothing to wait: no copy is left, or none may or can get to them. */
export function Stuck() {
  const me = useMe();
  const boss = supervises(me.role);
  const [all, setAll] = useState(boss);
  const list = usePages(["stuck holds", all ? "" : me.branch], (after) =>
    told(api.GET("/api/holds/stuck", { params: { query: { after, most: 100, all } } })),
  );
  const columns = useMemo(() => columnsFor(asksOutside(me.role)), [me.role]);
  return (
    <Card label="No copy available">
      <p className="flex flex-wrap items-center gap-x-4 px-3 pt-2.5 text-ink-2">
        {list.data && (
          <Tag tone={list.data.length ? "amber" : "spruce"}>
            {list.data.length}
            {list.pages.hasMore && " and more"}
          </Tag>
        )}
        Tell these patrons: edit the hold, buy a copy, request one from a partner, or cancel.
        {boss && (
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={all} onChange={(e) => setAll(e.target.checked)} /> All branches
          </label>
        )}
      </p>
      <Lately />
      <Loading of={list}>
        {(rows) => (
          <Table
            label="No copy available"
            columns={columns}
            rows={rows}
            id={(h) => h.id}
            pages={list.pages}
            tools
            paper={`Holds with no copy available, ${all ? me.network : branchName(me)}`}
            className="max-h-[64vh]"
            empty="Every waiting hold has a copy that can fill it."
          />
        )}
      </Loading>
    </Card>
  );
}
