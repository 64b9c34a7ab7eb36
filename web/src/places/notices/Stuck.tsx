import { useAskAgain } from "../../api/asked";
import { useMemo } from "react";
import { api, keyed, type Schema } from "../../api/client";
import { Card, Quiet, Trouble } from "../../ui/parts";
import { Table, type Column } from "../../ui/table";
import { useWrite } from "../../shell/write";
import { sayState, StateTag } from "./StateTag";

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
  {
    id: "state",
    head: "Status",
    value: (m) => sayState(m.state),
    cell: (m) => <StateTag state={m.state} problem={m.problem} />,
  },
  {
    id: "acts",
    head: "Actions",
    unnamed: true,
    right: true,
    cell: (m) => (m.state === "refused" || (m.state === "unclear" && maySettle)) && <Settle message={m} />,
  },
];

/** Messages that wait for the mail server, that it has refused, or whose fate is unclear. */
export function Stuck({ list, maySettle }: { list: Message[]; maySettle: boolean }) {
  const columns = useMemo(() => columnsFor(maySettle), [maySettle]);
  return (
    <Card label="Not sent">
      <h2 className="border-b border-line px-4 py-2.5 font-semibold">Not sent</h2>
      <Table
        label="Not sent"
        columns={columns}
        rows={list}
        id={(m) => m.id}
        empty="Nothing waiting. Messages that wait, were refused or are unclear appear here."
      />
    </Card>
  );
}

function Settle({ message }: { message: Message }) {
  const askAgain = useAskAgain();
  const settle = useWrite(
    (again: boolean, key) =>
      api.POST("/api/messages/{id}/settle", {
        params: { path: { id: message.id }, header: keyed(key) },
        body: { again },
      }),
    {
      name: `message ${message.id}`,
      about: `The message to ${message.patron}`,
      done: () => askAgain("mailings"),
    },
  );
  return (
    <>
      <Quiet disabled={settle.busy} onClick={() => settle.run(true)}>
        Send again
      </Quiet>{" "}
      <Quiet disabled={settle.busy} onClick={() => settle.run(false)}>
        {message.state === "refused" ? "Mark as done" : "Mark as sent"}
      </Quiet>
      <Trouble error={settle.problem} />
    </>
  );
}
