import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { Form, Send, TextField } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Card, Quiet } from "../../ui/parts";
import { sayDay, sayMoney } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { useWrite } from "../../shell/write";
import { Whom } from "../../circulation/whom";

type Dispute = Schema["AccountsDispute"];

const claimed: Record<Dispute["claimed"], string> = {
  returned: "Claims returned",
  never_had: "Claims never had it",
  "": "",
};

const columns: Column<Dispute>[] = [
  {
    id: "patron",
    head: "Patron",
    value: (d) => d.name,
    cell: (d) => <Whom id={d.patron} name={d.name} />,
  },
  {
    id: "what",
    head: "Charge",
    value: (d) => d.text,
    cell: (d) =>
      d.item ? (
        <Link to="/items" search={{ item: d.item }} className="link">
          {d.text}
        </Link>
      ) : (
        d.text
      ),
    className: "min-w-40",
  },
  {
    id: "owed",
    head: "Owed",
    right: true,
    value: (d) => Number(d.owed),
    money: "units",
    cell: (d) => sayMoney(d.owed),
    className: "tabular-nums",
  },
  { id: "says", head: "Claim", value: (d) => d.says || claimed[d.claimed], className: "min-w-48" },
  { id: "since", head: "Since", value: (d) => d.at, cell: (d) => `${sayDay(d.at)}${d.who && `, ${d.who}`}` },
  { id: "where", head: "Charged at", value: (d) => d.branch },
  { id: "acts", head: "Result", screenOnly: true, cell: (d) => <Answer dispute={d} /> },
];

/** Charges in dispute: they wait and stop nobody, and what they are for is searched for. */
export function Disputes() {
  const list = usePages(["disputes"], (after) => told(api.GET("/api/disputes", { params: { query: { after } } })));
  return (
    <Card label="Disputes">
      <p className="border-b border-line px-3.5 py-2 text-sm text-ink-2">
        Disputed charges wait here and never block borrowing. Items to look for are under{" "}
        <Link to="/items" search={{ tab: "sought" }} className="link">
          Items, Missing items
        </Link>
        .
      </p>
      <Loading of={{ ...list, data: list.data }} lines={5}>
        {(rows) => (
          <Table
            label="Disputes"
            columns={columns}
            rows={rows}
            id={(d) => `${d.charge} ${d.id}`}
            pages={list.pages}
            tools
            empty="No disputes. Record one from a charge on the patron’s account."
          />
        )}
      </Loading>
    </Card>
  );
}

const found = z.object({ reason: check.needed("Enter what was found.") });

/** Ends a dispute: the charge counts again, or is credited. */
function Answer({ dispute: d }: { dispute: Dispute }) {
  const [how, setHow] = useState<"stands" | "credit">();
  const path = { path: { id: d.charge } };
  const end = useWrite(
    (reason: string, key) =>
      api.POST("/api/charges/{id}/dispute/end", { params: { ...path, header: keyed(key) }, body: { reason } }),
    { name: `dispute ${d.charge}`, about: `The dispute with ${d.name}` },
  );
  const credit = useWrite(
    (reason: string, key) =>
      api.POST("/api/charges/{id}/credit", { params: { ...path, header: keyed(key) }, body: { reason } }),
    { name: `credit ${d.charge}`, about: `Reversing a charge of ${d.name}` },
  );
  const write = how === "credit" ? credit : end;
  if (how === undefined)
    return (
      <span className="flex flex-wrap gap-x-3">
        <Quiet onClick={() => setHow("credit")}>Reverse charge</Quiet>
        {d.claimed === "" && <Quiet onClick={() => setHow("stands")}>Keep charge</Quiet>}
      </span>
    );
  return (
    <Form
      label="Result"
      schema={found}
      start={{ reason: "" }}
      write={write}
      onSend={(v) => write.run(v.reason)}
      className="flex flex-wrap items-end gap-2"
    >
      <TextField name="reason" label={how === "credit" ? "Reason for the reversal" : "Result"} />
      <Send write={write}>{how === "credit" ? "Reverse charge" : "Keep charge"}</Send>
      <Quiet onClick={() => setHow(undefined)}>Cancel</Quiet>
    </Form>
  );
}
