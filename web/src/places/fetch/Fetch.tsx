import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { useStore } from "zustand";
import { api, told } from "../../api/client";
import { InHand } from "../../circulation/inhand";
import { Loading } from "../../ui/loading";
import { branchName, useMe } from "../../shell/me";
import { Button, Card, Code, Empty, Head, Quiet, Tag, Trouble } from "../../ui/parts";
import { sayClock, sayInstant } from "../../ui/say";
import { add } from "../../shell/scans/scans";
import { Table, type Column } from "../../ui/table";
import { Why } from "../../shell/why";
import { FullLists } from "./Share";
import { missed, useFoundAfterAll, useGoing, useMissed, type Line } from "./missed";

/** Where it is waited for, and whether for a library outside. */
const sayFor = (f: Line) => `${f.here ? "here" : f.for}${f.interlibrary ? ", interlibrary" : ""}`;

const empty = "Nothing to fetch. Copies on your shelves that are needed for holds appear here.";

const shelf: Column<Line> = {
  id: "shelf",
  head: "Shelf",
  value: (f) => `${f.call_number} ${f.collection}`,
  cell: (f) => (
    <>
      <b className="font-semibold">{f.call_number}</b> {f.volume}
      <br />
      <span className="text-sm text-ink-2">{f.collection}</span>
    </>
  ),
};

const columns: Column<Line>[] = [
  shelf,
  {
    id: "title",
    head: "Title",
    value: (f) => `${f.title} ${f.author} ${f.barcode}`,
    cell: (f) => (
      <>
        <b className="font-semibold">{f.title}</b>
        <br />
        <span className="text-sm text-ink-2">
          {f.author} {f.author && "·"} {f.material} · <Code>{f.barcode}</Code>
        </span>
      </>
    ),
  },
  { id: "for", head: "For", value: sayFor, cell: sayFor },
  {
    id: "run",
    head: "Leaves with",
    value: (f) => f.leaves ?? "",
    cell: (f) => <Run line={f} />,
  },
  { id: "not", head: "If delayed", value: (f) => f.if_not, className: "text-sm" },
  {
    id: "acts",
    head: "Actions",
    unnamed: true,
    right: true,
    screenOnly: true,
    cell: (f) => <Acts line={f} />,
  },
];

/** The run that a line has to make, and when that leaves. */
function Run({ line: f }: { line: Line }) {
  if (f.here) return <span className="text-ink-2">no run needed, pickup here</span>;
  if (!f.leaves) return <Tag tone="buoy">No run</Tag>;
  return (
    <>
      {f.soon ? (
        <Tag tone="amber">{sayClock(f.leaves)}</Tag>
      ) : (
        <b className="font-semibold whitespace-nowrap">
          {f.today ? `today ${sayClock(f.leaves)}` : sayInstant(f.leaves)}
        </b>
      )}
      <span className="block text-sm text-ink-2">{f.run}</span>
    </>
  );
}

/** What to take from the shelves here now, in shelf order. Scanning an item, or a tap on it, says where it goes. */
export function FetchPlace() {
  const me = useMe();
  const name = branchName(me);
  const list = useQuery({ queryKey: ["fetch", me.branch], queryFn: () => told(api.GET("/api/fetch")) });
  const soon = list.data?.filter((f) => f.soon).length ?? 0;
  return (
    <div className="grid gap-3.5">
      <Head
        title="Fetch list"
        says={
          list.data && (
            <>
              {list.data.length} to take from the shelves at {name}, in shelf order.{" "}
              {soon > 0 && <Tag tone="amber">{soon} within two hours</Tag>}
            </>
          )
        }
      />
      <InHand prompt="Scan an item you took from the shelf" />
      <NotFound />
      <FullLists />
      <Card label="To fetch">
        <Loading of={list}>
          {(rows) => (
            <>
              <div className="hidden sm:block print:block">
                <Table
                  label="To fetch"
                  columns={columns}
                  rows={rows}
                  id={(f) => f.hold_id}
                  tools
                  paper={`Fetch list of ${name}, ${sayInstant(me.now)}`}
                  className="max-h-[70vh]"
                  empty={empty}
                />
              </div>
              <Walk rows={rows} />
            </>
          )}
        </Loading>
      </Card>
    </div>
  );
}

/** The list in the hand of somebody who walks along the shelves with a phone. */
function Walk({ rows }: { rows: Line[] }) {
  const [only, setOnly] = useState(false);
  const shown = only ? rows.filter((f) => f.soon) : rows;
  if (rows.length === 0) return <div className="sm:hidden print:hidden">{<Empty>{empty}</Empty>}</div>;
  return (
    <div className="sm:hidden print:hidden">
      <label className="flex items-center gap-2 px-3 py-2">
        <input type="checkbox" checked={only} onChange={(e) => setOnly(e.target.checked)} /> Leaving within two hours
      </label>
      <ol aria-label="To fetch" className="divide-y divide-line">
        {shown.map((f) => (
          <li key={f.hold_id} className="grid gap-1 px-3 py-2.5">
            <div className="flex items-baseline justify-between gap-3">
              <b className="text-lg font-semibold">
                {f.call_number} {f.volume}
              </b>
              <span className="text-right">
                <Run line={f} />
              </span>
            </div>
            <span>
              {f.title} <span className="text-ink-2">{f.author}</span>
            </span>
            <span className="text-sm text-ink-2">
              {f.collection} · <Code>{f.barcode}</Code> · {f.here ? "for here" : `for ${f.for}`}
              {f.interlibrary && ", interlibrary"}
            </span>
            <Acts line={f} />
          </li>
        ))}
      </ol>
    </div>
  );
}

/** What was not found, what came of it, and the way back. */
function NotFound() {
  const { lines } = useStore(missed);
  if (lines.length === 0) return null;
  return (
    <ul aria-label="Not found" className="grid gap-1 text-sm print:hidden">
      {lines.slice(0, 4).map(({ line, came }) => (
        <Gone key={`${line.hold_id} ${line.item_id}`} line={line} says={came.says} missing={came.missing} />
      ))}
    </ul>
  );
}

function Gone({ line, says, missing }: { line: Line; says: string; missing: boolean }) {
  const found = useFoundAfterAll(line);
  return (
    <li className="flex flex-wrap items-center gap-x-3">
      <Tag tone={missing ? "buoy" : "plain"}>{missing ? "Missing" : "Not found"}</Tag>
      <b className="font-semibold">{line.title}</b> <span className="text-ink-2">{says}.</span>
      <Quiet disabled={found.busy} onClick={() => found.run(undefined)}>
        Found after all
      </Quiet>
      {missing && (
        <Link to="/items" search={{ item: line.item_id }} className="link">
          Search log
        </Link>
      )}
      <Trouble error={found.problem} />
    </li>
  );
}

function Acts({ line }: { line: Line }) {
  const notHere = useMissed(line);
  const going = useGoing(line);
  return (
    <>
      <span className="flex items-center justify-end gap-x-3 whitespace-nowrap max-sm:flex-wrap">
        {line.taken_by && !line.mine && <Tag tone="tide">{line.taken_by} is getting it</Tag>}
        <Why trace={line.why}>Why</Why>
        {(!line.taken_by || line.mine) && (
          <Quiet disabled={going.busy} onClick={() => going.run(!line.mine)}>
            {line.mine ? "I’m not getting it" : "I’m getting it"}
          </Quiet>
        )}
        <Quiet disabled={notHere.busy} onClick={() => notHere.run(line.hold_id)}>
          Not found
        </Quiet>
        <Button plain onClick={() => add("in-hand", line.barcode)}>
          Found
        </Button>
      </span>
      <Trouble error={notHere.problem ?? going.problem} />
    </>
  );
}
