import { useAskAgain } from "../../api/asked";
import { useMemo } from "react";
import { api, keyed, told } from "../../api/client";
import { Loading } from "../../ui/loading";
import { branchName, useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Button, Card, Quiet, Trouble } from "../../ui/parts";
import { sayDate } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { useWrite } from "../../shell/write";
import { title, type OnShelf } from "./Shelf";

const columns: Column<OnShelf>[] = [
  { id: "for", head: "Call", value: (h) => h.patron, className: "font-semibold" },
  { id: "phone", head: "Phone", value: (h) => h.phone ?? "", className: "whitespace-nowrap font-mono" },
  title,
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
  [true, "Reached", "Reached"],
  [false, "No answer", "Not reached"],
] as const;

function Result({ hold: h }: { hold: OnShelf }) {
  const askAgain = useAskAgain();
  const called = useWrite(
    (v: { reached: boolean; says: string }, key) =>
      api.POST("/api/messages/{id}/called", { params: { path: { id: h.call ?? 0 }, header: keyed(key) }, body: v }),
    {
      name: `called ${h.call}`,
      about: () => `The call to ${h.patron}`,
      done: () => askAgain("hold shelf"),
    },
  );
  return (
    <>
      <span className="flex justify-end gap-3 whitespace-nowrap">
        {results.map(([reached, says, label]) =>
          reached ? (
            <Button key={label} plain busy={called.busy} onClick={() => called.run({ reached, says })}>
              {label}
            </Button>
          ) : (
            <Quiet key={label} disabled={called.busy} onClick={() => called.run({ reached, says })}>
              {label}
            </Quiet>
          ),
        )}
      </span>
      <Trouble error={called.problem} />
    </>
  );
}
