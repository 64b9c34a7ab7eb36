import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Ask } from "../../shell/ask";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Button, Card, Empty, Quiet, Trouble } from "../../ui/parts";
import { isEmployed } from "../../shell/places";
import { sayMoney } from "../../ui/say";
import { PrintSlip } from "../../circulation/print";
import { ChargeForm, Settle } from "../../circulation/settle";
import { useWrite } from "../../shell/write";
import { changed, type Line, type Run } from "./session";

type Sum = Schema["ReturnsOpenSum"];

const problemOf = (e: unknown) => (e instanceof Error ? e.message : undefined);

/** What is open in a run: notes to be answered, charges to be settled. The oldest comes first. */
export function Asks({ run, fresh }: { run: Run; fresh: Line[] }) {
  const me = useMe();
  const [paying, setPaying] = useState<number[]>();
  const notes = [...run.notes].sort((a, b) => a.id - b.id);
  // A charge is as old as its newest line that this window knows; from before it opened, older than all.
  const since = (o: Sum) =>
    Math.max(0, ...fresh.filter((l) => l.patron_id === o.patron_id).map((l) => Date.parse(l.at)));
  return (
    <>
      {notes.map((l) => (
        <Note key={l.id} line={l} />
      ))}
      {run.open.map((o) => (
        <Charge key={o.patron_id} run={run} sum={o} since={since(o)} onPay={() => setPaying([o.patron_id])} />
      ))}
      {run.open.length > 1 && isEmployed(me.role) && (
        <p>
          <Button plain onClick={() => setPaying(run.open.map((o) => o.patron_id))}>
            One pays for all {run.open.length}
          </Button>
        </p>
      )}
      {paying !== undefined && (
        <Pay key={paying.join(" ")} run={run} patrons={paying} onClose={() => setPaying(undefined)} />
      )}
    </>
  );
}

type Answer = Schema["Note"]["answer"];

/** A note met at a return: it stays, it comes off, or the item goes elsewhere. */
function Note({ line }: { line: Line }) {
  const me = useMe();
  const answer = useWrite(
    (a: Answer, key) =>
      api.POST("/api/return-lines/{id}/note", {
        params: { path: { id: line.id }, header: keyed(key) },
        body: { answer: a },
      }),
    { name: `note ${line.id}`, about: `The answer about ${line.title}`, done: changed },
  );
  const choices: [string, Answer][] = [
    ["Keep note", "stays"],
    ["To repair", "repair"],
    ["Remove note", "off"],
    ["To replace", "rebuy"],
  ];
  if (isEmployed(me.role)) choices.push(["Withdraw", "withdrawn"]);
  return (
    <Ask
      id={`note ${line.id}`}
      since={Date.parse(line.at)}
      says={`${line.title} has a note: ${line.note}`}
      busy={answer.busy}
      problem={problemOf(answer.problem)}
      answers={choices.map(([label, a]) => ({ label, give: () => answer.run(a) }))}
    >
      <b className="font-semibold">{line.title}</b>: “{line.note}”
    </Ask>
  );
}

/** Charges of a patron that came up in the run. */
function Charge({ run, sum: o, since, onPay }: { run: Run; sum: Sum; since: number; onPay: () => void }) {
  const me = useMe();
  const account = useWrite(
    (patron: number, key) =>
      api.POST("/api/returns/{id}/account", { params: { path: { id: run.id }, header: keyed(key) }, body: { patron } }),
    { name: `account ${run.id} ${o.patron_id}`, about: `Adding charges to the account of ${o.patron}`, done: changed },
  );
  const onAccount = { label: "Leave on account", give: () => account.run(o.patron_id) };
  return (
    <Ask
      id={`charge ${run.id} ${o.patron_id}`}
      since={since}
      says={`${o.patron} has ${sayMoney(o.new)} in late fines now.`}
      busy={account.busy}
      problem={problemOf(account.problem)}
      answers={isEmployed(me.role) ? [{ label: "Pay or waive", give: onPay }, onAccount] : [onAccount]}
    >
      <b className="font-semibold">{o.patron}</b> has {sayMoney(o.new)} in late fines now
      {Number(o.earlier) > 0 && `, and ${sayMoney(o.earlier)} from earlier`}.
    </Ask>
  );
}

/** What is owed, of one patron or several, settled by one payer without leaving the run. */
function Pay({ run, patrons, onClose }: { run: Run; patrons: number[]; onClose: () => void }) {
  const [error, setError] = useState<unknown>();
  const [charging, setCharging] = useState<number>();
  const cards = useQuery({
    queryKey: ["patron", "several", ...patrons],
    queryFn: () => Promise.all(patrons.map((id) => told(api.GET("/api/patrons/{id}", { params: { path: { id } } })))),
  });
  const again = () => {
    setCharging(undefined);
    void cards.refetch();
    for (const patron of patrons) {
      const path = { id: run.id, patron };
      void told(api.GET("/api/returns/{id}/patrons/{patron}", { params: { path } })).then(changed, setError);
    }
  };
  return (
    <Card label="Settle">
      <Loading of={cards} lines={3}>
        {(list) => (
          <>
            <div className="flex flex-wrap items-baseline justify-between gap-x-4 px-3.5 pt-3">
              {list.map((c) => (
                <span key={c.id} className="flex items-baseline gap-3">
                  <b className="font-semibold">
                    {c.name} owes {sayMoney(c.owes)}
                  </b>
                  <Quiet onClick={() => setCharging(c.id)}>Add charge</Quiet>
                  <PrintSlip of={{ kind: "back", id: run.id, patron: c.id }}>Return receipt</PrintSlip>
                </span>
              ))}
              <Quiet onClick={onClose}>Close</Quiet>
            </div>
            {list
              .filter((c) => c.id === charging)
              .map((c) => (
                <div key={c.id} className="px-3.5 pt-2">
                  <ChargeForm patron={c.id} name={c.name} onCharged={again} onLeave={() => setCharging(undefined)} />
                </div>
              ))}
            <Settle of={list} onSettled={again} />
            {list.every((c) => c.charges.length === 0) && <Empty>Nothing is owed.</Empty>}
          </>
        )}
      </Loading>
      <Trouble error={error} />
    </Card>
  );
}
