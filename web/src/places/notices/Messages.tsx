import { useAskAgain } from "../../api/asked";
import { useMemo, useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Button, Card, Quiet, Trouble } from "../../ui/parts";
import { sayCount, sayDate } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { useWrite } from "../../shell/write";
import { sayMessage, StateTag } from "./StateTag";

type Mailing = Schema["NoticesMailing"];
type Message = Schema["NoticesMessage"];

/** The messages of a mailing. In a trial run some can be left out, or all of it removed, before it is sent. */
export function Messages({ mailing, maySend }: { mailing: Mailing; maySend: boolean }) {
  const [out, setOut] = useState<Set<number>>(new Set());
  const [shown, setShown] = useState<number>();
  const trial = mailing.state === "trial" && maySend;
  const list = usePages(["messages", mailing.id, mailing.state, mailing.sent], (after) =>
    told(
      api.GET("/api/mailings/{id}/messages", { params: { path: { id: mailing.id }, query: { after, most: 1000 } } }),
    ),
  );
  const columns = useMemo(
    () =>
      columnsFor(
        out,
        trial ? (id, goes) => setOut((o) => (goes ? without(o, id) : new Set([...o, id]))) : undefined,
        setShown,
      ),
    [out, trial],
  );
  const message = list.data?.find((m) => m.id === shown);
  return (
    <Card label="Messages">
      <div className="flex flex-wrap items-center gap-3 border-b border-line px-4 py-2.5">
        <b className="font-semibold">
          {mailing.stage}, {sayDate(mailing.day)}
        </b>
        {trial && <Acts mailing={mailing} out={out} ready={list.data !== undefined} />}
      </div>
      {message && (
        <div className="border-b border-line bg-sunk px-4 py-3">
          <p className="text-sm text-ink-2">
            To {message.address || "nobody: no email address"} <Quiet onClick={() => setShown(undefined)}>Close</Quiet>
          </p>
          <b className="font-semibold">{message.subject}</b>
          <p className="whitespace-pre-wrap">{message.body}</p>
        </div>
      )}
      <Loading of={list}>
        {(rows) => (
          <Table
            label="Messages"
            columns={columns}
            rows={rows}
            id={(m) => m.id}
            pages={list.pages}
            tools
            paper={`${mailing.stage}, ${sayDate(mailing.day)}`}
            className="max-h-[62vh]"
            empty="No messages."
          />
        )}
      </Loading>
    </Card>
  );
}

const without = (some: Set<number>, id: number) => new Set([...some].filter((x) => x !== id));

const columnsFor = (
  out: Set<number>,
  onGoes: ((id: number, goes: boolean) => void) | undefined,
  onShow: (id: number) => void,
): Column<Message>[] => [
  {
    id: "goes",
    head: "Send",
    cell: (m) => (
      <input
        type="checkbox"
        aria-label={`Send to ${m.patron}`}
        disabled={!onGoes || !m.address}
        checked={!!m.address && !out.has(m.id) && m.state !== "left_out"}
        onChange={(e) => onGoes?.(m.id, e.target.checked)}
      />
    ),
  },
  {
    id: "patron",
    head: "Patron",
    value: (m) => m.patron,
    cell: (m) => <Quiet onClick={() => onShow(m.id)}>{m.patron}</Quiet>,
  },
  { id: "items", head: "Items", value: (m) => m.items, right: true },
  { id: "address", head: "Address", value: (m) => m.address || "none", className: "text-sm break-all" },
  { id: "state", head: "Status", value: sayMessage, cell: (m) => <StateTag message={m} /> },
];

function Acts({ mailing, out, ready }: { mailing: Mailing; out: Set<number>; ready: boolean }) {
  const askAgain = useAskAgain();
  const done = () => askAgain("mailings");
  const path = { id: mailing.id };
  const send = useWrite(
    (leave_out: number[], key) =>
      api.POST("/api/mailings/{id}/send", { params: { path, header: keyed(key) }, body: { leave_out } }),
    { name: `send ${mailing.id}`, about: `Sending ${mailing.stage}`, done },
  );
  const strike = useWrite(
    (_: void, key) => api.POST("/api/mailings/{id}/drop", { params: { path, header: keyed(key) } }),
    { name: `strike ${mailing.id}`, about: `Discarding ${mailing.stage}`, done },
  );
  const going = mailing.patrons - mailing.no_address - out.size;
  return (
    <span className="ml-auto flex flex-wrap gap-2">
      <Button busy={send.busy} disabled={!ready || strike.busy} onClick={() => send.run([...out])}>
        Send {sayCount(going, "message")}
      </Button>
      <Button plain busy={strike.busy} disabled={send.busy} onClick={() => strike.run()}>
        Discard this run
      </Button>
      <Trouble error={send.problem ?? strike.problem} />
    </span>
  );
}
