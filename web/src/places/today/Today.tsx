import { sayCount } from "../../ui/say";
import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import clsx from "clsx";
import { useMemo, useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { branchName, useMe } from "../../shell/me";
import { Button, Card, Head, Tag } from "../../ui/parts";
import { administrates } from "../../shell/places";
import { Table, type Column } from "../../ui/table";
import { First } from "./First";
import { FirstSteps } from "./FirstSteps";
import type { Row, To } from "./types";

type Kind = "fetch" | "clear" | "ready" | "coming" | "overdue" | "missing";

const kinds: { key: Kind; name: string; to: To; tab?: string; due: boolean }[] = [
  { key: "fetch", name: "To fetch", to: "/fetch", due: true },
  { key: "ready", name: "On the hold shelf", to: "/holds", tab: "shelf", due: false },
  { key: "clear", name: "Expired holds", to: "/holds", tab: "clear", due: true },
  { key: "coming", name: "In transit here", to: "/courier", due: false },
  { key: "overdue", name: "Overdue items", to: "/items", tab: "lent", due: false },
  { key: "missing", name: "Missing", to: "/items", tab: "sought", due: false },
];

/** What waits, branch by branch. A number narrows to its branch; it never moves the station there. */
export function TodayPlace() {
  const me = useMe();
  const navigate = useNavigate();
  const [branch, setBranch] = useState<string>();
  const today = useQuery({ queryKey: ["today", me.branch], queryFn: () => told(api.GET("/api/today")) });
  const columns = useMemo(
    () =>
      columnsFor((row, to, tab) => {
        // What is done somewhere is done there: from here it is only looked at.
        if (row.branch === me.branch) void navigate({ to, search: { tab } });
        else setBranch((b) => (b === row.branch ? undefined : row.branch));
      }),
    [me.branch, navigate],
  );
  const late = (today.data ?? []).reduce((n, r) => n + r.fetch.late + r.coming.late + r.clear.all, 0);
  return (
    <div className="grid gap-3.5">
      <Head
        title="Today"
        says={
          today.data &&
          (late
            ? `${sayCount(late, "task is", "tasks are")} late across ${sayCount(today.data.length, "branch", "branches")}.`
            : "Nothing is late.")
        }
      >
        {branch && (
          <Button plain onClick={() => setBranch(undefined)}>
            All branches
          </Button>
        )}
      </Head>
      {administrates(me.role) && <FirstSteps />}
      <Loading of={today} lines={9}>
        {(rows) => (
          <div className="grid items-start gap-3.5 lg:grid-cols-[minmax(0,1fr)_340px]">
            <Card label="Work by branch" className="pb-3">
              <Table
                label="Work by branch"
                columns={columns}
                rows={rows}
                id={(r) => r.branch}
                tools
                paper="Work by branch"
                rowClass={(r) => r.branch === branch && "bg-sunk"}
                empty="There are no branches yet."
              />
              <p className="mt-3 flex flex-wrap gap-2 px-3.5 text-sm text-ink-2">
                <Tag tone="buoy">late</Tag> past the promised or last day <Tag tone="amber">today</Tag> due today
              </p>
            </Card>
            <First branch={branch} where={branch && branchName(me, branch)} here={me.branch} />
          </div>
        )}
      </Loading>
    </div>
  );
}

const columnsFor = (onGo: (row: Row, to: To, tab?: string) => void): Column<Row>[] => [
  {
    id: "branch",
    head: "Branch",
    value: (r) => r.name,
    cell: (r) => (
      <>
        <span className="block font-semibold">{r.name}</span>
        <span className="block text-xs text-ink-2">{r.open}</span>
      </>
    ),
  },
  ...kinds.map((k): Column<Row> => ({
    id: k.key,
    head: k.name,
    value: (r) => r[k.key].all,
    className: "!p-0.5 align-middle",
    cell: (r) => (
      <Cell
        count={r[k.key]}
        due={k.due}
        pressing={k.key !== "overdue"}
        label={`${k.name} at ${r.name}`}
        onClick={() => onGo(r, k.to, k.tab)}
      />
    ),
  })),
];

function Cell({
  count,
  due,
  pressing,
  label,
  onClick,
}: {
  count: Schema["TodayCount"];
  due: boolean;
  pressing: boolean;
  label: string;
  onClick: () => void;
}) {
  const late = pressing && count.late > 0;
  if (!count.all) return <span className="grid h-11 place-items-center text-ink-3">·</span>;
  return (
    <button
      type="button"
      onClick={onClick}
      title={count.late ? `${count.late} late` : undefined}
      aria-label={`${label}: ${count.all}${count.late ? `, ${count.late} late` : ""}`}
      className={clsx(
        "grid h-11 w-full min-w-14 cursor-pointer place-items-center rounded font-mono text-[15px] font-bold tabular-nums hover:brightness-95",
        late && count.late * 2 >= count.all
          ? "bg-buoy-100 text-buoy-700"
          : due
            ? "bg-amber-100 text-amber-700"
            : "bg-sunk text-ink",
      )}
    >
      {count.all}
      {late && <span className="-mt-1 block font-sans text-xs font-medium text-buoy-700">{count.late} late</span>}
    </button>
  );
}
