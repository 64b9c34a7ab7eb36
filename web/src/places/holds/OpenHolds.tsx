import { useMemo, useState } from "react";
import { api, told } from "../../api/client";
import { Loading } from "../../ui/loading";
import { branchName, useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Card, Quiet } from "../../ui/parts";
import { isEmployed } from "../../shell/places";
import { PrintSlip } from "../../circulation/print";
import { sayDay } from "../../ui/say";
import { Table, type Act, type Column } from "../../ui/table";
import { Whom } from "../../circulation/whom";
import { Why } from "../../shell/why";
import { useCancelMany, type Hold } from "./cancel";
import { CancelHold, WhyCancelled } from "./CancelHold";
import { Lately } from "./Lately";
import { ChangeHold } from "./ChangeHold";
import { Standing, stateOf } from "./state";
import { ToQueue } from "./ToQueue";

const columnsFor = (may: boolean, change: (h: Hold) => void): Column<Hold>[] => [
  {
    id: "title",
    head: "Title",
    value: (h) => h.title,
    cell: (h) => <ToQueue id={h.title_id} title={h.title} />,
  },
  {
    id: "for",
    head: "For",
    value: (h) => h.name ?? h.patron,
    cell: (h) => <Whom id={h.patron_id} name={h.name ?? h.patron} />,
  },
  {
    id: "stands",
    head: "Status",
    value: (h) => `${stateOf(h)[1]} ${h.says} ${h.when?.says ?? ""}`,
    cell: (h) => <Standing hold={h} />,
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
    head: "Actions",
    unnamed: true,
    right: true,
    screenOnly: true,
    cell: (h) => <Acts hold={h} may={may} change={change} />,
  },
];

/** The open holds for pickup here, with what can be done with one or several. */
export function OpenHolds() {
  const me = useMe();
  const may = isEmployed(me.role);
  const [changing, setChanging] = useState<Hold>();
  const list = usePages(["holds", me.branch], (after) =>
    told(api.GET("/api/holds", { params: { query: { after, most: 200 } } })),
  );
  const columns = useMemo(() => columnsFor(may, setChanging), [may]);
  const many = useCancelMany();
  const [cancelling, setCancelling] = useState<Hold[]>();
  const acts: Act<Hold>[] = [
    {
      label: (some) => `Cancel ${some.length === 1 ? "this hold" : `these ${some.length} holds`}`,
      run: setCancelling,
      busy: many.busy,
      plain: true,
    },
  ];
  const rows = list.data;
  return (
    <Card label="Open holds">
      {rows && (
        <p className="px-3 pt-2.5 text-ink-2">
          {rows.filter((h) => h.state === "ready").length} on the hold shelf at {branchName(me)},{" "}
          {rows.filter((h) => h.state !== "ready").length}
          {list.pages.hasMore ? " and more" : ""} waiting.
        </p>
      )}
      {may && <Lately />}
      {cancelling && (
        <div className="px-3 py-2">
          <WhyCancelled
            label={`Cancel ${cancelling.length} holds`}
            act={cancelling.length === 1 ? "Cancel hold" : `Cancel all ${cancelling.length}`}
            busy={many.busy}
            onCancel={(reason) =>
              void many.run(cancelling, reason).then((left) => setCancelling(left.length > 0 ? left : undefined))
            }
            onClose={() => setCancelling(undefined)}
          />
        </div>
      )}
      {changing && <ChangeHold key={changing.id} hold={changing} done={() => setChanging(undefined)} />}
      <Loading of={list}>
        {(some) => (
          <Table
            label="Open holds"
            columns={columns}
            rows={some}
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
  );
}

function Acts({ hold: h, may, change }: { hold: Hold; may: boolean; change: (h: Hold) => void }) {
  return (
    <span className="flex justify-end gap-3 whitespace-nowrap">
      <Why trace={h.why}>Why</Why>
      {(h.state === "ready" || h.state === "moving") && <PrintSlip of={{ kind: "hold", id: h.id }} />}
      {may && h.state === "waiting" && <Quiet onClick={() => change(h)}>Edit</Quiet>}
      {may && <CancelHold hold={h} />}
    </span>
  );
}
