import { useAskAgain } from "../../api/asked";
import { useMemo } from "react";
import { api, keyed, told } from "../../api/client";
import { Loading } from "../../ui/loading";
import { branchName, useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { More } from "../../ui/menu";
import { Button, Card, Trouble } from "../../ui/parts";
import { sayCount, sayDate } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { useWrite } from "../../shell/write";
import { title, type OnShelf } from "./Shelf";

/** What came of earlier calls. */
const lastCall = (h: OnShelf) => (h.calls ? `${sayCount(h.calls, "call")}, last: ${h.called}` : "");

const columns: Column<OnShelf>[] = [
  { id: "for", head: "Call", value: (h) => h.name ?? h.patron, className: "font-semibold" },
  { id: "phone", head: "Phone", value: (h) => h.phone ?? "", className: "whitespace-nowrap font-mono" },
  title,
  { id: "calls", head: "Calls", value: lastCall, className: "text-sm" },
  { id: "until", head: "Pick up by", value: (h) => h.until ?? "", cell: (h) => h.until && sayDate(h.until) },
  {
    id: "acts",
    head: "Outcome",
    unnamed: true,
    right: true,
    screenOnly: true,
    cell: (h) => <Result hold={h} />,
  },
];

/** Who is to be told by telephone that something waits for them, with what came of each call. */
export function Calls() {
  const me = useMe();
  const list = usePages(["hold shelf", me.branch], (after) =>
    told(api.GET("/api/hold-shelf", { params: { query: { after, most: 300 } } })),
  );
  const rows = useMemo(() => list.data?.filter((h) => h.call), [list.data]);
  return (
    <Card label="To call">
      <Loading of={{ ...list, data: rows }}>
        {(some) => (
          <Table
            label="To call"
            columns={columns}
            rows={some}
            id={(h) => h.id}
            pages={list.pages}
            tools
            paper={`To call from ${branchName(me)}`}
            className="max-h-[68vh]"
            empty="Nobody to call. Patrons who chose phone for hold notices appear here when a hold is ready."
          />
        )}
      </Loading>
    </Card>
  );
}

const results = [
  [true, "Reached"],
  [false, "Message left"],
  [false, "No answer"],
  [false, "Wrong number"],
] as const;

function Result({ hold: h }: { hold: OnShelf }) {
  const askAgain = useAskAgain();
  const called = useWrite(
    (v: { reached: boolean; says: string }, key) =>
      api.POST("/api/messages/{id}/called", { params: { path: { id: h.call ?? 0 }, header: keyed(key) }, body: v }),
    {
      name: `called ${h.call}`,
      about: () => `The call to ${h.name ?? h.patron}`,
      done: () => askAgain("hold shelf"),
    },
  );
  const [first, ...others] = results;
  return (
    <>
      <span className="flex justify-end gap-2 whitespace-nowrap">
        <Button plain busy={called.busy} onClick={() => called.run({ reached: first[0], says: first[1] })}>
          {first[1]}
        </Button>
        <More
          of={h.name ?? h.patron}
          name="Not reached"
          acts={others.map(([reached, says]) => ({ name: says, run: () => called.run({ reached, says }) }))}
        />
      </span>
      <Trouble error={called.problem} />
    </>
  );
}
