import { useQuery } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { Link } from "@tanstack/react-router";
import clsx from "clsx";
import { useEffect, useState } from "react";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { Foot, Form, TextField } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Button, Card, Code, Quiet, Tag, Trouble } from "../../ui/parts";
import { PrintSlip } from "../../circulation/print";
import { sayInstant, sayMoney } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { tillHere } from "../../circulation/till";
import { useAsksTill, WhichTill } from "../../circulation/tills";
import { useWrite } from "../../shell/write";
import { means } from "./means";
import { useAssign } from "./assign";

type Receipt = Schema["AccountsReceipt"];

export const columns: Column<Receipt>[] = [
  {
    id: "at",
    head: "When",
    value: (r) => r.at,
    cell: (r) => (
      <Link to="/money" search={{ tab: "receipts", receipt: r.id }} className="link">
        {sayInstant(r.at)}
      </Link>
    ),
  },
  { id: "who", head: "For", value: (r) => r.names.join(", "), className: "min-w-40" },
  { id: "means", head: "Method", value: (r) => means[r.means] },
  {
    id: "amount",
    head: "Amount",
    right: true,
    value: (r) => Number(r.amount),
    money: "units",
    cell: (r) => <span className={r.out ? "text-buoy-700" : ""}>{sayMoney(r.amount)}</span>,
    className: "tabular-nums",
  },
  { id: "till", head: "Till", value: (r) => r.till },
  { id: "staff", head: "Staff", value: (r) => r.who },
  { id: "state", head: "Status", value: (r) => stateOf(r), cell: (r) => <State receipt={r} /> },
];

const stateOf = (r: Receipt) => (r.reverses ? "Reverses another" : r.out ? "Refund" : r.reversed_by ? "Reversed" : "");

function State({ receipt: r }: { receipt: Receipt }) {
  const says = stateOf(r);
  return says ? <Tag tone={r.reversed_by || r.reverses ? "amber" : "plain"}>{says}</Tag> : null;
}

/** Money that went over the counter here, newest first; one of it with what it settled. */
export function Receipts({ receipt, patron }: { receipt?: number; patron?: number }) {
  const me = useMe();
  const list = usePages(["receipts", me.branch, patron], (after) =>
    told(api.GET("/api/receipts", { params: { query: { after, patron } } })),
  );
  return (
    <div className={clsx("grid items-start gap-3.5", receipt && "xl:grid-cols-[minmax(0,1fr)_340px]")}>
      <Card label="Receipts">
        <Loading of={{ ...list, data: list.data }} lines={8}>
          {(rows) => (
            <Table
              label="Receipts"
              columns={columns}
              rows={rows}
              id={(r) => r.id}
              pages={list.pages}
              tools
              className="max-h-[70vh]"
              empty="No payments yet. Payments at this branch appear here."
            />
          )}
        </Loading>
      </Card>
      {receipt !== undefined && <One key={receipt} id={receipt} />}
    </div>
  );
}

function One({ id }: { id: number }) {
  const receipt = useQuery({
    queryKey: ["receipt", id],
    queryFn: () => told(api.GET("/api/receipts/{id}", { params: { path: { id } } })),
  });
  return (
    <Card label="Receipt" className="p-3.5">
      <Loading of={receipt} lines={6}>
        {(r) => (
          <div className="grid gap-2.5">
            <div>
              <h2 className="text-lg font-semibold">
                {r.out ? "Paid out" : "Received"} {sayMoney(r.amount)} by {means[r.means].toLowerCase()}
              </h2>
              <p className="text-sm text-ink-2">
                No. <Code>{String(r.id)}</Code>, {sayInstant(r.at)}, {r.who}
                {r.till && `, till ${r.till}`}
              </p>
            </div>
            <ul className="grid gap-1 text-sm">
              {r.parts.map((p, k) => (
                <li key={k} className="flex justify-between gap-3">
                  <span>
                    <Link to="/patrons" search={{ patron: p.patron }} className="link">
                      {p.name}
                    </Link>
                    , {p.text}
                  </span>
                  <span className="tabular-nums">{sayMoney(p.sum)}</span>
                </li>
              ))}
              {r.rounding && (
                <li className="flex justify-between text-ink-2">
                  Rounded to coins <span className="tabular-nums">{sayMoney(r.rounding)}</span>
                </li>
              )}
              {r.laid && (
                <li className="text-ink-2">
                  Cash received {sayMoney(r.laid)}, change {sayMoney(r.change)}
                </li>
              )}
              {r.reference && <li className="text-ink-2">{r.reference}</li>}
              {r.reason && <li>“{r.reason}”</li>}
            </ul>
            <PrintSlip of={{ kind: "receipt", id: r.id }}>Print receipt</PrintSlip>
            {r.assigned_to && <TakeOut receipt={r} till={r.assigned_to} />}
            {r.reversed_by ? (
              <p>
                <Tag tone="amber">Reversed</Tag>{" "}
                <Link to="/money" search={{ tab: "receipts", receipt: r.reversed_by }} className="link">
                  by receipt {r.reversed_by}
                </Link>
              </p>
            ) : r.stays ? (
              <p className="text-sm text-ink-2">{r.stays}</p>
            ) : (
              <Reverse receipt={r} />
            )}
          </div>
        )}
      </Loading>
    </Card>
  );
}

/** Taking a receipt out of a till that it does not belong to, while that is open. */
function TakeOut({ receipt: r, till }: { receipt: Receipt; till: number }) {
  const assign = useAssign(() => {});
  return (
    <div>
      <Quiet onClick={() => assign.run({ till, body: { receipts: [r.id], out: true } })}>
        Remove from till {r.till}
      </Quiet>
      <Trouble error={assign.problem} />
    </div>
  );
}

const because = z.object({ reason: check.needed("Enter a reason.") });

/** Taking a payment back that was taken by mistake, so that it can be taken again. */
function Reverse({ receipt: r }: { receipt: Receipt }) {
  const [open, setOpen] = useState(false);
  const asks = useAsksTill() && r.means !== "transfer"; // which goes through no till
  const askAgain = useAskAgain();
  const again = () => {
    askAgain("receipt", "receipts", "account");
  };
  const reverse = useWrite(
    (reason: string, key) =>
      api.POST("/api/receipts/{id}/reverse", {
        params: { path: { id: r.id }, header: keyed(key) },
        body: { reason, till: tillHere() },
      }),
    { name: `reverse ${r.id}`, about: `Reversing ${sayMoney(r.amount)}`, done: again },
  );
  // Refused, it may have been reversed elsewhere meanwhile; it is shown as it is now.
  useEffect(() => {
    if (reverse.problem) askAgain("receipt");
  }, [askAgain, reverse.problem]);
  if (!open)
    return (
      <Button plain className="justify-self-start" onClick={() => setOpen(true)}>
        Made by mistake
      </Button>
    );
  if (asks)
    return (
      <div className="grid justify-items-start gap-2">
        <WhichTill />
        <Quiet onClick={() => setOpen(false)}>Cancel</Quiet>
      </div>
    );
  return (
    <Form
      label="Reverse payment"
      schema={because}
      start={{ reason: "" }}
      write={reverse}
      onSend={(v) => reverse.run(v.reason)}
      className="grid gap-2"
    >
      <p className="text-sm text-ink-2">
        The charges are owed again, and {sayMoney(r.amount)} is paid out the way it came in.
      </p>
      <TextField name="reason" label="Reason" width="w-full" />
      <Foot write={reverse} onLeave={() => setOpen(false)}>
        Reverse payment
      </Foot>
    </Form>
  );
}
