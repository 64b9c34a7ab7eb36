import { useAskAgain } from "../../api/asked";
import clsx from "clsx";
import { useMemo } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Card, Quiet, Tag, Trouble } from "../../ui/parts";
import { sayInstant } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { useWrite } from "../../shell/write";

type Sweep = Schema["CalendarsSweep"];

const columnsFor = (mayUndo: boolean): Column<Sweep>[] => [
  { id: "at", head: "When", value: (s) => s.at, cell: (s) => sayInstant(s.at), className: "text-sm" },
  {
    id: "what",
    head: "Change",
    value: (s) => s.text,
    cell: (s) => <span className={clsx(s.undone_at && "line-through")}>{s.text}</span>,
  },
  {
    id: "moved",
    head: "Effect",
    value: (s) =>
      s.parts
        ? `${s.moved} ${s.undone_at ? "of them left to move back" : "moved so far"}; lending goes on meanwhile`
        : `${s.loans} due dates, ${s.holds} holds`,
    className: "text-sm text-ink-2",
  },
  { id: "who", head: "Who", value: (s) => s.who, className: "text-sm text-ink-2" },
  { id: "acts", head: "Undo", unnamed: true, right: true, cell: (s) => <Undo sweep={s} may={mayUndo} /> },
];

/** Changes that were made, each undone as one. */
export function Sweeps({ supervising }: { supervising: boolean }) {
  const list = usePages(["calendar changes"], (after) =>
    told(api.GET("/api/calendar-changes", { params: { query: { after, most: 30 } } })),
  );
  const columns = useMemo(() => columnsFor(supervising), [supervising]);
  return (
    <Card label="Activity" className="print:hidden">
      <h2 className="px-4 pt-3 font-semibold">Activity</h2>
      <Loading of={list} lines={3}>
        {(rows) => (
          <Table
            label="Activity"
            columns={columns}
            rows={rows}
            id={(s) => s.id}
            pages={list.pages}
            empty="No changes yet. Each calendar change appears here and can be undone as one."
          />
        )}
      </Loading>
    </Card>
  );
}

function Undo({ sweep, may }: { sweep: Sweep; may: boolean }) {
  const askAgain = useAskAgain();
  const undo = useWrite(
    (id: number, key) => api.POST("/api/calendar-changes/{id}/undo", { params: { path: { id }, header: keyed(key) } }),
    { name: `undo sweep ${sweep.id}`, about: `Undoing: ${sweep.text}`, done: () => askAgain() },
  );
  if (sweep.undone_at) return <Tag tone="plain">Undone</Tag>;
  if (!may || sweep.parts) return null;
  return (
    <>
      <Quiet disabled={undo.busy} onClick={() => undo.run(sweep.id)}>
        Undo
      </Quiet>
      <Trouble error={undo.problem} />
    </>
  );
}
