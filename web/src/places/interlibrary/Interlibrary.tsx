import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { useMe } from "../../kit/me";
import { usePages } from "../../kit/pages";
import { Button, Card, Empty, Head, Loading, Quiet, Tag, Trouble, type Tone } from "../../kit/parts";
import { sayDay } from "../../kit/say";
import { SignPanel } from "../../kit/sign";
import { useScanPlace } from "../../kit/scan";
import { AskOutside } from "./AskOutside";
import { Reply } from "./Reply";

type Request = Schema["InterlibraryRequest"];

/** Requests to and from libraries outside: whose move it is, and what the move is. */
export function InterlibraryPlace() {
  const me = useMe().data!;
  const queries = useQueryClient();
  const [error, setError] = useState<unknown>();
  const [asking, setAsking] = useState(false);
  const [words, setWords] = useState("");
  const [taken, setTaken] = useState<Schema["InterlibraryTaken"]>();
  const [replying, setReplying] = useState<number>();
  const list = usePages(
    ["requests"],
    (after) => told(api.GET("/api/interlibrary", { params: { query: { after, most: 200 } } })),
    { refetchInterval: 3000 },
  );
  const count = useQuery({
    queryKey: ["requests", "count"],
    queryFn: () => told(api.GET("/api/interlibrary/count")),
  });
  useScanPlace({
    prompt: "Type words to search the libraries outside",
    people: true,
    onScan: (text) => {
      setWords(text);
      setAsking(true);
    },
  });
  const done = <T,>(p: Promise<T>) =>
    p.then(
      (r) => {
        setError(undefined);
        setReplying(undefined);
        void queries.invalidateQueries();
        return r;
      },
      (e) => void setError(e),
    );
  const write = (id: number) => ({ params: { path: { id }, header: newKey() } });
  const moves: Record<string, (r: Request) => { label: string; run: () => void } | undefined> = {
    requesting: (r) =>
      ({
        refused: {
          label: "Ask elsewhere",
          run: () =>
            void done(told(api.POST("/api/interlibrary/{id}/seen", write(r.id)))).then(() => {
              setWords(r.title);
              setAsking(true);
            }),
        },
        shipped: {
          label: "It has arrived",
          run: () =>
            void done(told(api.POST("/api/interlibrary/{id}/arrived", write(r.id)))).then((t) => t && setTaken(t)),
        },
        there: {
          label: "Gone home",
          run: () => void done(told(api.POST("/api/interlibrary/{id}/send-home", write(r.id)))),
        },
        asked: {
          label: "Withdraw",
          run: () => void done(told(api.POST("/api/interlibrary/{id}/withdraw", write(r.id)))),
        },
      })[r.stage as string],
    supplying: (r) =>
      ({
        asked: { label: "Answer", run: () => setReplying(r.id) },
        promised: {
          label: "Send it",
          run: () => void done(told(api.POST("/api/interlibrary/{id}/ship", write(r.id)))),
        },
      })[r.stage as string],
  };
  return (
    <div className="grid gap-3.5">
      <Head
        title="Interlibrary"
        says={
          count.data &&
          `${count.data.ours} ${count.data.ours === 1 ? "is" : "are"} our move; then come those where it is theirs, and ended ones.`
        }
      >
        {me.outside && (
          <Button plain onClick={() => window.open(me.outside, "_blank")}>
            The demo's partners
          </Button>
        )}
        <Button onClick={() => setAsking(!asking)}>Ask outside</Button>
      </Head>
      <Trouble error={error ?? list.error ?? count.error} />
      {asking && <AskOutside words={words} onAsked={() => (setAsking(false), void queries.invalidateQueries())} />}
      {taken && <SignPanel sign={taken.sign} title={taken.title} code={taken.barcode} />}
      <Card label="Requests">
        {!list.rows ? (
          <Loading />
        ) : list.rows.length === 0 ? (
          <Empty>
            No requests. Ask outside for what the network does not have; what partners ask us for comes in by itself.
          </Empty>
        ) : (
          <table className="list">
            <thead>
              <tr>
                <th>Whose move</th>
                <th>Title</th>
                <th>Partner</th>
                <th>How it stands</th>
                <th>For</th>
                <th>
                  <span className="sr-only">Move</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {list.rows.map((r) => (
                <Line key={r.id} request={r} move={moves[r.role]!(r)} />
              ))}
            </tbody>
          </table>
        )}
        {list.more}
      </Card>
      {replying && (
        <Reply
          id={replying}
          request={list.rows?.find((r) => r.id === replying)}
          onReply={(p) => void done(p)}
          onClose={() => setReplying(undefined)}
        />
      )}
    </div>
  );
}

function Line({ request: r, move }: { request: Request; move?: { label: string; run: () => void } }) {
  const ended = ["done", "refused", "withdrawn"].includes(r.stage);
  const [tone, word]: [Tone, string] = r.our_move
    ? ["amber", "Our move"]
    : ended
      ? ["plain", "Ended"]
      : ["plum", "Their move"];
  return (
    <tr>
      <td>
        <Tag tone={tone}>{word}</Tag>
      </td>
      <td>
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
        </span>
      </td>
      <td>
        {r.partner}
        <br />
        <span className="text-sm text-ink-2">{r.role === "requesting" ? "we ask" : "they ask"}</span>
      </td>
      <td>
        {r.says}
        {r.due && `, due ${r.due}`}
        <br />
        <span className="text-sm text-ink-2">
          {sayDay(r.moved_at)}
          {r.last_note.trim() && `. They say: ${r.last_note}`}
        </span>
        {r.waiting && <span className="block text-sm text-buoy-700">{r.waiting}</span>}
      </td>
      <td className="text-sm">
        {r.patron_id && (
          <Link to="/patrons" search={{ patron: r.patron_id }} className="hover:underline">
            {r.patron}
          </Link>
        )}
        {r.pickup && <span className="block text-ink-2">{r.pickup}</span>}
      </td>
      <td className="text-right">
        {move &&
          (r.our_move || r.stage === "asked") &&
          (r.our_move ? (
            <Button onClick={move.run}>{move.label}</Button>
          ) : (
            <Quiet onClick={move.run}>{move.label}</Quiet>
          ))}
      </td>
    </tr>
  );
}
