import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Card, Quiet, Tag } from "../../ui/parts";
import { sayClock, sayDate } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { DayPicture } from "./DayPicture";
import { DateInput } from "../../ui/date";

type Run = Schema["CouriersRun"];

const shift = (date: string, days: number) =>
  new Date(Date.parse(`${date}T12:00:00Z`) + days * 86_400_000).toISOString().slice(0, 10);

/** A day of the courier: lines of places against time, thick where loaded, with its numbers in a table below. */
export function Day({ date }: { date?: string }) {
  const me = useMe();
  const navigate = useNavigate();
  const shown = date ?? me.now.slice(0, 10);
  const choose = (d: string) => void navigate({ to: "/courier", search: { tab: "day", date: d } });
  const day = useQuery({
    queryKey: ["courier day", shown],
    queryFn: () => told(api.GET("/api/courier/day", { params: { query: { date: shown } } })),
    refetchInterval: 60_000, // the van goes on
  });
  return (
    <Card label="Day plan" className="grid gap-3 p-3.5">
      <div className="flex flex-wrap items-center gap-3">
        <h2 className="font-semibold">{sayDate(shown)}</h2>
        <Quiet onClick={() => choose(shift(shown, -1))}>Previous day</Quiet>
        <Quiet onClick={() => choose(shift(shown, 1))}>Next day</Quiet>
        <DateInput label="Date" value={shown} onChange={(date) => date && choose(date)} className="w-40" />
      </div>
      <Loading of={day}>
        {(d) => (
          <>
            {d.runs.length > 0 ? <DayPicture day={d} /> : <p className="text-ink-2">No run on this day.</p>}
            {d.off.map((o) => (
              <p key={o.id}>
                <Tag tone="buoy">{o.name}</Tag> {o.says}
              </p>
            ))}
            {d.runs.length > 0 && (
              <Table label="Runs of the day" columns={columns} rows={d.runs} id={(r) => r.id} empty="No runs." />
            )}
          </>
        )}
      </Loading>
    </Card>
  );
}

const first = (r: Run) => r.calls[0]?.depart ?? r.calls[0]?.arrive ?? "";
const last = (r: Run) => r.calls.at(-1)?.arrive ?? r.calls.at(-1)?.depart ?? "";

const columns: Column<Run>[] = [
  {
    id: "run",
    head: "Run",
    value: (r) => r.name,
    cell: (r) => (
      <>
        <b className="font-semibold">{r.name}</b>{" "}
        {r.late_minutes > 0 && <Tag tone="buoy">{r.late_minutes} Minutes late</Tag>}
      </>
    ),
  },
  { id: "from", head: "Leaves", value: first, cell: (r) => sayClock(first(r)) },
  { id: "to", head: "Returns", value: last, cell: (r) => sayClock(last(r)) },
  {
    id: "aboard",
    head: "On board between stops",
    value: (r) => r.aboard.join(" "),
    cell: (r) => r.calls.map((c, k) => `${c.branch}${k < r.aboard.length ? ` ${r.aboard[k]} ` : ""}`).join("› "),
    className: "text-sm",
  },
  { id: "most", head: "Maximum", value: (r) => r.most, right: true },
  {
    id: "now",
    head: "On board now",
    value: (r) => r.now,
    cell: (r) => (r.now > 0 ? <b className="font-semibold">{r.now}</b> : "–"),
    right: true,
  },
];
