import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../kit/checks";
import { Form, Send, TextField } from "../../kit/forms";
import { Loading } from "../../kit/loading";
import { usePages } from "../../kit/pages";
import { Card, Quiet } from "../../kit/parts";
import { sayDay, sayMoney } from "../../kit/say";
import { Table, type Column } from "../../kit/table";
import { useWrite } from "../../kit/write";
import { Whom } from "../../kit/whom";

type Dispute = Schema["AccountsDispute"];

const claimed: Record<Dispute["claimed"], string> = {
  returned: "Says it was brought back",
  never_had: "Says they never had it",
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
  { id: "says", head: "What they say", value: (d) => d.says || claimed[d.claimed], className: "min-w-48" },
  { id: "since", head: "Since", value: (d) => d.at, cell: (d) => `${sayDay(d.at)}${d.who && `, ${d.who}`}` },
  { id: "where", head: "Charged at", value: (d) => d.branch },
  { id: "acts", head: "What was found", screenOnly: true, cell: (d) => <Answer dispute={d} /> },
];

/** Charges in dispute: they wait and stop nobody, and what they are for is looked for. */
export function Disputes() {
  const list = usePages(["disputes"], (after) => told(api.GET("/api/disputes", { params: { query: { after } } })));
  return (
    <Card label="In dispute">
      <p className="border-b border-line px-3.5 py-2 text-sm text-ink-2">
        What somebody does not accept waits here and stops them from nothing. What is looked for on the shelves stands
        under{" "}
        <Link to="/items" search={{ tab: "sought" }} className="link">
          Items, Sought
        </Link>
        .
      </p>
      <Loading of={{ ...list, data: list.data }} lines={5}>
        {(rows) => (
          <Table
            label="In dispute"
            columns={columns}
            rows={rows}
            id={(d) => `${d.charge} ${d.id}`}
            pages={list.pages}
            tools
            empty="Charges that patrons do not accept stand here, with what they say of them. They are put here from the patron's account."
          />
        )}
      </Loading>
    </Card>
  );
}

const found = z.object({ reason: check.needed("Write down what was found.") });

/** Ends a dispute: the charge counts again, or is taken back. */
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
    { name: `credit ${d.charge}`, about: `Taking back a charge of ${d.name}` },
  );
  const write = how === "credit" ? credit : end;
  if (how === undefined)
    return (
      <span className="flex flex-wrap gap-x-3">
        <Quiet onClick={() => setHow("credit")}>Take it back</Quiet>
        {d.claimed === "" && <Quiet onClick={() => setHow("stands")}>It stands</Quiet>}
      </span>
    );
  return (
    <Form
      label="What was found"
      schema={found}
      start={{ reason: "" }}
      write={write}
      onSend={(v) => write.run(v.reason)}
      className="flex flex-wrap items-end gap-2"
    >
      <TextField name="reason" label={how === "credit" ? "Why it is taken back" : "What was found"} />
      <Send write={write}>{how === "credit" ? "Take it back" : "It stands"}</Send>
      <Quiet onClick={() => setHow(undefined)}>Leave it</Quiet>
    </Form>
  );
}
