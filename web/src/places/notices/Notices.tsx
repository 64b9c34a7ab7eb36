import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { useMe } from "../../kit/me";
import { usePages } from "../../kit/pages";
import { Button, Card, Empty, Head, Loading, Quiet, Tag, Trouble } from "../../kit/parts";

/** Notices: what each night worked out as a trial run, who and how many, then sent, each once. */
export function NoticesPlace() {
  const me = useMe().data!;
  const queries = useQueryClient();
  const [open, setOpen] = useState<number>();
  const [error, setError] = useState<unknown>();
  const all = useQuery({
    queryKey: ["mailings"],
    queryFn: () => told(api.GET("/api/mailings")),
    refetchInterval: 5000,
  });
  const mailing = all.data?.mailings!.find((m) => m.id === open);
  const trials = all.data?.mailings!.filter((m) => m.state === "trial") ?? [];
  const supervising = me.role === "supervisor" || me.role === "administrator";
  const settle = (id: number, again: boolean) =>
    told(api.POST("/api/messages/{id}/settle", { params: { path: { id }, header: newKey() }, body: { again } })).then(
      () => queries.invalidateQueries(),
      setError,
    );
  return (
    <div className="grid gap-3.5">
      <Head
        title="Notices"
        says={
          all.data &&
          (trials.length
            ? `${trials.length} trial runs wait to be looked at. Nothing of them has been sent.`
            : "No trial run waits. Each night works out who is to be told.")
        }
      />
      <Trouble error={error ?? all.error} />
      <div className="grid grid-cols-[430px_minmax(0,1fr)] items-start gap-3.5">
        <Card label="Mailings">
          {!all.data ? (
            <Loading />
          ) : all.data.mailings!.length === 0 ? (
            <Empty>
              No mailing yet. Nightly work makes them; in the demo, move the training clock on from the menu at the top
              right.
            </Empty>
          ) : (
            <ul className="max-h-[70vh] divide-y divide-line overflow-auto">
              {all.data.mailings!.map((m) => (
                <li key={m.id}>
                  <button
                    type="button"
                    aria-pressed={m.id === open}
                    onClick={() => setOpen(m.id)}
                    className={`flex w-full cursor-pointer items-start gap-3 px-4 py-2.5 text-left hover:bg-sunk ${m.id === open ? "bg-sunk" : ""}`}
                  >
                    <span className="flex-1">
                      <b className="block font-semibold">{m.stage}</b>
                      <span className="text-sm text-ink-2">
                        {m.day}: {m.patrons} patrons, {m.items} items
                        {m.no_address ? `, ${m.no_address} without mail` : ""}
                      </span>
                    </span>
                    <Tag tone={m.state === "trial" ? "amber" : m.state === "sent" ? "spruce" : "plain"}>
                      {m.state === "trial"
                        ? "Trial run"
                        : m.state === "dropped"
                          ? "Dropped"
                          : m.queued
                            ? `${m.queued} on their way`
                            : `${m.sent} sent`}
                    </Tag>
                  </button>
                </li>
              ))}
            </ul>
          )}
        </Card>
        {mailing ? (
          <Messages
            key={mailing.id}
            mailing={mailing}
            maySend={supervising}
            onDone={() => void queries.invalidateQueries()}
          />
        ) : (
          <Stuck list={all.data?.stuck ?? []} onSettle={supervising ? settle : undefined} />
        )}
      </div>
    </div>
  );
}

function Messages({
  mailing,
  maySend,
  onDone,
}: {
  mailing: Schema["NoticesMailing"];
  maySend: boolean;
  onDone: () => void;
}) {
  const [out, setOut] = useState<Set<number>>(new Set());
  const [shown, setShown] = useState<number>();
  const [error, setError] = useState<unknown>();
  const list = usePages(["messages", mailing.id, mailing.state, mailing.sent], (after) =>
    told(
      api.GET("/api/mailings/{id}/messages", {
        params: { path: { id: mailing.id }, query: { after, most: 1000 } },
      }),
    ),
  );
  const trial = mailing.state === "trial";
  const send = () =>
    told(
      api.POST("/api/mailings/{id}/send", {
        params: { path: { id: mailing.id }, header: newKey() },
        body: { leave_out: [...out] },
      }),
    ).then(onDone, setError);
  const drop = () =>
    told(api.POST("/api/mailings/{id}/drop", { params: { path: { id: mailing.id }, header: newKey() } })).then(
      onDone,
      setError,
    );
  const going = mailing.patrons - mailing.no_address - out.size;
  const message = list.rows?.find((m) => m.id === shown);
  return (
    <Card label="Messages">
      <div className="flex flex-wrap items-center gap-3 border-b border-line px-4 py-2.5">
        <b className="font-semibold">
          {mailing.stage}, {mailing.day}
        </b>
        {trial && maySend && (
          <span className="ml-auto flex gap-2">
            <Button onClick={() => void send()} disabled={!list.rows}>
              Send {going} messages
            </Button>
            <Button plain onClick={() => void drop()}>
              Drop this run
            </Button>
          </span>
        )}
      </div>
      <Trouble error={error ?? list.error} />
      {message && (
        <div className="border-b border-line bg-sunk px-4 py-3">
          <p className="text-sm text-ink-2">
            To {message.address || "nobody: there is no mail address"}{" "}
            <Quiet onClick={() => setShown(undefined)}>Close</Quiet>
          </p>
          <b className="font-semibold">{message.subject}</b>
          <p className="whitespace-pre-wrap">{message.body}</p>
        </div>
      )}
      {!list.rows ? (
        <Loading />
      ) : (
        <div className="max-h-[62vh] overflow-auto">
          <table className="list">
            <thead>
              <tr>
                <th>Goes</th>
                <th>Patron</th>
                <th>Items</th>
                <th>Address</th>
                <th>State</th>
              </tr>
            </thead>
            <tbody>
              {list.rows.map((m) => (
                <tr key={m.id}>
                  <td>
                    <input
                      type="checkbox"
                      aria-label={`Send to ${m.patron}`}
                      disabled={!trial || !m.address || !maySend}
                      checked={!!m.address && !out.has(m.id) && m.state !== "left_out"}
                      onChange={(e) =>
                        setOut((o) =>
                          e.target.checked ? new Set([...o].filter((x) => x !== m.id)) : new Set([...o, m.id]),
                        )
                      }
                    />
                  </td>
                  <td>
                    <Quiet onClick={() => setShown(m.id)}>{m.patron}</Quiet>
                  </td>
                  <td className="tabular-nums">{m.items}</td>
                  <td className="text-sm">{m.address || "none"}</td>
                  <td>
                    <StateTag message={m} />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {list.more}
        </div>
      )}
    </Card>
  );
}

const words: Record<string, [Parameters<typeof Tag>[0]["tone"], string]> = {
  trial: ["amber", "Trial run"],
  left_out: ["plain", "Left out"],
  queued: ["tide", "On its way"],
  sending: ["tide", "Being sent"],
  sent: ["spruce", "Sent"],
  unclear: ["buoy", "Unclear"],
  no_address: ["plain", "No address"],
};

function StateTag({ message: m }: { message: Schema["NoticesMessage"] }) {
  const [tone, word] = words[m.state] ?? ["plain", m.state];
  return (
    <>
      <Tag tone={m.problem ? "buoy" : tone}>{word}</Tag>
      {m.problem && <span className="block text-sm text-buoy-700">{m.problem}</span>}
    </>
  );
}

function Stuck({
  list,
  onSettle,
}: {
  list: Schema["NoticesMessage"][];
  onSettle?: (id: number, again: boolean) => void;
}) {
  return (
    <Card label="Not gone out">
      <h2 className="border-b border-line px-4 py-2.5 font-semibold">Not gone out</h2>
      {list.length === 0 ? (
        <Empty>
          Everything queued has gone. Messages that wait for the mail server, or whose fate is unclear, stand here.
          Choose a mailing on the left to see its messages.
        </Empty>
      ) : (
        <table className="list">
          <tbody>
            {list.map((m) => (
              <tr key={m.id}>
                <td>
                  <b className="font-semibold">{m.patron}</b>
                  <br />
                  <span className="text-sm text-ink-2">{m.subject}</span>
                </td>
                <td>
                  <StateTag message={m} />
                </td>
                <td className="text-right">
                  {m.state === "unclear" && onSettle && (
                    <>
                      <Quiet onClick={() => onSettle(m.id, true)}>Send again</Quiet>{" "}
                      <Quiet onClick={() => onSettle(m.id, false)}>It has gone</Quiet>
                    </>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </Card>
  );
}
