import { useMemo } from "react";
import { api, told } from "../../api/client";
import { Loading } from "../../ui/loading";
import { branchName, useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Card, Tag } from "../../ui/parts";
import { sayDate } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { title, type OnShelf } from "./Shelf";

const columnsFor = (slots: boolean): Column<OnShelf>[] => [
  ...(slots ? [{ id: "slot", head: "Slot", value: (h: OnShelf) => h.slot ?? 0, right: true }] : []),
  { id: "for", head: "Shelf name", value: (h) => h.patron, className: "font-semibold" },
  title,
  {
    id: "until",
    head: "Last day",
    value: (h) => h.until ?? "",
    cell: (h) => h.until && sayDate(h.until),
  },
  {
    id: "ended",
    head: "Status",
    value: (h) => h.ended ?? "",
    cell: (h) => <Tag tone={h.ended === "Expired" ? "buoy" : "plain"}>{h.ended}</Tag>,
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
    <Card label="Expired">
      <p className="px-3 pt-2.5 text-ink-2">
        Take these items off the hold shelf and scan them. Each scan tells you where the item goes: to the next patron,
        to another branch, or back to its shelf.
      </p>
      <Loading of={list}>
        {(rows) => (
          <Table
            label="Expired"
            columns={columns}
            rows={rows}
            id={(h) => h.id}
            pages={list.pages}
            tools
            paper={`To remove from the hold shelf at ${branchName(me)}`}
            className="max-h-[64vh]"
            empty="Nothing to remove. Holds that expire or are cancelled while on the hold shelf appear here."
          />
        )}
      </Loading>
    </Card>
  );
}
