import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { z } from "zod";
import { useAskAgain } from "../../api/asked";
import { api, keyed, told, type Schema } from "../../api/client";
import { paper } from "../../shell/settings";
import { useWrite } from "../../shell/write";
import * as check from "../../ui/checks";
import { ChoiceField, DateField, Foot, Form, Send, TextField } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { Card, Code, Quiet, Tag } from "../../ui/parts";
import { sayInstant } from "../../ui/say";
import { sayRole, whose } from "./columns";
import { Move } from "./Move";
import { Reply } from "./Reply";

type Detail = Schema["InterlibraryDetail"];
type Request = Schema["InterlibraryRequest"];
type Message = Schema["InterlibraryMessage"];

/** One request with its whole story: how it stands, what can be done, and every message both ways. */
export function RequestPage({ id }: { id: number }) {
  const navigate = useNavigate();
  const detail = useQuery({
    queryKey: ["requests", id],
    queryFn: () => told(api.GET("/api/interlibrary/{id}", { params: { path: { id } } })),
  });
  return (
    <div className="grid gap-3">
      <p>
        <Quiet onClick={() => void navigate({ to: "/interlibrary" })}>← All requests</Quiet>
      </p>
      <Loading of={detail} lines={6}>
        {(d) => <Shown detail={d} />}
      </Loading>
    </div>
  );
}

function Shown({ detail: d }: { detail: Detail }) {
  const r = d.request;
  const navigate = useNavigate();
  return (
    <>
      <Card label="Request" className="grid gap-3 p-3.5">
        <div className="flex flex-wrap items-start gap-x-4 gap-y-2">
          <div className="min-w-0">
            <h2 className="text-lg font-semibold">{r.title}</h2>
            <p className="text-ink-2">
              {[r.author, r.year, r.edition, r.numbers].filter(Boolean).join(", ")}
              {r.part && <span className="block">{r.part}</span>}
            </p>
          </div>
          <span className="ml-auto flex flex-wrap items-center justify-end gap-2">
            <Tag tone={whose(r)[0]}>{whose(r)[1]}</Tag>
            {r.late && <Tag tone="buoy">{r.late}</Tag>}
          </span>
        </div>
        <Facts request={r} />
        {r.waiting && <p className="text-buoy-700">{r.waiting}</p>}
        <Doing request={r} />
        <WithNote request={r} />
        {r.by_hand && !["done", "refused", "withdrawn"].includes(r.stage) && <Heard request={r} />}
      </Card>
      {d.proposal && (
        <Card label="Answer" className="grid gap-3 p-3.5">
          <h2 className="font-semibold">
            {r.next === "choose" ? "Choose another copy, or decline after all" : `Answer ${r.partner}`}
          </h2>
          <Reply proposal={d.proposal} onDone={() => void navigate({ to: "/interlibrary", search: { tab: "new" } })} />
        </Card>
      )}
      <Card label="Messages" className="p-3.5">
        <h2 className="font-semibold">Messages</h2>
        {d.messages.length === 0 && <p className="text-ink-2">No messages yet.</p>}
        <ol className="divide-y divide-line">
          {d.messages.map((m) => (
            <OneMessage key={m.id} message={m} partner={r.partner} />
          ))}
        </ol>
      </Card>
      {d.history.length > 0 && (
        <Card label="What was done here" className="p-3.5">
          <h2 className="font-semibold">What was done here</h2>
          <ul className="divide-y divide-line">
            {d.history.map((e) => (
              <li key={e.id} className="flex flex-wrap gap-x-3 py-1">
                <span className="w-36 text-sm text-ink-2">{sayInstant(e.at)}</span>
                {e.text}
                <span className="ml-auto text-sm text-ink-2">
                  {e.who}
                  {e.branch && `, ${e.branch}`}
                </span>
              </li>
            ))}
          </ul>
        </Card>
      )}
    </>
  );
}

/** What can be done about it with a click. An answer has a card of its own. */
function Doing({ request: r }: { request: Request }) {
  const answered = r.next === "answer" || r.next === "choose";
  if (!r.item_id && (answered || (r.next === "" && r.may.length === 0))) return null;
  return (
    <div className="flex flex-wrap items-center gap-3 border-t border-line pt-3">
      {r.item_id && (
        <a
          className="link"
          href={`/api/interlibrary/papers.pdf?ids=${r.id}&paper=${paper() === "letter" ? "letter" : "a4"}`}
          target="_blank"
          rel="noreferrer"
        >
          Print the paper
        </a>
      )}
      <span className="ml-auto">
        <Move request={answered ? { ...r, next: "" } : r} />
      </span>
    </div>
  );
}

function Facts({ request: r }: { request: Request }) {
  const facts: [string, React.ReactNode][] = [
    ["Status", `${r.says}${r.due ? `, due ${r.due}` : ""}`],
    ["Partner", `${r.partner}, ${sayRole(r)}`],
    ["Number", <Code key="n">{r.number}</Code>],
    [
      "For",
      r.patron_id ? (
        <Link key="p" to="/patrons" search={{ patron: r.patron_id }} className="link">
          {r.patron}
        </Link>
      ) : (
        ""
      ),
    ],
    ["Pickup", r.pickup],
    ["Needed by", r.needed_by],
    ["Edition", r.any_edition ? "" : "This edition only"],
    [
      "Item",
      r.item_id ? (
        <Link key="i" to="/items" search={{ item: r.item_id }} className="link">
          {r.call_number && `${r.call_number}, `}
          {r.barcode}
        </Link>
      ) : (
        ""
      ),
    ],
    ["Begun", sayInstant(r.begun_at)],
    [r.role === "requesting" ? "Our note to them" : "Their note", r.note],
    ["Last note", r.last_note],
  ];
  return (
    <dl className="grid gap-x-6 gap-y-1 sm:grid-cols-2">
      {facts.map(([name, value]) =>
        value ? (
          <div key={name} className="flex gap-2">
            <dt className="w-28 shrink-0 text-sm text-ink-2">{name}</dt>
            <dd className="min-w-0">{value}</dd>
          </div>
        ) : null,
      )}
    </dl>
  );
}

/** A message in plain words; as it was sent, one click away. */
function OneMessage({ message: m, partner }: { message: Message; partner: string }) {
  const states: Partial<Record<Message["state"], string>> = {
    queued: "waiting to be sent",
    refused: "rejected by them",
  };
  return (
    <li className="py-1.5">
      <div className="flex flex-wrap gap-x-3">
        <span className="w-36 text-sm text-ink-2">{sayInstant(m.at)}</span>
        <b className="font-semibold">{m.outgoing ? "We" : partner}:</b>
        <span className="min-w-0">{m.says}</span>
        {states[m.state] && <Tag tone={m.state === "refused" ? "buoy" : "amber"}>{states[m.state]}</Tag>}
        {m.problem && <span className="text-buoy-700">{m.problem}</span>}
      </div>
      <details className="text-sm">
        <summary className="cursor-pointer text-ink-2">As it was sent ({m.kind})</summary>
        <pre className="max-h-72 overflow-auto rounded bg-sunk p-2 font-mono text-xs whitespace-pre-wrap">{m.body}</pre>
      </details>
    </li>
  );
}

/** What needs a note beside it: a recall, something lost or damaged. */
function WithNote({ request: r }: { request: Request }) {
  const [doing, setDoing] = useState<"recall" | "lost" | "report">();
  const ways = (
    [
      ["recall", "Recall it"],
      ["lost", "They have lost it"],
      ["report", "Report loss or damage"],
    ] as const
  ).filter(([step]) => r.may.includes(step));
  if (ways.length === 0) return null;
  if (!doing)
    return (
      <div className="flex flex-wrap justify-end gap-3">
        {ways.map(([step, label]) => (
          <Quiet key={step} onClick={() => setDoing(step)}>
            {label}
          </Quiet>
        ))}
      </div>
    );
  return <NoteForm request={r} doing={doing} onDone={() => setDoing(undefined)} />;
}

const schema = z.object({ what: z.enum(["lost", "damaged"]), note: check.text });

function NoteForm({
  request: r,
  doing,
  onDone,
}: {
  request: Request;
  doing: "recall" | "lost" | "report";
  onDone: () => void;
}) {
  const askAgain = useAskAgain();
  const labels = {
    recall: `Ask ${r.partner} to send it back now`,
    lost: `Mark it lost by ${r.partner} and bill it`,
    report: `Tell ${r.partner}`,
  };
  const send = useWrite(
    (v: z.infer<typeof schema>, key) => {
      const at = { params: { path: { id: r.id }, header: keyed(key) } };
      if (doing === "report") return api.POST("/api/interlibrary/{id}/trouble", { ...at, body: v });
      if (doing === "lost") return api.POST("/api/interlibrary/{id}/lost", { ...at, body: { note: v.note } });
      return api.POST("/api/interlibrary/{id}/recall", { ...at, body: { note: v.note } });
    },
    {
      name: `${doing} ${r.id}`,
      about: `${labels[doing]}: ${r.title}`,
      done: () => {
        askAgain("requests");
        onDone();
      },
    },
  );
  return (
    <Form
      label={labels[doing]}
      schema={schema}
      start={{ what: "damaged", note: "" }}
      write={send}
      onSend={send.run}
      className="flex flex-wrap items-end gap-3 border-t border-line pt-3"
    >
      {doing === "report" && (
        <ChoiceField
          name="what"
          label="What happened"
          options={[
            ["damaged", "It is damaged"],
            ["lost", "It is lost"],
          ]}
        />
      )}
      <TextField name="note" label="Note to partner (never name the patron)" className="w-96 max-w-full" />
      <Foot write={send} onLeave={onDone}>
        {labels[doing]}
      </Foot>
    </Form>
  );
}

/** What a partner without a system may have said, by who asked. */
const heardOf = {
  requesting: [
    ["WillSupply", "They will send it"],
    ["Loaned", "They have sent it"],
    ["Unfilled", "They do not send it"],
    ["Renewed", "They renew it"],
    ["NotRenewed", "They do not renew it"],
    ["Cancelled", "They have cancelled it"],
    ["Recalled", "They want it back now"],
    ["LoanCompleted", "They have it back"],
    ["CompletedWithoutReturn", "They end it without return"],
    ["Notification", "Something else"],
  ],
  supplying: [
    ["Received", "They have received it"],
    ["Renew", "They ask to renew it"],
    ["ShippedReturn", "They have sent it back"],
    ["Cancel", "They no longer need it"],
    ["Notification", "Something else"],
  ],
} as const;

const heard = z.object({ says: check.needed("Choose what they said."), due: check.maybeDate, note: check.text });

/** Enters what a partner without a system has said, by email or telephone. */
function Heard({ request: r }: { request: Request }) {
  const askAgain = useAskAgain();
  const send = useWrite(
    (v: z.infer<typeof heard>, key) =>
      api.POST("/api/interlibrary/{id}/heard", {
        params: { path: { id: r.id }, header: keyed(key) },
        body: { says: v.says as Schema["PartnersHeard"]["says"], due: v.due || undefined, note: v.note },
      }),
    { name: `heard ${r.id}`, about: `What ${r.partner} said`, done: () => askAgain("requests") },
  );
  return (
    <Form
      label={`What ${r.partner} said`}
      schema={heard}
      start={{ says: "", due: "", note: "" }}
      write={send}
      onSend={send.run}
      className="flex flex-wrap items-end gap-3 border-t border-line pt-3"
    >
      <ChoiceField name="says" label={`What ${r.partner} said`} options={[["", "choose"], ...heardOf[r.role]]} />
      {r.role === "requesting" && <DateField name="due" label="Their due date" />}
      <TextField name="note" label="Note" className="w-72 max-w-full" />
      <Send plain write={send}>
        Enter
      </Send>
    </Form>
  );
}
