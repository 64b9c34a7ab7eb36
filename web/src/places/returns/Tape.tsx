import { Link } from "@tanstack/react-router";
import clsx from "clsx";
import { useMemo } from "react";
import { api, keyed, told } from "../../api/client";
import { usePages } from "../../kit/pages";
import { Card, Code, Quiet, Tag } from "../../kit/parts";
import { PrintSlip } from "../../kit/print";
import { sayMoney, saySecond } from "../../kit/say";
import { ScanActs, sayState } from "../../kit/scans/lines";
import { add, type Scan } from "../../kit/scans/scans";
import { SignPanel, SignTag } from "../../kit/sign";
import { Table, type Column } from "../../kit/table";
import { useWrite } from "../../kit/write";
import { Why } from "../../kit/why";
import { changed, merged, type Line, type Run } from "./session";

/** A line of the tape: one that the server knows, or one that is still on its way to it. */
interface Entry {
  line?: Line;
  scan?: Scan;
}

const answers: Record<Line["answer"], string> = {
  open: "asked",
  paid: "paid",
  account: "charged",
  waived: "waived",
  "": "",
};

const columns: Column<Entry>[] = [
  { id: "time", head: "Time", cell: ({ line }) => (line ? saySecond(line.at) : "…"), className: "tabular-nums" },
  { id: "item", head: "Item", cell: (e) => <Item entry={e} />, className: "min-w-40" },
  {
    id: "found",
    head: "What we found",
    cell: ({ line, scan }) =>
      line
        ? line.found
        : scan && <span className={scan.state === "wrong" ? "text-buoy-700" : ""}>{sayState(scan)}</span>,
  },
  { id: "goes", head: "Goes to", cell: ({ line }) => line && <SignTag sign={line.sign} /> },
  { id: "account", head: "Account", cell: ({ line }) => line && <Account line={line} />, className: "tabular-nums" },
  {
    id: "acts",
    head: "Why and undo",
    unnamed: true,
    right: true,
    cell: ({ line, scan }) => (line ? <Acts line={line} /> : scan && <ScanActs scan={scan} />),
  },
];

/** The sign of the newest item, and all lines of the run, newest first. */
export function Tape({ run, fresh, waiting }: { run: Run; fresh: Line[]; waiting: Scan[] }) {
  const known = usePages(["lines", run.id], (after) =>
    told(api.GET("/api/returns/{id}/lines", { params: { path: { id: run.id }, query: { after } } })),
  );
  const lines = useMemo(() => merged(fresh, known.data ?? []), [fresh, known.data]);
  const entries = useMemo(
    () => [
      ...waiting.filter((s) => s.what === "scan").map((scan): Entry => ({ scan })),
      ...lines.map((line): Entry => ({ line })),
    ],
    [waiting, lines],
  );
  const newest = lines.find((l) => !l.undone);
  return (
    <div className="grid gap-3.5">
      {newest && (
        <div className="grid gap-1">
          <SignPanel key={newest.id} sign={newest.sign} title={newest.title} code={newest.barcode} />
          {newest.sign.hold_id && (
            <p>
              <PrintSlip hold={newest.sign.hold_id} byItself={fresh.includes(newest)} />
            </p>
          )}
        </div>
      )}
      <Card label="Tape">
        <Table
          label="Tape"
          columns={columns}
          rows={entries}
          id={(e) => e.line?.id ?? e.scan?.id ?? ""}
          pages={known.pages}
          rowClass={(e) => clsx(e.line?.undone && "opacity-60", !e.line && "text-ink-2")}
          className="max-h-[60vh]"
          empty={
            known.error
              ? "The lines of this run could not be asked for. They come by themselves as soon as they can; go on scanning."
              : known.data
                ? "Nothing scanned in this run yet. Each item says where it goes as soon as it is scanned."
                : "Being looked up …"
          }
        />
      </Card>
    </div>
  );
}

function Item({ entry: { line, scan } }: { entry: Entry }) {
  if (!line) return <Code>{scan?.text}</Code>;
  return (
    <>
      {line.item_id ? (
        <Link
          to="/items"
          search={{ item: line.item_id }}
          className={clsx("font-semibold hover:underline", line.undone && "line-through")}
        >
          {line.title}
        </Link>
      ) : (
        <b className="font-semibold">{line.title}</b>
      )}
      <br />
      {line.barcode ? <Code>{line.barcode}</Code> : <Elsewhere line={line} />}
    </>
  );
}

/** Where a scan that is no item belongs. It never goes there by itself. */
function Elsewhere({ line }: { line: Line }) {
  if (line.kind === "card")
    return (
      <Link to="/desk" onClick={() => add("desk", line.text)} className="link">
        Open the card at the Desk
      </Link>
    );
  if (line.kind === "words" || line.kind === "unknown" || line.kind === "wrong_number")
    return (
      <Link to="/items" search={line.kind === "words" ? { words: line.text } : {}} className="link">
        Find it under Items
      </Link>
    );
  return null;
}

function Account({ line: l }: { line: Line }) {
  return (
    <>
      {l.fine && `${sayMoney(l.fine)} ${answers[l.answer]}`}
      {l.patron && (
        <Link to="/patrons" search={{ patron: l.patron_id }} className="block text-sm text-ink-2 hover:underline">
          {l.patron}
        </Link>
      )}
    </>
  );
}

function Acts({ line: l }: { line: Line }) {
  const undo = useWrite(
    (id: number, key) => api.POST("/api/return-lines/{id}/undo", { params: { path: { id }, header: keyed(key) } }),
    { name: `undo return ${l.id}`, about: `Undoing the return of ${l.title}`, done: changed },
  );
  return (
    <>
      <span className="whitespace-nowrap">
        <Why trace={l.why}>{l.fine ? `Why ${sayMoney(l.fine)}` : "Why"}</Why>{" "}
        {l.undone ? (
          <Tag tone="plain">Undone</Tag>
        ) : (
          <Quiet disabled={undo.busy} onClick={() => undo.run(l.id)}>
            Undo
          </Quiet>
        )}
      </span>
      {undo.problem instanceof Error && <p className="text-sm text-buoy-700">{undo.problem.message}</p>}
    </>
  );
}
