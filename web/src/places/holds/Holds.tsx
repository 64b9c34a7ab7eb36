import { useQueryClient } from "@tanstack/react-query";
import { Link, useSearch } from "@tanstack/react-router";
import { useMemo, useState } from "react";
import { createStore } from "zustand/vanilla";
import { api, keyed, told, type Schema } from "../../api/client";
import { Reasons } from "../../kit/forms";
import { InHand } from "../../kit/inhand";
import { Loading } from "../../kit/loading";
import { branchName, useMe } from "../../kit/me";
import { usePages } from "../../kit/pages";
import { Card, Head, inputLook, Quiet, Tag, Trouble, type Tone } from "../../kit/parts";
import { isEmployed } from "../../kit/places";
import { PrintSlip } from "../../kit/print";
import { sayDay } from "../../kit/say";
import { Table, type Act, type Column } from "../../kit/table";
import { Why } from "../../kit/why";
import { useWrite, write } from "../../kit/write";
import { PlaceHold } from "./PlaceHold";

type Hold = Schema["HoldsHold"];

const states: Record<string, [Tone, string]> = {
  ready: ["amber", "On the shelf"],
  moving: ["tide", "On its way"],
  fetching: ["spruce", "Being fetched"],
  waiting: ["plain", "Waiting"],
};
const stateOf = (h: Hold): [Tone, string] =>
  h.lapsed ? ["buoy", "Past its day"] : (states[h.state] ?? ["plain", h.says]);

const columnsFor = (mayCancel: boolean): Column<Hold>[] => [
  {
    id: "title",
    head: "Title",
    value: (h) => h.title,
    cell: (h) => (
      <Link to="/holds" search={{ title: h.title_id }} className="font-semibold hover:underline">
        {h.title}
      </Link>
    ),
  },
  {
    id: "for",
    head: "For",
    value: (h) => h.patron,
    cell: (h) =>
      h.patron_id ? (
        <Link to="/patrons" search={{ patron: h.patron_id }} className="hover:underline">
          {h.patron}
        </Link>
      ) : (
        h.patron
      ),
  },
  {
    id: "stands",
    head: "How it stands",
    value: (h) => `${stateOf(h)[1]} ${h.says}`,
    cell: (h) => (
      <>
        <Tag tone={stateOf(h)[0]}>{stateOf(h)[1]}</Tag> <span className="text-sm text-ink-2">{h.says}</span>
        {h.waiting > 0 && <span className="text-sm text-ink-2">, number {h.waiting} of those waiting</span>}
      </>
    ),
  },
  {
    id: "placed",
    head: "Placed",
    value: (h) => h.placed_at,
    cell: (h) => sayDay(h.placed_at),
    className: "text-sm whitespace-nowrap",
  },
  {
    id: "acts",
    head: "Why and actions",
    unnamed: true,
    right: true,
    screenOnly: true,
    cell: (h) => <Acts hold={h} mayCancel={mayCancel} />,
  },
];

/** Holds for pickup here, or the queue of one title; and placing one. Scanning says where an item in hand goes. */
export function HoldsPlace() {
  const me = useMe();
  const { title } = useSearch({ from: "/holds" });
  const may = isEmployed(me.role);
  const list = usePages(["holds", me.branch, title], (after) =>
    told(api.GET("/api/holds", { params: { query: { title, after, most: 300 } } })),
  );
  const columns = useMemo(() => columnsFor(may), [may]);
  const acts = useActs();
  return (
    <div className="grid gap-3.5">
      <Head title="Holds" says={list.data && says(list.data, list.pages.hasMore, branchName(me), title)} />
      <InHand prompt="Scan an item in hand, for the hold shelf or wherever it goes" />
      {may && <PlaceHold key={title} title={title} />}
      <Card label="Open holds">
        {may && (
          <div className="flex justify-end px-3 py-2 print:hidden">
            <label className="flex items-center gap-2 text-sm text-ink-2">
              Reason, when one is cancelled
              <input
                list="cancel-reasons"
                autoComplete="off"
                maxLength={200}
                className={inputLook}
                onChange={(e) => reason.setState({ says: e.target.value.trim() })}
              />
            </label>
            <Reasons list="cancel" id="cancel-reasons" />
          </div>
        )}
        <Loading of={list}>
          {(rows) => (
            <Table
              label="Open holds"
              columns={columns}
              rows={rows}
              id={(h) => h.id}
              pages={list.pages}
              acts={may ? acts : undefined}
              tools
              paper={`Holds at ${branchName(me)}`}
              className="max-h-[70vh]"
              empty="No open holds. Place one above, or from a title under Items."
            />
          )}
        </Loading>
      </Card>
    </div>
  );
}

/** Why holds are cancelled from now on, as the field above the list says. */
const reason = createStore(() => ({ says: "" }));

const cancelOne = (id: number, key: string) =>
  api.POST("/api/holds/{id}/cancel", {
    params: { path: { id }, header: keyed(key) },
    body: { reason: reason.getState().says },
  });
const nameOf = (h: Hold) => `cancel ${h.id}`;
const aboutOf = (h: Hold) => `Cancelling the hold on ${h.title}`;

/** What can be done with several holds at once. Each is a write of its own; what stands in its way shows in its row. */
function useActs(): Act<Hold>[] {
  const queries = useQueryClient();
  const [busy, setBusy] = useState(false);
  const cancelAll = async (some: Hold[]) => {
    setBusy(true);
    for (const h of some) await write(nameOf(h), aboutOf(h), (key) => cancelOne(h.id, key));
    setBusy(false);
    void queries.invalidateQueries({ queryKey: ["holds"] });
  };
  return [
    {
      label: (some) => `Cancel ${some.length === 1 ? "this hold" : `these ${some.length} holds`}`,
      run: (some) => void cancelAll(some),
      busy,
      plain: true,
    },
  ];
}

function says(rows: Hold[], more: boolean, branch: string, title?: number) {
  if (title) return `${rows.length}${more ? " and more" : ""} open holds on this title.`;
  const ready = rows.filter((h) => h.state === "ready").length;
  const lapsed = rows.filter((h) => h.lapsed).length;
  return `${ready} on the hold shelf at ${branch}${lapsed ? `, ${lapsed} past their day` : ""}, ${rows.length - ready}${more ? " and more" : ""} still to come.`;
}

function Acts({ hold: h, mayCancel }: { hold: Hold; mayCancel: boolean }) {
  const queries = useQueryClient();
  const cancel = useWrite(cancelOne, {
    name: nameOf(h),
    about: aboutOf(h),
    done: () => void queries.invalidateQueries({ queryKey: ["holds"] }),
  });
  return (
    <>
      <span className="whitespace-nowrap">
        <Why trace={h.why}>Why</Why>{" "}
        {(h.state === "ready" || h.state === "moving") && <PrintSlip of={{ kind: "hold", id: h.id }} />}{" "}
        {mayCancel && (
          <Quiet disabled={cancel.busy} onClick={() => cancel.run(h.id)}>
            Cancel
          </Quiet>
        )}
      </span>
      <Trouble error={cancel.problem} />
    </>
  );
}
