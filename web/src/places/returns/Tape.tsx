import { Link } from "@tanstack/react-router";
import clsx from "clsx";
import { useMemo, useState } from "react";
import { api, keyed, told, type Answer } from "../../api/client";
import { useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Button, Card, Code, inputLook, Quiet, Tag, Trouble } from "../../ui/parts";
import { isEmployed } from "../../shell/places";
import { PrintSlip } from "../../circulation/print";
import { sayMoney, saySecond } from "../../ui/say";
import { ScanActs, sayState } from "../../shell/scans/lines";
import { add, type Scan } from "../../shell/scans/scans";
import { SignPanel, SignTag } from "../../circulation/sign";
import { Table, type Column } from "../../ui/table";
import { useWrite } from "../../shell/write";
import { Why } from "../../shell/why";
import { changed, justScanned, merged, secureAsIs, type Change, type Line, type Run } from "./session";

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

/** What may be listed beside time, item and where it goes, as the network has settled it for the situation. */
const more: Record<string, Column<Entry>> = {
  owner: { id: "owner", head: "Home branch", cell: ({ line }) => line?.owner },
  call: { id: "call", head: "Call number", cell: ({ line }) => line?.call_number },
  found: {
    id: "found",
    head: "Result",
    cell: ({ line, scan }) =>
      line ? (
        <Found line={line} />
      ) : (
        scan && <span className={scan.state === "wrong" ? "text-buoy-700" : ""}>{sayState(scan)}</span>
      ),
  },
  account: {
    id: "account",
    head: "Account",
    cell: ({ line }) => line && <Account line={line} />,
    className: "tabular-nums",
  },
  who: { id: "who", head: "Scanned by", cell: ({ line }) => line?.who },
};

const columnsFor = (chosen: string[], run: Run): Column<Entry>[] => [
  { id: "time", head: "Time", cell: ({ line }) => (line ? saySecond(line.at) : "…"), className: "tabular-nums" },
  { id: "item", head: "Item", cell: (e) => <Item entry={e} />, className: "min-w-40" },
  ...chosen.filter((c) => c !== "account").flatMap((c) => more[c] ?? []),
  { id: "goes", head: "Destination", cell: ({ line }) => line && <SignTag sign={line.sign} /> },
  ...(chosen.includes("account") ? [more.account] : []).flatMap((c) => c ?? []),
  {
    id: "acts",
    head: "Actions",
    unnamed: true,
    right: true,
    cell: ({ line, scan }) => (line ? <Acts line={line} run={run} /> : scan && <ScanActs scan={scan} />),
  },
];

function Found({ line: l }: { line: Line }) {
  return (
    <>
      {l.found}
      {l.excused && <span className="block text-sm text-ink-2">Not charged: {l.excused}</span>}
      {l.parts > 1 && !l.undone && (
        <span className="block text-sm text-amber-700">
          Count {l.parts} parts{l.parts_say && `: ${l.parts_say}`}
        </span>
      )}
    </>
  );
}

/** The sign of the newest item, and all lines of the run, newest first. */
export function Tape({
  run,
  fresh,
  mine,
  waiting,
}: {
  run: Run;
  fresh: Line[];
  /** The lines that were scanned in this window. */
  mine: number[];
  waiting: Scan[];
}) {
  const { counter } = useMe();
  const situation = counter[run.mode];
  const columns = useMemo(() => columnsFor(situation.columns, run), [situation, run]);
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
  const newest = lines.find((l) => !l.undone && mine.includes(l.id));
  return (
    <div className="grid gap-3.5">
      {newest && (
        // It stays in sight however far one has scrolled.
        <div className="sticky top-0 z-10 grid gap-1 bg-paper">
          <SignPanel
            key={newest.id}
            sign={newest.sign}
            title={newest.title}
            code={newest.barcode}
            count={
              newest.parts > 1 ? `Count ${newest.parts} parts${newest.parts_say && `: ${newest.parts_say}`}` : undefined
            }
          />
          {newest.barcode && newest.sign.kind !== "shelf" && (
            <p>
              <PrintSlip
                of={{ kind: "line", id: newest.id }}
                byItself={justScanned(newest.id) && counter.slips.includes(newest.sign.kind)}
              />
            </p>
          )}
        </div>
      )}
      <Card label="Scanned items" style={{ "--lines": situation.lines }}>
        <Table
          label="Scanned items"
          columns={columns}
          rows={entries}
          id={(e) => e.line?.id ?? e.scan?.id ?? ""}
          pages={known.pages}
          rowClass={(e) => clsx(e.line?.undone && "opacity-60", !e.line && "text-ink-2")}
          className="max-h-[calc(var(--lines)*3.1rem+2.2rem)]"
          empty={
            known.error
              ? "The lines of this batch could not be loaded. Retrying; you can keep scanning."
              : known.data
                ? "Nothing scanned yet. Each scan shows where the item goes."
                : "Looking it up …"
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
        Open patron at the Desk
      </Link>
    );
  if (line.kind === "words" || line.kind === "unknown" || line.kind === "wrong_number")
    return (
      <Link to="/items" search={line.kind === "words" ? { words: line.text } : {}} className="link">
        Find under Items
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

function Acts({ line: l, run }: { line: Line; run: Run }) {
  const me = useMe();
  const [open, setOpen] = useState(false);
  const undone = (c: Change) => {
    changed(c);
    secureAsIs(c.lines.find((x) => x.id === l.id));
  };
  const undo = useWrite(
    (id: number, key) => api.POST("/api/return-lines/{id}/undo", { params: { path: { id }, header: keyed(key) } }),
    { name: `undo return ${l.id}`, about: `Undoing the return of ${l.title}`, done: undone },
  );
  const more = !l.undone && l.item_id !== undefined && !run.finished;
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
        )}{" "}
        {more && (
          <Quiet aria-expanded={open} onClick={() => setOpen(!open)}>
            More
          </Quiet>
        )}
      </span>
      {undo.problem instanceof Error && <p className="text-sm text-buoy-700">{undo.problem.message}</p>}
      {more && open && (
        <span className="mt-1 grid justify-items-end gap-1 text-sm">
          {l.barcode && <PrintSlip of={{ kind: "line", id: l.id }} />}
          {l.patron_id && (
            <PrintSlip of={{ kind: "back", id: run.id, patron: l.patron_id }}>Receipt for {l.patron}</PrintSlip>
          )}
          <Says
            act="Report missing part"
            label="Missing part"
            name={`missing ${l.id}`}
            about={`Missing part of ${l.title}`}
            send={(what, key) =>
              api.POST("/api/return-lines/{id}/missing", {
                params: { path: { id: l.id }, header: keyed(key) },
                body: { what },
              })
            }
          />
          {l.fine && l.excused === "" && isEmployed(me.role) && (
            <Says
              act="Waive: our error"
              label="What went wrong"
              name={`excuse ${l.id}`}
              about={`Reversing the charge for ${l.title}`}
              send={(reason, key) =>
                api.POST("/api/return-lines/{id}/excuse", {
                  params: { path: { id: l.id }, header: keyed(key) },
                  body: { reason },
                })
              }
            />
          )}
        </span>
      )}
    </>
  );
}

/** Something to do with a line that is said in a few words. */
function Says({
  act,
  label,
  name,
  about,
  send,
}: {
  act: string;
  label: string;
  name: string;
  about: string;
  send: (text: string, key: string) => Promise<Answer<Change>>;
}) {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  const write = useWrite(send, {
    name,
    about,
    done: (c) => {
      setOpen(false);
      changed(c);
    },
  });
  if (!open) return <Quiet onClick={() => setOpen(true)}>{act}</Quiet>;
  return (
    <form
      className="flex flex-wrap items-end justify-end gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        if (text.trim()) write.run(text.trim());
      }}
    >
      <label className="grid gap-1 text-left text-ink-2">
        {label}
        <input className={inputLook} maxLength={200} value={text} onChange={(e) => setText(e.target.value)} />
      </label>
      <Button type="submit" plain busy={write.busy} disabled={!text.trim()}>
        Save
      </Button>
      <Trouble error={write.problem} />
    </form>
  );
}
