import { useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, keyed, type Schema } from "../../api/client";
import { Card, Quiet, Trouble } from "../../kit/parts";
import { Table, type Column } from "../../kit/table";
import { useWrite } from "../../kit/write";
import { sayMessage, StateTag } from "./StateTag";

type Message = Schema["NoticesMessage"];

const columnsFor = (maySettle: boolean): Column<Message>[] => [
  {
    id: "patron",
    head: "Patron",
    value: (m) => `${m.patron} ${m.subject}`,
    cell: (m) => (
      <>
        <b className="font-semibold">{m.patron}</b>
        <br />
        <span className="text-sm text-ink-2">{m.subject}</span>
      </>
    ),
  },
  { id: "state", head: "State", value: sayMessage, cell: (m) => <StateTag message={m} /> },
  {
    id: "acts",
    head: "What became of it",
    unnamed: true,
    right: true,
    cell: (m) => m.state === "unclear" && maySettle && <Settle message={m} />,
  },
];

/** Messages that wait for the mail server, or whose fate is unclear. */
export function Stuck({ list, maySettle }: { list: Message[]; maySettle: boolean }) {
  const columns = useMemo(() => columnsFor(maySettle), [maySettle]);
  return (
    <Card label="Not gone out">
      <h2 className="border-b border-line px-4 py-2.5 font-semibold">Not gone out</h2>
      <Table
        label="Not gone out"
        columns={columns}
        rows={list}
        id={(m) => m.id}
        empty="Everything queued has gone. Messages that wait for the mail server, or whose fate is unclear, stand here. Choose a mailing to see its messages."
      />
    </Card>
  );
}

function Settle({ message }: { message: Message }) {
  const queries = useQueryClient();
  const settle = useWrite(
    (again: boolean, key) =>
      api.POST("/api/messages/{id}/settle", {
        params: { path: { id: message.id }, header: keyed(key) },
        body: { again },
      }),
    {
      name: `message ${message.id}`,
      about: `The message to ${message.patron}`,
      done: () => void queries.invalidateQueries({ queryKey: ["mailings"] }),
    },
  );
  return (
    <>
      <Quiet disabled={settle.busy} onClick={() => settle.run(true)}>
        Send again
      </Quiet>{" "}
      <Quiet disabled={settle.busy} onClick={() => settle.run(false)}>
        It has gone
      </Quiet>
      <Trouble error={settle.problem} />
    </>
  );
}
