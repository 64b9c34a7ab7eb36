import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Card } from "../../ui/parts";
import { sayInstant } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { TakeBack } from "./TakeBack";

type Deed = Schema["RostersDeed"];

const columns: Column<Deed>[] = [
  { id: "at", head: "When", value: (d) => d.at, cell: (d) => sayInstant(d.at) },
  { id: "says", head: "Change", value: (d) => d.says },
  { id: "who", head: "Who", value: (d) => d.who },
  {
    id: "act",
    head: "Undo",
    unnamed: true,
    right: true,
    cell: (d) => <TakeBack deed={d.id} undone={d.undone} />,
  },
];

/** What was done to many at once, newest first; each can be undone. */
export function Deeds() {
  const list = usePages(["deeds"], (after) => told(api.GET("/api/deeds", { params: { query: { after } } })));
  return (
    <Card label="Activity">
      <Loading of={list}>
        {(rows) => (
          <Table
            label="Activity"
            columns={columns}
            rows={rows}
            id={(d) => d.id}
            pages={list.pages}
            empty="No activity yet. Roster changes appear here and can be undone."
          />
        )}
      </Loading>
    </Card>
  );
}
