import { useState, type ReactNode } from "react";
import { z } from "zod";
import { useAskAgain } from "../api/asked";
import { api, keyed, told, type Schema } from "../api/client";
import { branchName, useMe } from "../shell/me";
import { useWrite } from "../shell/write";
import { Foot, Form, MomentField } from "../ui/forms";
import { Loading } from "../ui/loading";
import { More } from "../ui/menu";
import { usePages } from "../ui/pages";
import { Button, Card, Field, inputLook, Quiet, Trouble } from "../ui/parts";
import { sayCount, sayInstant } from "../ui/say";
import { Table, type Column } from "../ui/table";
import { BranchChoice } from "./branches";
import { Whom } from "./whom";

type Call = Schema["NoticesCall"];
type Outcome = Schema["NoticesCalled"];

/** What came of earlier calls, and what is to come. */
function lastCall(c: Call) {
  const last = c.calls ? `${sayCount(c.calls, "call")}, last: ${c.last}` : "";
  return c.again ? `${last} (${sayInstant(c.again)})` : last;
}

const outcomes = [
  ["reached", "Reached"],
  ["message_left", "Message left"],
  ["no_answer", "No answer"],
  ["wrong_number", "Wrong number"],
] as const;

const sayOutcome = (o: Outcome["outcome"]) => outcomes.find(([code]) => code === o)?.[1] ?? "To call again";

const columnsWith = (acts: (c: Call) => ReactNode): Column<Call>[] => [
  {
    id: "for",
    head: "Call",
    value: (c) => `${c.name} ${c.phone}`,
    cell: (c) => (
      <>
        <Whom id={c.patron} name={c.name} bold />
        <br />
        <span className="font-mono whitespace-nowrap">{c.phone || "no phone number"}</span>
      </>
    ),
  },
  {
    id: "about",
    head: "About",
    value: (c) => `${c.kind} ${c.titles}`,
    cell: (c) => (
      <>
        {c.kind}
        <br />
        <span className="text-sm text-ink-2">{c.titles}</span>
      </>
    ),
  },
  {
    id: "calls",
    head: "Calls",
    value: lastCall,
    cell: (c) => <span className={c.later ? "text-sm text-ink-3" : "text-sm"}>{lastCall(c)}</span>,
  },
  {
    id: "acts",
    head: "Outcome",
    unnamed: true,
    right: true,
    screenOnly: true,
    cell: (c) => (c.caller ? <span className="text-sm text-amber-700">{c.caller} is calling</span> : acts(c)),
  },
];

/** Whom to tell by telephone, at a branch or all: what to say, and what came of each call. Two people can share it. */
export function Calls({ choose }: { choose?: boolean }) {
  const me = useMe();
  const askAgain = useAskAgain();
  const [branch, setBranch] = useState(me.branch);
  const [open, setOpen] = useState<number>();
  const [last, setLast] = useState<{ call: Call; outcome: Outcome["outcome"] }>();
  const list = usePages(["calls", branch], (after) =>
    told(api.GET("/api/calls", { params: { query: { branch, after } } })),
  );
  const again = () => askAgain("calls", "hold shelf", "mailings");
  const begin = useWrite(
    (v: { call: Call; now: boolean }, key) =>
      api.POST("/api/messages/{id}/calling", {
        params: { path: { id: v.call.message }, header: keyed(key) },
        body: { now: v.now },
      }),
    {
      name: "calling",
      about: (v) => `The call to ${v.call.name}`,
      done: (_, v) => {
        setOpen(v.now ? v.call.message : undefined);
        askAgain("calls");
      },
    },
  );
  const called = useWrite(
    (v: { call: Call } & Outcome, key) =>
      api.POST("/api/messages/{id}/called", {
        params: { path: { id: v.call.message }, header: keyed(key) },
        body: { outcome: v.outcome, items: v.items, note: v.note, again: v.again },
      }),
    {
      name: "called",
      about: (v) => `The call to ${v.call.name}`,
      done: (_, v) => {
        setOpen(undefined);
        setLast(v);
        again();
      },
    },
  );
  const undo = useWrite(
    (c: Call, key) =>
      api.POST("/api/messages/{id}/uncalled", { params: { path: { id: c.message }, header: keyed(key) } }),
    {
      name: "uncalled",
      about: (c) => `Undoing the call to ${c.name}`,
      done: () => {
        setLast(undefined);
        again();
      },
    },
  );
  const write = (call: Call, outcome: Outcome["outcome"], note = "", at = "") =>
    called.run({ call, outcome, items: call.items, note, again: at });
  const columns = columnsWith((c) => (
    <span className="flex items-center justify-end gap-2 whitespace-nowrap">
      <Button small plain busy={begin.busy} onClick={() => begin.run({ call: c, now: true })}>
        Call
      </Button>
      <Button small plain busy={called.busy} onClick={() => write(c, "reached")}>
        Reached
      </Button>
      <More
        of={c.name}
        name="Not reached"
        acts={outcomes.slice(1).map(([code, says]) => ({ name: says, run: () => write(c, code) }))}
      />
    </span>
  ));
  const calling = list.data?.find((c) => c.message === open);
  return (
    <Card label="To call">
      {choose && (
        <div className="flex flex-wrap items-end gap-3 border-b border-line px-4 py-2.5 print:hidden">
          <BranchChoice all="all branches" value={branch} onChange={setBranch} />
        </div>
      )}
      {last && (
        <p role="status" className="border-b border-line px-4 py-2 print:hidden">
          {last.call.name}: {sayOutcome(last.outcome)}.{" "}
          {last.outcome === "reached" && (
            <Quiet disabled={undo.busy} onClick={() => undo.run(last.call)}>
              Undo
            </Quiet>
          )}
        </p>
      )}
      {[begin.problem, called.problem, undo.problem].map((problem, k) => (
        <Trouble key={k} error={problem} />
      ))}
      {calling && (
        <Calling
          key={calling.message}
          call={calling}
          busy={called.busy}
          onOutcome={(outcome, note, at) => write(calling, outcome, note, at)}
          onClose={() => begin.run({ call: calling, now: false })}
        />
      )}
      <Loading of={list}>
        {(rows) => (
          <Table
            label="To call"
            columns={columns}
            rows={rows}
            id={(c) => c.message}
            pages={list.pages}
            tools
            paper={branch ? `To call from ${branchName(me, branch)}` : "To call"}
            className="max-h-[62vh]"
            empty="Nobody to call. Patrons who are notified by phone appear here."
          />
        )}
      </Loading>
    </Card>
  );
}

const later = z.object({ again: z.string().regex(/^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}$/, "Enter a date and a time.") });

/** A call under way: the number, what to say, and what came of it. */
function Calling({
  call: c,
  busy,
  onOutcome,
  onClose,
}: {
  call: Call;
  busy: boolean;
  onOutcome: (outcome: Outcome["outcome"], note: string, again?: string) => void;
  onClose: () => void;
}) {
  const [note, setNote] = useState("");
  const [asking, setAsking] = useState(false);
  return (
    <section aria-label={`Call ${c.name}`} className="grid gap-3 border-b border-line bg-sunk px-4 py-3 print:hidden">
      <p className="flex flex-wrap items-baseline gap-x-4">
        <Whom id={c.patron} name={c.name} bold />
        <span className="font-mono text-xl">{c.phone || "no phone number"}</span>
        <span className="text-sm text-ink-2">{lastCall(c)}</span>
      </p>
      <p className="max-h-56 max-w-3xl overflow-auto text-lg whitespace-pre-wrap">{c.says}</p>
      <div className="flex flex-wrap items-end gap-2">
        <Field label="Note">
          <input
            className={`${inputLook} w-56`}
            maxLength={120}
            value={note}
            onChange={(e) => setNote(e.target.value)}
          />
        </Field>
        {outcomes.map(([code, says]) => (
          <Button key={code} plain={code !== "reached"} busy={busy} onClick={() => onOutcome(code, note)}>
            {says}
          </Button>
        ))}
        <Button plain aria-expanded={asking} disabled={busy} onClick={() => setAsking(!asking)}>
          Call again later
        </Button>
        <Button plain onClick={onClose}>
          Close
        </Button>
      </div>
      {asking && (
        <Form
          label="Call again later"
          schema={later}
          start={{ again: "" }}
          onSend={(v) => onOutcome("later", note, v.again)}
          className="flex flex-wrap items-start gap-3"
        >
          <MomentField name="again" label="Call again at" />
          <Foot onLeave={() => setAsking(false)} className="self-end">
            Save
          </Foot>
        </Form>
      )}
    </section>
  );
}
