import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { useStore } from "zustand";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Button, Card, Code, Empty, Head, Quiet } from "../../ui/parts";
import { usePrompt } from "../../shell/scan";
import { ScanActs, sayState } from "../../shell/scans/lines";
import { useScans, type Scan } from "../../shell/scans/scans";
import { sayInstant } from "../../ui/say";
import { useTop } from "../../ui/top";
import { Report } from "./Report";
import { answered } from "./session";
import { ShelfScan } from "./ShelfScan";

type Inventory = Schema["StockInventory"];

/** One shelf that is walked along: each scan says what it met, and then what is out of order and what was not seen. */
export function Shelf({ id }: { id: number }) {
  useTop();
  const queries = useQueryClient();
  const scans = useStore(answered, (a) => a.scans);
  useEffect(() => {
    if (scans > 0) void queries.invalidateQueries({ queryKey: ["shelf", id] });
  }, [scans, queries, id]);
  const one = useQuery({
    queryKey: ["shelf", id],
    queryFn: () => told(api.GET("/api/inventories/{id}", { params: { path: { id } } })),
  });
  return <Loading of={one}>{(v) => <Along shelf={v} />}</Loading>;
}

function Along({ shelf: v }: { shelf: Inventory }) {
  usePrompt(v.finished_at ? "This shelf check is finished" : "Scan the items in shelf order");
  const navigate = useNavigate();
  const [report, setReport] = useState(!!v.finished_at);
  return (
    <div className="grid gap-3.5">
      <Head
        title={v.name}
        says={`${v.branch}, ${v.collection}; ${v.scans} scanned${v.finished_at ? `, finished ${sayInstant(v.finished_at)}` : ""}`}
      >
        <Button plain={report} aria-expanded={report} onClick={() => setReport(!report)}>
          {report ? "Scans" : "Result"}
        </Button>
        <Button plain onClick={() => void navigate({ to: "/items", search: { tab: "shelves" } })}>
          All shelf checks
        </Button>
      </Head>
      <Unanswered shelf={v} />
      {report ? <Report shelf={v} /> : <Lines shelf={v} />}
    </div>
  );
}

/** What was scanned in this window and is not answered, or was refused: it stands above, whatever is looked at. */
function Unanswered({ shelf: v }: { shelf: Inventory }) {
  const here = useScans("items", `shelf ${v.id}`).filter((s) => !s.result);
  if (here.length === 0) return null;
  return (
    <Card label="No answer">
      <ul aria-live="polite" className="divide-y divide-line">
        {here.map((s) => (
          <Waiting key={s.id} scan={s} />
        ))}
      </ul>
    </Card>
  );
}

/** All that has been scanned along the shelf, newest first. */
function Lines({ shelf: v }: { shelf: Inventory }) {
  const list = usePages(["shelf", v.id, "lines"], (after) =>
    told(api.GET("/api/inventories/{id}/lines", { params: { path: { id: v.id }, query: { after } } })),
  );
  return (
    <Card label="Scans of this shelf check">
      <Loading of={list}>
        {(rows) =>
          rows.length === 0 ? (
            <Empty>Scan the items in shelf order. Anything wrong is shown at once.</Empty>
          ) : (
            <>
              <ul aria-live="polite" className="max-h-[66vh] divide-y divide-line overflow-auto">
                {rows.map((l) => (
                  <ShelfScan key={l.id} line={l} open={!v.finished_at} />
                ))}
              </ul>
              {list.pages.hasMore && (
                <p className="px-3.5 py-2">
                  <Quiet onClick={list.pages.fetchMore}>Show more</Quiet>
                </p>
              )}
            </>
          )
        }
      </Loading>
    </Card>
  );
}

const Waiting = ({ scan }: { scan: Scan }) => (
  <li className="flex flex-wrap items-baseline gap-x-2 px-3.5 py-1.5">
    <Code>{scan.text}</Code>
    <span className="flex-1">{sayState(scan)}</span>
    <ScanActs scan={scan} />
  </li>
);

/** What a scan met, in a word or two. */
