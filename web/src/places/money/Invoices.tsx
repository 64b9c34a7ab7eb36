import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import clsx from "clsx";
import { useState } from "react";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { Foot, Form, TextField } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Button, Card, Quiet, Tag, type Tone } from "../../ui/parts";
import { sayDate, sayMoney } from "../../ui/say";
import { Settle } from "../../circulation/settle";
import { Table, type Column } from "../../ui/table";
import { useWrite } from "../../shell/write";

type Invoice = Schema["AccountsInvoice"];

const stateOf = (v: Invoice): [Tone, string] =>
  v.withdrawn ? ["plain", "Withdrawn"] : v.paid ? ["spruce", "Paid"] : v.late ? ["buoy", "Late"] : ["amber", "Open"];

const columns: Column<Invoice>[] = [
  {
    id: "number",
    head: "Number",
    value: (v) => v.number,
    cell: (v) => (
      <Link to="/money" search={{ tab: "invoices", invoice: v.id }} className="link">
        {v.number}
      </Link>
    ),
  },
  { id: "name", head: "To", value: (v) => v.name, className: "min-w-40" },
  { id: "day", head: "Date", value: (v) => v.day, cell: (v) => sayDate(v.day) },
  { id: "due", head: "Due", value: (v) => v.due, cell: (v) => sayDate(v.due) },
  {
    id: "amount",
    head: "Amount",
    right: true,
    value: (v) => Number(v.amount),
    money: "units",
    cell: (v) => sayMoney(v.amount),
    className: "tabular-nums",
  },
  {
    id: "owed",
    head: "Still owed",
    right: true,
    value: (v) => Number(v.owed),
    money: "units",
    cell: (v) => sayMoney(v.owed),
    className: "tabular-nums",
  },
  {
    id: "state",
    head: "Status",
    value: (v) => stateOf(v)[1],
    cell: (v) => <Tag tone={stateOf(v)[0]}>{stateOf(v)[1]}</Tag>,
  },
];

/** Invoices to institutions, newest first; one of them with its charges. */
export function Invoices({ invoice }: { invoice?: number }) {
  const [all, setAll] = useState(false);
  const list = usePages(
    ["invoices", all],
    (after) => told(api.GET("/api/invoices", { params: { query: { after, all } } })),
    {
      keep: true,
    },
  );
  return (
    <div className={clsx("grid items-start gap-3.5", invoice && "xl:grid-cols-[minmax(0,1fr)_400px]")}>
      <Card label="Invoices">
        <label className="flex items-center gap-2 border-b border-line px-3.5 py-2 text-sm">
          <input type="checkbox" checked={all} onChange={(e) => setAll(e.target.checked)} /> Show paid and withdrawn
        </label>
        <Loading of={{ ...list, data: list.data }} lines={5}>
          {(rows) => (
            <Table
              label="Invoices"
              columns={columns}
              rows={rows}
              id={(v) => v.id}
              pages={list.pages}
              tools
              empty="No open invoices. Make one on the institution’s page under Patrons."
            />
          )}
        </Loading>
      </Card>
      {invoice !== undefined && <One key={invoice} id={invoice} />}
    </div>
  );
}

function One({ id }: { id: number }) {
  const invoice = useQuery({
    queryKey: ["invoice", id],
    queryFn: () => told(api.GET("/api/invoices/{id}", { params: { path: { id } } })),
  });
  return (
    <Card label="Invoice">
      <Loading of={invoice} lines={6}>
        {(v) => (
          <>
            <div className="grid gap-2 p-3.5">
              <h2 className="flex items-baseline gap-3 text-lg font-semibold">
                Invoice {v.number} <Tag tone={stateOf(v)[0]}>{stateOf(v)[1]}</Tag>
              </h2>
              <p className="text-sm whitespace-pre-line text-ink-2">{v.addressed.join("\n")}</p>
              {v.withdrawn && <p>“{v.withdrawn}”</p>}
              <ul className="grid gap-1 text-sm">
                {v.lines.map((l) => (
                  <li key={l.charge} className="flex justify-between gap-3">
                    {l.text} <span className="tabular-nums">{sayMoney(l.amount)}</span>
                  </li>
                ))}
                <li className="flex justify-between gap-3 border-t border-line pt-1 font-semibold">
                  Amount <span className="tabular-nums">{sayMoney(v.amount)}</span>
                </li>
              </ul>
              <a
                className="link justify-self-start"
                href={`/api/invoices/${v.id}/invoice.pdf`}
                target="_blank"
                rel="noreferrer"
              >
                Open as PDF
              </a>
              {v.owed === v.amount && !v.withdrawn && <Withdraw invoice={v} />}
            </div>
            {!v.withdrawn && !v.paid && <Pay invoice={v} />}
          </>
        )}
      </Loading>
    </Card>
  );
}

/** An invoice that has been paid, mostly by transfer. */
function Pay({ invoice: v }: { invoice: Invoice }) {
  const [open, setOpen] = useState(false);
  const card = useQuery({
    queryKey: ["patron", v.patron],
    queryFn: () => told(api.GET("/api/patrons/{id}", { params: { path: { id: v.patron } } })),
    enabled: open,
  });
  if (!open)
    return (
      <p className="px-3.5 pb-3.5">
        <Button onClick={() => setOpen(true)}>Mark as paid</Button>
      </p>
    );
  const ours = v.lines.map((l) => l.charge);
  return (
    <Loading of={card} lines={3}>
      {(c) => (
        <Settle
          of={[{ id: c.id, name: c.name, charges: c.charges.filter((x) => ours.includes(x.id)) }]}
          only
          onSettled={() => void card.refetch()}
        />
      )}
    </Loading>
  );
}

const because = z.object({ reason: check.needed("Enter a reason.") });

function Withdraw({ invoice: v }: { invoice: Invoice }) {
  const [open, setOpen] = useState(false);
  const withdraw = useWrite(
    (reason: string, key) =>
      api.POST("/api/invoices/{id}/withdraw", { params: { path: { id: v.id }, header: keyed(key) }, body: { reason } }),
    { name: `withdraw ${v.id}`, about: `Withdrawing invoice ${v.number}` },
  );
  if (!open)
    return (
      <Quiet className="justify-self-start" onClick={() => setOpen(true)}>
        Withdraw
      </Quiet>
    );
  return (
    <Form
      label="Withdraw invoice"
      schema={because}
      start={{ reason: "" }}
      write={withdraw}
      onSend={(x) => withdraw.run(x.reason)}
      className="flex flex-wrap items-end gap-2"
    >
      <TextField name="reason" label="Reason (its charges stay)" />
      <Foot write={withdraw} onLeave={() => setOpen(false)}>
        Withdraw
      </Foot>
    </Form>
  );
}
