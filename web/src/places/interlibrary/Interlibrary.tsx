import { useQuery } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { Link } from "@tanstack/react-router";
import { useMemo, useState } from "react";
import { useStore } from "zustand";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Button, Card, Code, Head, Tag, Trouble, type Tone } from "../../ui/parts";
import { sayCount, sayDay } from "../../ui/say";
import { usePrompt } from "../../shell/scan";
import { ScanActs, sayState } from "../../shell/scans/lines";
import { useScans } from "../../shell/scans/scans";
import { SignPanel } from "../../circulation/sign";
import { Table, type Column } from "../../ui/table";
import { AskOutside } from "./AskOutside";
import { Move } from "./Move";
import { Reply } from "./Reply";
import { outside } from "./session";

type Request = Schema["InterlibraryRequest"];
type Taken = Schema["InterlibraryTaken"];

/** Requests to and from libraries outside: whose move it is, and what the move is. */
export function InterlibraryPlace() {
  const me = useMe();
  const askAgain = useAskAgain();
  const { words, asking, whom } = useStore(outside);
  const [taken, setTaken] = useState<Taken>();
  const [replying, setReplying] = useState<Request>();
  usePrompt("Type words or scan a product code to search the partners");
  const list = usePages(["requests"], (after) =>
    told(api.GET("/api/interlibrary", { params: { query: { after, most: 200 } } })),
  );
  const count = useQuery({ queryKey: ["requests", "count"], queryFn: () => told(api.GET("/api/interlibrary/count")) });
  const columns = useMemo(() => columnsFor(setReplying, setTaken), []);
  return (
    <div className="grid gap-3.5">
      <Head
        title="Interlibrary"
        says={count.data && `${sayCount(count.data.ours, "request waits", "requests wait")} for us.`}
      >
        {me.outside && (
          <Button plain onClick={() => window.open(me.outside, "_blank")}>
            Open the demo partners
          </Button>
        )}
        <Button aria-expanded={asking} onClick={() => outside.setState({ asking: !asking, whom: undefined })}>
          Request from a partner
        </Button>
      </Head>
      <Scanned />
      <Trouble error={count.error} />
      {asking && (
        <AskOutside
          key={words}
          whom={whom}
          words={words}
          onAsked={() => {
            outside.setState({ asking: false, words: "", whom: undefined });
            askAgain("requests");
          }}
        />
      )}
      {taken && <SignPanel sign={taken.sign} title={taken.title} code={taken.barcode} />}
      {replying && <Reply key={replying.id} request={replying} onClose={() => setReplying(undefined)} />}
      <Card label="Requests">
        <Loading of={list}>
          {(rows) => (
            <Table
              label="Requests"
              columns={columns}
              rows={rows}
              id={(r) => r.id}
              pages={list.pages}
              tools
              paper="Interlibrary requests"
              className="max-h-[72vh]"
              empty="No requests. Request from a partner what the network does not have; requests from partners arrive by themselves."
            />
          )}
        </Loading>
      </Card>
    </div>
  );
}

/** Scans that are on their way, or that were no words. */
function Scanned() {
  const lines = useScans("interlibrary");
  return (
    <ul className="grid gap-1 empty:hidden">
      {lines.map((s) => {
        const found = s.result as { patron?: number; item?: number } | undefined;
        return (
          <li
            key={s.id}
            role={s.state === "wrong" ? "alert" : undefined}
            className="flex flex-wrap items-center gap-x-3"
          >
            <Tag tone={s.state === "wrong" ? "buoy" : "plain"}>{s.state === "wrong" ? "Not accepted" : "…"}</Tag>
            <Code>{s.text}</Code> {sayState(s)}
            {found?.patron && (
              <Link to="/patrons" search={{ patron: found.patron }} className="link">
                Show patron
              </Link>
            )}
            {found?.item && (
              <Link to="/items" search={{ item: found.item }} className="link">
                Show item
              </Link>
            )}
            <ScanActs scan={s} />
          </li>
        );
      })}
    </ul>
  );
}

const ended: Request["stage"][] = ["done", "refused", "withdrawn"];
const whose = (r: Request): [Tone, string] =>
  r.our_move
    ? ["amber", "Waiting for us"]
    : ended.includes(r.stage)
      ? ["plain", "Ended"]
      : ["plum", "Waiting for partner"];

const columnsFor = (onReply: (r: Request) => void, onTaken: (t: Taken) => void): Column<Request>[] => [
  {
    id: "whose",
    head: "Next step",
    className: "whitespace-nowrap",
    value: (r) => whose(r)[1],
    cell: (r) => <Tag tone={whose(r)[0]}>{whose(r)[1]}</Tag>,
  },
  {
    id: "title",
    head: "Title",
    value: (r) => `${r.title} ${r.number} ${r.author}`,
    cell: (r) => (
      <>
        {r.item_id ? (
          <Link to="/items" search={{ item: r.item_id }} className="font-semibold hover:underline">
            {r.title}
          </Link>
        ) : (
          <b className="font-semibold">{r.title}</b>
        )}
        <br />
        <span className="text-sm text-ink-2">
          {r.number}
          {r.author && `, ${r.author}`}
          {r.part && <span className="block">{r.part}</span>}
        </span>
      </>
    ),
  },
  {
    id: "partner",
    head: "Partner",
    value: (r) => r.partner,
    cell: (r) => (
      <>
        {r.partner}
        <br />
        <span className="text-sm text-ink-2">
          {r.role === "requesting" ? "borrowing" : r.copy ? "copy requested" : "lending"}
        </span>
      </>
    ),
  },
  {
    id: "stands",
    head: "Status",
    value: (r) => `${r.says}${r.due && `, due ${r.due}`}`,
    cell: (r) => (
      <>
        {r.says}
        {r.due && `, due ${r.due}`}
        <br />
        <span className="text-sm text-ink-2">
          {sayDay(r.moved_at)}
          {r.last_note.trim() && `. Their note: ${r.last_note}`}
        </span>
        {r.waiting && <span className="block text-sm text-buoy-700">{r.waiting}</span>}
      </>
    ),
  },
  {
    id: "for",
    head: "For",
    value: (r) => `${r.patron ?? ""} ${r.pickup}`,
    className: "text-sm",
    cell: (r) => (
      <>
        {r.patron_id && (
          <Link to="/patrons" search={{ patron: r.patron_id }} className="hover:underline">
            {r.patron}
          </Link>
        )}
        {r.pickup && <span className="block text-ink-2">{r.pickup}</span>}
      </>
    ),
  },
  {
    id: "move",
    head: "Action",
    unnamed: true,
    right: true,
    screenOnly: true,
    cell: (r) => <Move request={r} onReply={() => onReply(r)} onTaken={onTaken} />,
  },
];
