import { useQuery } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Button, Card, Quiet, Tag, Trouble } from "../../ui/parts";
import { supervises } from "../../shell/places";
import { sayCount, sayInstant } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { useWrite } from "../../shell/write";

type Round = Schema["MovingRound"];
type Swap = Round["swaps"][number];

/** Branches with more to fetch than they can in a round; who supervises can look how others could share the work. */
export function FullLists() {
  const me = useMe();
  const [open, setOpen] = useState(false);
  const full = useQuery({
    queryKey: ["fetch", "full"],
    queryFn: () => told(api.GET("/api/fetch/full")),
  });
  const shown = full.data?.filter((f) => supervises(me.role) || f.code === me.branch) ?? [];
  if (shown.length === 0 && !open) return null;
  return (
    <Card label="Full fetch lists" className="grid gap-2.5 px-4 py-3 print:hidden">
      <p className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
        {shown.map((f) => (
          <span key={f.code}>
            <b className="font-semibold">{f.name}</b> <Tag tone="amber">{f.lines} to fetch</Tag>, can fetch {f.most} per
            round
          </span>
        ))}
        {supervises(me.role) && !open && <Quiet onClick={() => setOpen(true)}>Share the work</Quiet>}
      </p>
      {open && <Share close={() => setOpen(false)} />}
    </Card>
  );
}

const hours = (minutes: number) =>
  minutes < 72 * 60 ? `${(minutes / 60).toFixed(0)} h` : `${(minutes / 1440).toFixed(1)} days`;

const columns: Column<Swap>[] = [
  { id: "title", head: "Title", value: (s) => s.title, className: "font-semibold" },
  { id: "for", head: "For", value: (s) => s.for },
  { id: "from", head: "Branch", value: (s) => s.from },
  {
    id: "to",
    head: "New branch",
    value: (s) => (s.from_item === s.to_item ? "in the next round" : s.to),
    cell: (s) => (
      <>
        {s.from_item !== s.to_item && `at ${s.to} `}
        {s.put_off && <Tag tone="amber">in the next round</Tag>}
      </>
    ),
  },
  { id: "was", head: "Promised", value: (s) => s.was ?? "", cell: (s) => s.was && sayInstant(s.was) },
  { id: "is", head: "New date", value: (s) => s.is, cell: (s) => sayInstant(s.is) },
];

/** How the work of this round could be shared: previewed, applied and undone as one. */
function Share({ close }: { close: () => void }) {
  const askAgain = useAskAgain();
  const [did, setDid] = useState<{ of: Round; came: Schema["MovingReassigned"]; back: boolean }>();
  const look = useQuery({
    queryKey: ["sharing"],
    staleTime: Infinity,
    gcTime: 0,
    queryFn: () => told(api.GET("/api/fetch/sharing")),
  });
  const again = () => {
    askAgain("fetch", "holds", "queue");
  };
  const give = useWrite(
    ({ of, back }: { of: Round; back: boolean }, key) =>
      api.POST("/api/fetch/shared", {
        params: { header: keyed(key) },
        body: {
          lines: of.swaps.map((s) =>
            back
              ? { hold: s.hold, item: s.from_item, put_off: s.was_put_off }
              : { hold: s.hold, item: s.to_item, put_off: s.put_off },
          ),
        },
      }),
    {
      name: "share the work",
      about: () => "Sharing what is to be fetched",
      done: (came, { of, back }) => {
        setDid({ of, came, back });
        again();
      },
    },
  );
  if (did)
    return (
      <div role="status" className="grid gap-1.5 rounded bg-tide-100 px-3 py-2">
        <p>
          {did.back ? "Undone: " : ""}
          {sayCount(did.came.done, "item is", "items are")}{" "}
          {did.back ? "back as before." : "moved or promised for later."}{" "}
          {!did.back && did.came.done > 0 && (
            <Quiet disabled={give.busy} onClick={() => give.run({ of: did.of, back: true })}>
              Undo
            </Quiet>
          )}{" "}
          <Quiet onClick={close}>Close</Quiet>
        </p>
        {did.came.stayed.length > 0 && (
          <ul aria-label="Not moved">
            {did.came.stayed.map((s) => (
              <li key={s.title_id}>
                <b className="font-semibold">{s.title}</b> stays as it is. {s.says}
              </li>
            ))}
          </ul>
        )}
        <Trouble error={give.problem} />
      </div>
    );
  return (
    <Loading of={look}>
      {(r) => (
        <section aria-label="Work shared" className="grid gap-2.5">
          {r.swaps.length === 0 ? (
            <p role="status">
              No better distribution was found. <Quiet onClick={close}>Cancel</Quiet>
            </p>
          ) : (
            <>
              <p>
                {r.lines} items were checked. Total wait: <b className="font-semibold">{hours(r.after)}</b> instead of{" "}
                {hours(r.before)}
                {r.bound < r.after ? `; the best possible is ${hours(r.bound)}.` : ", the best possible."}{" "}
                {r.full
                  .map((f) => `${f.name} would have ${f.after} to fetch, ${f.later} of them in the next round.`)
                  .join(" ")}
                {r.more && " There are more items than can be moved at once. Check again after these."}
              </p>
              <div className="flex flex-wrap gap-2">
                <Button busy={give.busy} onClick={() => give.run({ of: r, back: false })}>
                  Apply
                </Button>
                <Button plain onClick={close}>
                  Cancel
                </Button>
              </div>
              <Trouble error={give.problem} />
              <Table
                label="Items that would move"
                columns={columns}
                rows={r.swaps}
                id={(s) => s.hold}
                tools
                className="max-h-[50vh]"
                empty=""
              />
            </>
          )}
        </section>
      )}
    </Loading>
  );
}
