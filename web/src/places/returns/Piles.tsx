import { Button, Card, Empty, Quiet } from "../../kit/parts";
import { sayMoney } from "../../kit/say";
import { drop, strike, useFinishing } from "../../kit/scans/scans";
import { open as waits } from "../../kit/scans/queue";
import { finish, type Run } from "./session";

/** The piles with their counts, and the end of the run. */
export function Piles({ run, session, branch }: { run: Run; session: string; branch: string }) {
  const { end, before } = useFinishing("returns", session);
  const open = [...run.open.map((o) => `${o.patron} ${sayMoney(o.new)}`), ...run.notes.map((l) => l.title)];
  const asked = end?.state === "ask" && open.length > 0;
  const waiting = end !== undefined && waits(end);
  return (
    <Card label="Piles">
      <ul className="divide-y divide-line">
        {run.piles.map((p) => (
          <li key={p.kind + p.place} className="flex items-center justify-between px-3.5 py-2.5">
            {p.name}
            <b className="text-xl tabular-nums">{p.count}</b>
          </li>
        ))}
        {run.piles.length === 0 && (
          <li>
            <Empty>The piles of {branch} and their counts stand here.</Empty>
          </li>
        )}
      </ul>
      <div className="grid justify-items-start gap-2 border-t border-line p-3.5">
        {asked && (
          <p className="text-sm" role="alert">
            Still open: {open.join(", ")}. Finishing leaves charges on the accounts and notes as they are.{" "}
            <Quiet onClick={() => drop((s) => s.id === end.id)}>Go on instead</Quiet>
          </p>
        )}
        <Button busy={waiting} disabled={run.piles.length === 0 && before === 0} onClick={() => finish(session, asked)}>
          {asked ? "Finish all the same" : "Finish the run"}
        </Button>
        {waiting && before > 0 && (
          <p role="status" className="text-sm text-ink-2">
            Finishes as soon as {before === 1 ? "one scan is" : `${before} scans are`} answered.{" "}
            <Quiet onClick={() => strike(end.id)}>Go on instead</Quiet>
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
