import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useMemo, useState } from "react";
import { useAskAgain } from "../../api/asked";
import { api, keyed, told, type Schema } from "../../api/client";
import { useWrite } from "../../shell/write";
import { Loading } from "../../ui/loading";
import { Button, Card, Tag, Trouble } from "../../ui/parts";
import { sayCount } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { EnterTheirs } from "./EnterTheirs";
import { sayReason } from "./Reply";

type Proposal = Schema["InterlibraryProposal"];

/** The answer that is proposed, as it is sent. */
const proposed = (p: Proposal) => ({
  request: p.request.id,
  answer: p.answer === "yes" ? { yes: true, item: p.item } : { yes: false, reason: p.reason as "NotHeld" },
});

/** New requests of partners, each with what an answer needs; many are answered at once. */
export function NewRequests() {
  const askAgain = useAskAgain();
  const list = useQuery({ queryKey: ["requests", "new"], queryFn: () => told(api.GET("/api/interlibrary/new")) });
  const reply = useWrite(
    (of: Proposal[], key) =>
      api.POST("/api/interlibrary/replies", {
        params: { header: keyed(key) },
        body: { answers: of.map(proposed) },
      }),
    {
      name: "answer several requests",
      about: (of) => `Answers to ${sayCount(of.length, "request", "requests")}`,
      done: () => askAgain("requests"),
    },
  );
  const columns = useMemo(() => columnsOf, []);
  const [entering, setEntering] = useState(false);
  const certain = list.data?.filter((p) => p.answer !== "look") ?? [];
  if (entering) return <EnterTheirs onDone={() => setEntering(false)} />;
  return (
    <Card label="New requests">
      <div className="flex flex-wrap items-center gap-3 border-b border-line px-3 py-2">
        <p className="text-sm text-ink-2">
          What is proposed can be sent as it is. Open a request to choose another copy or another reason.
        </p>
        <span className="ml-auto flex flex-wrap gap-2">
          <Button plain onClick={() => setEntering(true)}>
            Enter a request by hand
          </Button>
          {certain.length > 0 && (
            <Button busy={reply.busy} onClick={() => reply.run(certain)}>
              Answer all {certain.length} as proposed
            </Button>
          )}
        </span>
      </div>
      <Trouble error={reply.problem} />
      <Loading of={list}>
        {(rows) => (
          <Table
            label="New requests"
            columns={columns}
            rows={rows}
            id={(p) => p.request.id}
            tools
            paper="New requests from partners"
            acts={[
              {
                label: (chosen) => {
                  const n = chosen.filter((p) => p.answer !== "look").length;
                  return n === chosen.length
                    ? "Answer as proposed"
                    : `Answer ${n} as proposed; ${chosen.length - n} need a look`;
                },
                busy: reply.busy,
                run: (chosen) => {
                  const of = chosen.filter((p) => p.answer !== "look");
                  if (of.length > 0) reply.run(of);
                },
              },
            ]}
            className="max-h-[66vh]"
            empty="No new requests. They arrive by themselves when a partner asks."
          />
        )}
      </Loading>
    </Card>
  );
}

const tones = { yes: "spruce", no: "buoy", look: "amber" } as const;

const columnsOf: Column<Proposal>[] = [
  {
    id: "title",
    head: "Asked for",
    value: (p) => `${p.request.title} ${p.request.author} ${p.request.number}`,
    cell: (p) => (
      <>
        <Link to="/interlibrary" search={{ request: p.request.id }} className="font-semibold hover:underline">
          {p.request.title}
        </Link>
        <span className="block text-sm text-ink-2">
          {[p.request.author, p.request.year, p.request.numbers].filter(Boolean).join(", ")}
          {p.request.copy && ` A copy${p.request.part && ` of ${p.request.part}`}`}
        </span>
      </>
    ),
  },
  {
    id: "partner",
    head: "Partner",
    value: (p) => p.request.partner,
    cell: (p) => (
      <>
        {p.request.partner}
        <span className="block text-sm text-ink-2">
          {p.request.number}
          {p.request.needed_by && `, needed by ${p.request.needed_by}`}
        </span>
      </>
    ),
  },
  {
    id: "ours",
    head: "What we have",
    value: (p) => p.copies[0]?.fits ?? "Nothing",
    cell: (p) => <Ours proposal={p} />,
  },
  {
    id: "answer",
    head: "Proposed",
    value: (p) => `${p.answer} ${p.says}`,
    cell: (p) => (
      <>
        <Tag tone={tones[p.answer]}>
          {p.answer === "yes" ? "Yes" : p.answer === "no" ? `No: ${sayReason(p.reason)}` : "Look"}
        </Tag>
        <span className="block text-sm text-ink-2">{p.says}</span>
      </>
    ),
  },
  {
    id: "open",
    head: "Action",
    unnamed: true,
    right: true,
    screenOnly: true,
    cell: (p) => (
      <Link to="/interlibrary" search={{ request: p.request.id }} className="link">
        Answer
      </Link>
    ),
  },
];

/** The copy that would be sent, or the nearest to it. */
function Ours({ proposal: p }: { proposal: Proposal }) {
  const c = p.copies.find((x) => x.id === p.item) ?? p.copies.find((x) => !x.badly) ?? p.copies[0];
  if (!c) return <span className="text-ink-2">Nothing</span>;
  return (
    <>
      {c.branch}
      {c.call_number && `, ${c.call_number}`}
      <span className="block text-sm text-ink-2">
        {c.fits}. {c.says.replace(/\.$/, "")}
        {p.item && c.there && `, with them by ${c.there}`}
        {p.copies.length > 1 && `. ${sayCount(p.copies.length - 1, "more copy", "more copies")}`}
      </span>
    </>
  );
}
