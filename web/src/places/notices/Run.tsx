import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { useAskAgain } from "../../api/asked";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import { BranchChoice } from "../../circulation/branches";
import { TitleField } from "../../circulation/choose";
import { onPaper } from "../../circulation/print";
import { Whom } from "../../circulation/whom";
import { Why } from "../../shell/why";
import { useWrite } from "../../shell/write";
import * as check from "../../ui/checks";
import { Foot, Form, MomentField, TextField } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { More } from "../../ui/menu";
import { usePages } from "../../ui/pages";
import { Button, Card, Field, inputLook, Quiet, Tag, Trouble } from "../../ui/parts";
import { sayCount, sayDate, sayInstant, toWall } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { Letter } from "./Letter";
import { isOdd, useSend, type Run } from "./sending";
import { sayState, StateTag } from "./StateTag";

type Person = Schema["NoticesInRun"];

const channels = [
  ["", "all"],
  ["mail", "email"],
  ["text", "text message"],
  ["letter", "letter"],
  ["phone", "phone"],
  ["none", "no address"],
] as const;
type Channel = (typeof channels)[number][0];

/** One run: whom it tells by which way, and what. In a trial run some can be left out before it is sent. */
export function OneRun({ run, maySend }: { run: Run; maySend: boolean }) {
  const [channel, setChannel] = useState<Channel>("");
  const [branch, setBranch] = useState("");
  const [words, setWords] = useState("");
  const [shown, setShown] = useState<Person>();
  const [asking, setAsking] = useState<"" | "title" | "later">("");
  const list = usePages(["messages", run.id, run.state, run.people, run.left_out, channel, branch, words], (after) =>
    told(
      api.GET("/api/mailings/{id}/people", {
        params: {
          path: { id: run.id },
          query: { after, most: 200, ...(channel && { channel }), ...(branch && { branch }), ...(words && { words }) },
        },
      }),
    ),
  );
  const trial = run.state === "trial" && maySend;
  const columns = useMemo(() => columnsFor(run, trial, setShown), [run, trial]);
  return (
    <Card label="Run">
      <div className="grid gap-2 border-b border-line px-4 py-2.5">
        <div className="flex flex-wrap items-center gap-x-3 gap-y-2">
          <b className="font-semibold">
            {run.name}, {sayDate(run.day)}
          </b>
          {maySend && <Acts run={run} onAsk={setAsking} />}
        </div>
        <p className="text-sm text-ink-2">
          {sayCount(run.people, "patron")}
          {run.things > 0 && `, ${sayCount(run.things, "notice")}`}
          {run.ways.map((w) => `; ${w.people} ${sayWay(w.channel)}`)}
          {run.left_out > 0 && `; ${run.left_out} left out`}
          {run.overtaken > 0 && `; ${run.overtaken} no longer needed`}
          {run.refused > 0 && `; ${run.refused} refused`}
          {run.unclear > 0 && `; ${run.unclear} unclear`}
        </p>
        <p className={isOdd(run) ? "text-sm text-buoy-700" : "text-sm text-ink-2"}>
          {run.why.result}
          {run.last !== undefined && `; the run before had ${run.last}`}. <Why trace={run.why}>Why</Why>
        </p>
        <div className="flex flex-wrap items-end gap-3 print:hidden">
          <Field label="By">
            <select className={inputLook} value={channel} onChange={(e) => setChannel(e.target.value as Channel)}>
              {channels.map(([code, text]) => (
                <option key={code} value={code}>
                  {text}
                </option>
              ))}
            </select>
          </Field>
          <BranchChoice label="Lent or waiting at" all="all branches" value={branch} onChange={setBranch} />
          <Field label="Name">
            <input className={inputLook} value={words} onChange={(e) => setWords(e.target.value)} />
          </Field>
        </div>
        {trial && asking === "title" && <LeaveTitle run={run} onClose={() => setAsking("")} />}
        {trial && asking === "later" && <SendLater run={run} onClose={() => setAsking("")} />}
      </div>
      {shown && <Text run={run} of={shown} onClose={() => setShown(undefined)} />}
      <Loading of={list}>
        {(rows) => (
          <Table
            label="Messages"
            columns={columns}
            rows={rows}
            id={(p) => `${p.recipient} ${p.channel} ${p.state}`}
            pages={list.pages}
            tools
            paper={`${run.name}, ${sayDate(run.day)}`}
            className="max-h-[52vh]"
            empty="Nobody here. Choose another way or branch."
          />
        )}
      </Loading>
    </Card>
  );
}

const ways: Record<string, string> = {
  mail: "by email",
  text: "by text message",
  phone: "by phone",
  letter: "by letter",
  "": "with no address",
};
const sayWay = (channel: string) => ways[channel] ?? channel;

const columnsFor = (run: Run, trial: boolean, onShow: (p: Person) => void): Column<Person>[] => [
  {
    id: "name",
    head: "Patron",
    value: (p) => p.name,
    cell: (p) => (
      <>
        <Quiet onClick={() => onShow(p)}>{p.name}</Quiet>
        {p.about && <span className="block text-sm text-ink-2">for {p.about}</span>}
      </>
    ),
  },
  { id: "titles", head: "Titles", value: (p) => p.titles, className: "text-sm max-w-56" },
  { id: "things", head: "Notices", value: (p) => p.things, right: true },
  {
    id: "address",
    head: "To",
    value: (p) => p.address || "no address",
    className: "text-sm wrap-anywhere min-w-36",
  },
  {
    id: "state",
    head: "Status",
    value: (p) => sayState(p.state),
    cell: (p) => (
      <>
        <StateTag state={p.state} />
        {p.reason && <span className="block text-sm text-ink-2">{p.reason}</span>}
      </>
    ),
  },
  {
    id: "acts",
    head: "Actions",
    unnamed: true,
    screenOnly: true,
    right: true,
    cell: (p) => trial && (p.state === "trial" || p.state === "left_out") && <LeaveOut run={run} of={p} />,
  },
];

/** Leaves somebody out of a trial run, with a reason, or takes them in again. */
function LeaveOut({ run, of }: { run: Run; of: Person }) {
  const [asking, setAsking] = useState(false);
  const askAgain = useAskAgain();
  const leave = useWrite(
    ({ out, reason }: { out: boolean; reason: string }, key) =>
      api.POST("/api/mailings/{id}/leave-out", {
        params: { path: { id: run.id }, header: keyed(key) },
        body: { recipient: of.recipient, channel: of.channel, out, reason },
      }),
    {
      name: `leave out ${run.id} ${of.recipient} ${of.channel}`,
      about: `Leaving out ${of.name}`,
      done: () => {
        setAsking(false);
        askAgain("mailings", "messages");
      },
    },
  );
  if (of.state === "left_out")
    return (
      <>
        <Quiet disabled={leave.busy} onClick={() => leave.run({ out: false, reason: "" })}>
          Include again
        </Quiet>
        <Trouble error={leave.problem} />
      </>
    );
  if (!asking) return <Quiet onClick={() => setAsking(true)}>Leave out</Quiet>;
  return (
    <Form
      label={`Leave out ${of.name}`}
      schema={leaving}
      start={{ reason: "" }}
      write={leave}
      onSend={({ reason }) => leave.run({ out: true, reason })}
      className="flex flex-wrap items-end justify-end gap-2"
    >
      <TextField name="reason" label="Reason" width="w-40" maxLength={200} focused />
      <Foot write={leave} onLeave={() => setAsking(false)}>
        Leave out
      </Foot>
    </Form>
  );
}

const leaving = z.object({ reason: check.text });

const title = z.object({
  title: z.object({ id: z.number(), name: z.string(), text: z.string() }, "Choose a title."),
  reason: check.text,
});

/** Leaves out of a trial run all that it tells of a title, with a reason. */
const later = z.object({ at: z.string().regex(/^(\d{4}-\d{2}-\d{2}T\d{2}:\d{2})?$/, "Enter a date and a time.") });

/** Sets when a trial run is sent by itself. */
function SendLater({ run, onClose }: { run: Run; onClose: () => void }) {
  const askAgain = useAskAgain();
  const set = useWrite(
    (body: z.infer<typeof later>, key) =>
      api.POST("/api/mailings/{id}/later", { params: { path: { id: run.id }, header: keyed(key) }, body }),
    {
      name: `later ${run.id}`,
      about: "The time of sending",
      done: () => {
        askAgain("mailings");
        onClose();
      },
    },
  );
  return (
    <Form
      label="Send at a time"
      schema={later}
      start={{ at: run.send_at ? toWall(run.send_at).slice(0, 16) : "" }}
      write={set}
      onSend={set.run}
      className="flex flex-wrap items-start gap-3 rounded-card bg-sunk p-3"
    >
      <MomentField name="at" label="Send at" hint="Leave empty to send it by hand." />
      <Foot write={set} onLeave={onClose} className="self-end">
        Save
      </Foot>
    </Form>
  );
}

function LeaveTitle({ run, onClose }: { run: Run; onClose: () => void }) {
  const askAgain = useAskAgain();
  const leave = useWrite(
    (v: z.infer<typeof title>, key) =>
      api.POST("/api/mailings/{id}/leave-title", {
        params: { path: { id: run.id }, header: keyed(key) },
        body: { title: v.title.id, reason: v.reason },
      }),
    {
      name: `leave title ${run.id}`,
      about: "Leaving a title out",
      done: () => {
        askAgain("mailings", "messages");
        onClose();
      },
    },
  );
  return (
    <Form
      label="Leave out a title"
      schema={title}
      start={{ reason: "" }}
      write={leave}
      onSend={leave.run}
      className="flex flex-wrap items-start gap-3 rounded-card bg-sunk p-3"
    >
      <TitleField name="title" label="Title" />
      <TextField name="reason" label="Reason" width="w-48" maxLength={200} />
      <Foot write={leave} onLeave={onClose} className="self-end">
        Leave out
      </Foot>
    </Form>
  );
}

/** What somebody is told, as it was sent or as it would be now. */
function Text({ run, of, onClose }: { run: Run; of: Person; onClose: () => void }) {
  const text = useQuery({
    queryKey: ["messages", "text", run.id, run.state, of.recipient, of.channel],
    queryFn: () =>
      told(
        api.GET("/api/mailings/{id}/text", {
          params: { path: { id: run.id }, query: { recipient: of.recipient, channel: of.channel } },
        }),
      ),
  });
  useEffect(() => {
    document.getElementById("message-text")?.scrollIntoView({ block: "nearest" });
  }, [text.data]);
  return (
    <div id="message-text" className="border-b border-line bg-sunk px-4 py-3">
      <p className="flex flex-wrap items-baseline gap-x-3 text-sm text-ink-2">
        <Whom id={of.recipient} name={of.name} bold /> {of.address || "no address"}
        <Quiet onClick={onClose}>Close</Quiet>
      </p>
      <Loading of={text}>
        {(m) => (
          <>
            <b className="font-semibold">{m.subject}</b>
            <p className="mb-2 max-h-72 overflow-auto whitespace-pre-wrap">{m.body}</p>
            <Quiet onClick={() => onPaper(<Letter message={m} />)}>Print as a letter</Quiet>
          </>
        )}
      </Loading>
    </div>
  );
}

function Acts({ run, onAsk }: { run: Run; onAsk: (what: "title" | "later") => void }) {
  const askAgain = useAskAgain();
  const done = () => askAgain("mailings", "messages");
  const send = useSend(String(run.id), `Sending ${run.name}`);
  const path = { id: run.id };
  const drop = useWrite(
    (_: void, key) => api.POST("/api/mailings/{id}/drop", { params: { path, header: keyed(key) } }),
    { name: `drop ${run.id}`, about: `Discarding ${run.name}`, done },
  );
  const stop = useWrite(
    (_: void, key) => api.POST("/api/mailings/{id}/stop", { params: { path, header: keyed(key) } }),
    { name: `stop ${run.id}`, about: `Stopping ${run.name}`, done },
  );
  const goOn = useWrite(
    (_: void, key) => api.POST("/api/mailings/{id}/go-on", { params: { path, header: keyed(key) } }),
    { name: `go on ${run.id}`, about: `Sending ${run.name} on`, done },
  );
  return (
    <span className="ml-auto flex flex-wrap items-center gap-2">
      {run.state === "trial" && (
        <>
          {run.send_at && <Tag tone="tide">Will be sent {sayInstant(run.send_at)}</Tag>}
          <Button busy={send.busy} disabled={drop.busy || run.people === 0} onClick={() => send.run([run.id])}>
            Send {sayCount(run.people, "message")}
          </Button>
          <More
            of={run.name}
            acts={[
              { name: run.send_at ? "Change the time" : "Send at a time", run: () => onAsk("later") },
              { name: "Leave out a title", run: () => onAsk("title") },
              { name: "Discard this run", run: () => drop.run() },
            ]}
          />
        </>
      )}
      {(run.state === "sending" || (run.state === "sent" && run.waiting > 0)) && (
        <Button plain busy={stop.busy} onClick={() => stop.run()}>
          Stop
        </Button>
      )}
      {run.state === "stopped" && (
        <>
          <Tag tone="buoy">Stopped</Tag>
          <Button busy={goOn.busy} onClick={() => goOn.run()}>
            Send on
          </Button>
        </>
      )}
      <Trouble error={send.problem ?? drop.problem ?? stop.problem ?? goOn.problem} />
    </span>
  );
}
