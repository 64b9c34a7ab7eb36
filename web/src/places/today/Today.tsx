import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import clsx from "clsx";
import { api, post, told, type Schema } from "../../api/client";
import { Card, Head, Loading, Tag, Trouble } from "../../kit/parts";
import { useMe } from "../../kit/me";

type Row = Schema["TodayRow"];
type Kind = "fetch" | "clear" | "ready" | "coming" | "overdue" | "missing";

const columns: {
  key: Kind;
  name: string;
  to: "/fetch" | "/holds" | "/courier" | "/notices" | "/items";
  due: boolean;
}[] = [
  { key: "fetch", name: "To fetch", to: "/fetch", due: true },
  { key: "ready", name: "On the hold shelf", to: "/holds", due: false },
  { key: "clear", name: "Shelf to clear", to: "/holds", due: true },
  { key: "coming", name: "On the way here", to: "/courier", due: false },
  { key: "overdue", name: "Overdue, to tell", to: "/notices", due: true },
  { key: "missing", name: "Missing", to: "/items", due: false },
];

/** What waits, branch by branch. */
export function TodayPlace() {
  const me = useMe().data!;
  const navigate = useNavigate();
  const queries = useQueryClient();
  const today = useQuery({
    queryKey: ["today", me.branch],
    queryFn: () => told(api.GET("/api/today")),
    refetchInterval: 30_000,
  });
  const rows = today.data ?? [];
  const late = rows.reduce((n, r) => n + r.fetch.late + r.coming.late + r.clear.all, 0);
  const go = async (row: Row, to: (typeof columns)[number]["to"]) => {
    if (row.branch !== me.branch) {
      await post("/api/branch", { Branch: row.branch });
      await queries.invalidateQueries();
    }
    void navigate({ to, search: {} });
  };
  return (
    <div className="grid gap-3.5">
      <Head
        title="Today"
        says={today.data && (late ? `${late} things are late across ${rows.length} branches.` : "Nothing is late.")}
      />
      <Trouble error={today.error} />
      <div className="grid grid-cols-[minmax(0,1fr)_340px] items-start gap-3.5">
        <Card className="p-4" label="What waits at each branch">
          {!today.data ? (
            <Loading lines={9} />
          ) : (
            <table className="w-full border-separate border-spacing-1">
              <thead>
                <tr>
                  <th className="sr-only">Branch</th>
                  {columns.map((c) => (
                    <th key={c.key} className="w-[74px] px-1 pb-1 align-bottom text-xs font-medium text-ink-2">
                      {c.name}
                    </th>
                  ))}
                </tr>
              </thead>
              <tbody>
                {rows.map((r) => (
                  <tr key={r.branch}>
                    <th scope="row" className="py-1 pr-2 pl-2 text-left">
                      <span className="block font-semibold">{r.name}</span>
                      <span className="block text-xs font-normal text-ink-2">{r.open}</span>
                    </th>
                    {columns.map((c) => (
                      <td key={c.key} className="p-0">
                        <Cell
                          count={r[c.key]}
                          due={c.due}
                          pressing={c.key !== "overdue"}
                          label={`${c.name} at ${r.name}`}
                          onClick={() => void go(r, c.to)}
                        />
                      </td>
                    ))}
                  </tr>
                ))}
              </tbody>
            </table>
          )}
          <p className="mt-3 flex gap-2 pl-2 text-sm text-ink-2">
            <Tag tone="buoy">late</Tag> past its promise or last day <Tag tone="amber">today</Tag> to be done before
            closing
          </p>
        </Card>
        <First rows={rows} go={go} />
      </div>
    </div>
  );
}

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
  if (!count.all) return <span className="grid h-11 place-items-center text-ink-3">·</span>;
  return (
    <button
      type="button"
      onClick={onClick}
      title={count.late ? `${count.late} of them late` : undefined}
      aria-label={`${label}: ${count.all}${count.late ? `, ${count.late} late` : ""}`}
      className={clsx(
        "grid h-11 w-full cursor-pointer place-items-center rounded font-mono text-[15px] font-bold tabular-nums hover:brightness-95",
        count.late && pressing ? "bg-buoy-100 text-buoy-700" : due ? "bg-amber-100 text-amber-700" : "bg-sunk text-ink",
      )}
    >
      {count.all}
    </button>
  );
}

/** The few things to do first, the most pressing at the top. */
function First({
  rows,
  go,
}: {
  rows: Row[];
  go: (row: Row, to: "/fetch" | "/holds" | "/courier" | "/notices") => void;
}) {
  const list = rows
    .flatMap((r) => [
      {
        r,
        n: r.fetch.all,
        late: r.fetch.late,
        to: "/fetch" as const,
        text: `Fetch ${r.fetch.all} at ${r.name}`,
        detail: r.fetch.late ? `${r.fetch.late} will miss their promise` : "so that they ride today",
      },
      {
        r,
        n: r.clear.all,
        late: r.clear.all,
        to: "/holds" as const,
        text: `Clear ${r.clear.all} from the hold shelf at ${r.name}`,
        detail: "their last day has passed",
      },
      {
        r,
        n: r.coming.late,
        late: r.coming.late,
        to: "/courier" as const,
        text: `Look for ${r.coming.late} that have not come to ${r.name}`,
        detail: "promised earlier; look at both ends",
      },
    ])
    .filter((x) => x.n > 0)
    .sort((a, b) => b.late - a.late || b.n - a.n)
    .slice(0, 7);
  return (
    <Card label="What to do first">
      <h2 className="border-b border-line px-4 py-2.5 font-semibold">What to do first</h2>
      <ul className="divide-y divide-line">
        {list.map((x) => (
          <li key={x.text}>
            <button
              type="button"
              onClick={() => go(x.r, x.to)}
              className="flex w-full cursor-pointer items-start gap-3 px-4 py-2.5 text-left hover:bg-sunk"
            >
              <span className="flex-1">
                <b className="block font-semibold">{x.text}</b>
                <span className="text-sm text-ink-2">{x.detail}</span>
              </span>
              <Tag tone={x.late ? "buoy" : "amber"}>{x.late ? `${x.late} late` : "today"}</Tag>
            </button>
          </li>
        ))}
        {list.length === 0 && (
          <li className="px-4 py-4 text-ink-2">Nothing presses. What comes up during the day stands here.</li>
        )}
      </ul>
    </Card>
  );
}
