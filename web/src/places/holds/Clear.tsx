import { useMemo } from "react";
import { api, told } from "../../api/client";
import { Loading } from "../../kit/loading";
import { branchName, useMe } from "../../kit/me";
import { usePages } from "../../kit/pages";
import { Card, Tag } from "../../kit/parts";
import { sayDate } from "../../kit/say";
import { Table, type Column } from "../../kit/table";
import { title, type OnShelf } from "./Shelf";

const columnsFor = (slots: boolean): Column<OnShelf>[] => [
  ...(slots ? [{ id: "slot", head: "Slot", value: (h: OnShelf) => h.slot ?? 0, right: true }] : []),
  { id: "for", head: "Stands under", value: (h) => h.patron, className: "font-semibold" },
  title,
  {
    id: "until",
    head: "Last day",
    value: (h) => h.until ?? "",
    cell: (h) => h.until && sayDate(h.until),
  },
  {
    id: "ended",
    head: "Why it stands here still",
    value: (h) => h.ended ?? "",
    cell: (h) => <Tag tone={h.ended === "Lapsed" ? "buoy" : "plain"}>{h.ended}</Tag>,
  },
];

/** What still stands on the hold shelf for holds that have ended. Scanning one says where it goes, and takes it off this list. */
export function Clear() {
  const me = useMe();
  const list = usePages(["hold shelf", "clear", me.branch], (after) =>
    told(api.GET("/api/hold-shelf/to-clear", { params: { query: { after, most: 300 } } })),
  );
  const slots = list.data?.some((h) => h.slot) ?? false;
  const columns = useMemo(() => columnsFor(slots), [slots]);
  return (
    <Card label="To clear">
      <p className="px-3 pt-2.5 text-ink-2">
        Take these off the hold shelf and scan them, one after another. Each says where it goes: to the next who waits,
        to another branch, or to its shelf.
      </p>
      <Loading of={list}>
        {(rows) => (
          <Table
            label="To clear"
            columns={columns}
            rows={rows}
            id={(h) => h.id}
            pages={list.pages}
            tools
            paper={`To clear from the hold shelf at ${branchName(me)}`}
            className="max-h-[64vh]"
            empty="Nothing to clear. What lapses, or is cancelled while it stands on the hold shelf, comes here."
          />
        )}
      </Loading>
    </Card>
  );
}
