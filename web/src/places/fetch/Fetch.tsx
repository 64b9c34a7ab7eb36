import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, keyed, told, type Schema } from "../../api/client";
import { InHand } from "../../kit/inhand";
import { Loading } from "../../kit/loading";
import { branchName, useMe } from "../../kit/me";
import { Card, Code, Head, Quiet, Trouble } from "../../kit/parts";
import { sayInstant } from "../../kit/say";
import { Table, type Column } from "../../kit/table";
import { Why } from "../../kit/why";
import { useWrite } from "../../kit/write";

type Fetch = Schema["HoldsFetch"];

const columns: Column<Fetch>[] = [
  {
    id: "shelf",
    head: "Shelf",
    value: (f) => `${f.call_number} ${f.collection}`,
    cell: (f) => (
      <>
        <b className="font-semibold">{f.call_number}</b>
        <br />
        <span className="text-sm text-ink-2">{f.collection}</span>
      </>
    ),
  },
  {
    id: "title",
    head: "Title",
    value: (f) => `${f.title} ${f.author}`,
    cell: (f) => (
      <>
        <b className="font-semibold">{f.title}</b>
        <br />
        <span className="text-sm text-ink-2">
          {f.author} {f.author && "·"} {f.material}
        </span>
      </>
    ),
  },
  { id: "number", head: "Number", value: (f) => f.barcode, cell: (f) => <Code>{f.barcode}</Code> },
  { id: "for", head: "For", value: (f) => f.for },
  { id: "promised", head: "Promised", value: (f) => f.promise },
  {
    id: "acts",
    head: "Why and not found",
    unnamed: true,
    right: true,
    screenOnly: true,
    cell: (f) => <Acts line={f} />,
  },
];

/** What to take from the shelves here now, in shelf order. Scanning an item says where it goes. */
export function FetchPlace() {
  const me = useMe();
  const name = branchName(me);
  const list = useQuery({ queryKey: ["fetch", me.branch], queryFn: () => told(api.GET("/api/fetch")) });
  return (
    <div className="grid gap-3.5">
      <Head
        title="Fetch list"
        says={list.data && `${list.data.length} to take from the shelves at ${name}, in shelf order.`}
      />
      <InHand prompt="Scan an item taken from the shelf" />
      <Card label="To fetch">
        <Loading of={list}>
          {(rows) => (
            <Table
              label="To fetch"
              columns={columns}
              rows={rows}
              id={(f) => f.hold_id}
              tools
              paper={`Fetch list of ${name}, ${sayInstant(me.now)}`}
              className="max-h-[70vh]"
              empty="Nothing to fetch. When a hold is routed to a copy on your shelves, it stands here."
            />
          )}
        </Loading>
      </Card>
    </div>
  );
}

function Acts({ line }: { line: Fetch }) {
  const queries = useQueryClient();
  const missed = useWrite(
    (id: number, key) => api.POST("/api/holds/{id}/missed", { params: { path: { id }, header: keyed(key) } }),
    {
      name: `missed ${line.hold_id}`,
      about: `${line.title} not found`,
      done: () => void queries.invalidateQueries({ queryKey: ["fetch"] }),
    },
  );
  return (
    <>
      <Why trace={line.why}>Why</Why>{" "}
      <Quiet disabled={missed.busy} onClick={() => missed.run(line.hold_id)}>
        Not found
      </Quiet>
      <Trouble error={missed.problem} />
    </>
  );
}
