import { Link, useNavigate } from "@tanstack/react-router";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import { useClasses } from "../../circulation/classes";
import * as check from "../../ui/checks";
import { ChoiceField, Form, Send, TextField } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Card, Tag } from "../../ui/parts";
import { sayInstant } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { useWrite } from "../../shell/write";

type Inventory = Schema["StockInventory"];

const schema = z.object({ name: check.needed("Enter which shelves these are."), collection: z.string() });

const columns: Column<Inventory>[] = [
  {
    id: "name",
    head: "Shelves",
    value: (v) => v.name,
    cell: (v) => (
      <Link to="/items" search={{ shelf: v.id }} className="link font-semibold">
        {v.name}
      </Link>
    ),
  },
  { id: "collection", head: "Collection", value: (v) => v.collection },
  { id: "opened", head: "Started", value: (v) => v.opened_at, cell: (v) => `${sayInstant(v.opened_at)}, ${v.who}` },
  { id: "scans", head: "Scans", value: (v) => v.scans, right: true },
  { id: "missing", head: "Not scanned, missing", value: (v) => v.missing || "", right: true },
  {
    id: "state",
    head: "Status",
    value: (v) => (v.finished_at ? "finished" : "in progress"),
    cell: (v) => <Tag tone={v.finished_at ? "plain" : "tide"}>{v.finished_at ? "finished" : "in progress"}</Tag>,
  },
];

/** Shelves of this branch that are walked along with a scanner: begun, gone on with, looked back at. */
export function Shelves() {
  const navigate = useNavigate();
  const classes = useClasses();
  const list = usePages(["shelf", "list"], (after) =>
    told(api.GET("/api/inventories", { params: { query: { after } } })),
  );
  const open = useWrite(
    (body: Schema["StockOpening"], key) => api.POST("/api/inventories", { params: { header: keyed(key) }, body }),
    {
      name: "begin an inventory",
      about: "Starting a shelf check",
      go: (v) => void navigate({ to: "/items", search: { shelf: v.id } }),
    },
  );
  return (
    <>
      <Card label="Start a shelf check" className="p-3.5">
        <Form
          label="Start a shelf check"
          schema={schema}
          start={{ name: "", collection: "" }}
          write={open}
          onSend={open.run}
          className="flex flex-wrap items-end gap-2.5"
        >
          <TextField name="name" label="Shelves" placeholder="Films, window side" width="w-72" maxLength={120} />
          <ChoiceField name="collection" label="Collection" options={[["", "any"], ...classes.collections]} />
          <Send write={open}>Start</Send>
        </Form>
      </Card>
      <Card label="Shelf check">
        <Loading of={list}>
          {(rows) => (
            <Table
              label="Shelf check"
              columns={columns}
              rows={rows}
              id={(v) => v.id}
              pages={list.pages}
              className="max-h-[60vh]"
              empty="No shelf checks at this branch yet. Start one and scan the items in shelf order."
            />
          )}
        </Loading>
      </Card>
    </>
  );
}
