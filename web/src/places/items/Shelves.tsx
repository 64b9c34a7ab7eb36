import { Link, useNavigate } from "@tanstack/react-router";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import { useClasses } from "../../kit/classes";
import * as check from "../../kit/checks";
import { ChoiceField, Form, Send, TextField } from "../../kit/forms";
import { Loading } from "../../kit/loading";
import { usePages } from "../../kit/pages";
import { Card, Tag } from "../../kit/parts";
import { sayInstant } from "../../kit/say";
import { Table, type Column } from "../../kit/table";
import { useWrite } from "../../kit/write";

type Inventory = Schema["StockInventory"];

const schema = z.object({ name: check.needed("Say which shelves these are."), collection: z.string() });

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
  { id: "opened", head: "Begun", value: (v) => v.opened_at, cell: (v) => `${sayInstant(v.opened_at)}, ${v.who}` },
  { id: "scans", head: "Scans", value: (v) => v.scans, right: true },
  { id: "missing", head: "Not seen, missing", value: (v) => v.missing || "", right: true },
  {
    id: "state",
    head: "State",
    value: (v) => (v.finished_at ? "finished" : "under way"),
    cell: (v) => <Tag tone={v.finished_at ? "plain" : "tide"}>{v.finished_at ? "finished" : "under way"}</Tag>,
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
      about: "Beginning along a shelf",
      done: (v) => void navigate({ to: "/items", search: { shelf: v.id } }),
    },
  );
  return (
    <>
      <Card label="Begin along a shelf" className="p-3.5">
        <Form
          label="Begin along a shelf"
          schema={schema}
          start={{ name: "", collection: "" }}
          write={open}
          onSend={open.run}
          className="flex flex-wrap items-end gap-2.5"
        >
          <TextField name="name" label="Which shelves" placeholder="Films, window side" width="w-72" maxLength={120} />
          <ChoiceField name="collection" label="Of which collection" options={[["", "any"], ...classes.collections]} />
          <Send write={open}>Begin</Send>
        </Form>
      </Card>
      <Card label="Along a shelf">
        <Loading of={list}>
          {(rows) => (
            <Table
              label="Along a shelf"
              columns={columns}
              rows={rows}
              id={(v) => v.id}
              pages={list.pages}
              className="max-h-[60vh]"
              empty="No shelf of this branch has been walked along yet. Begin one, and scan what stands there in its order."
            />
          )}
        </Loading>
      </Card>
    </>
  );
}
