import { api, keyed } from "../../api/client";
import { useMe } from "../../shell/me";
import { Button, Card, Empty, Quiet, Trouble } from "../../ui/parts";
import { PrintSlip } from "../../circulation/print";
import { useWrite } from "../../shell/write";
import { sayCount, sayMoney } from "../../ui/say";
import { drop, strike, useFinishing } from "../../shell/scans/scans";
import { open as waits } from "../../shell/scans/queue";
import { changed, finish, unseen, type Run } from "./session";

/** The piles with their counts, and the end of the run. */
export function Piles({ run, session, branch }: { run: Run; session: string; branch: string }) {
  const { end, before } = useFinishing("returns", session);
  const me = useMe();
  const open = [...run.open.map((o) => `${o.patron} ${sayMoney(o.new)}`), ...run.notes.map((l) => l.title)];
  const look = unseen(run);
  const asked = end?.state === "ask" && open.length + look.length > 0;
  const ticks = run.mode === "bin" && me.counter.last_look;
  const tick = useWrite(
    (p: Run["piles"][number], key) =>
      api.POST("/api/returns/{id}/piles", {
        params: { path: { id: run.id }, header: keyed(key) },
        body: { kind: p.kind, place: p.place, seen: !p.seen },
      }),
    { name: `tick ${run.id}`, about: "Checking off a pile", done: changed },
  );
  const waiting = end !== undefined && waits(end);
  return (
    <Card label="Piles">
      <ul className="divide-y divide-line">
        {run.piles.map((p) => (
          <li key={p.kind + p.place} className="flex items-center justify-between px-3.5 py-2.5">
            {ticks ? (
              <label className="flex items-center gap-2">
                <input type="checkbox" checked={p.seen} disabled={tick.busy} onChange={() => tick.run(p)} />
                {p.name}
              </label>
            ) : (
              p.name
            )}
            <b className={`text-xl tabular-nums ${p.seen ? "text-spruce-700" : ""}`}>{p.count}</b>
          </li>
        ))}
        {run.piles.length === 0 && (
          <li>
            <Empty>The piles of {branch} and their counts appear here.</Empty>
          </li>
        )}
      </ul>
      <div className="grid justify-items-start gap-2 border-t border-line p-3.5">
        <Trouble error={tick.problem} />
        {asked && (
          <p className="text-sm" role="alert">
            {open.length > 0 &&
              `Still open: ${open.join(", ")}. If you finish now, charges stay on the accounts and notes stay as they are. `}
            {look.length > 0 &&
              `Final check: ${look.map((p) => `${p.name} ${p.count}`).join(", ")}. Check off what is there. `}
            <Quiet onClick={() => drop((s) => s.id === end.id)}>Keep going</Quiet>
          </p>
        )}
        <Button busy={waiting} disabled={run.piles.length === 0 && before === 0} onClick={() => finish(session, asked)}>
          {asked ? "Finish anyway" : "Finish batch"}
        </Button>
        <PrintSlip of={{ kind: "back", id: run.id }}>Receipt for all returns</PrintSlip>
        {waiting && before > 0 && (
          <p role="status" className="text-sm text-ink-2">
            Finishes as soon as {sayCount(before, "scan is", "scans are")} answered.{" "}
            <Quiet onClick={() => strike(end.id)}>Keep going</Quiet>
          </p>
        )}
        {end?.state === "wrong" && (
          <p role="alert" className="text-sm text-buoy-700">
            {end.says}
          </p>
        )}
      </div>
    </Card>
  );
}
