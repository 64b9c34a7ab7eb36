import { useQuery } from "@tanstack/react-query";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { Form, Send, TextField, TickField } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { Card, Empty, Tag } from "../../ui/parts";
import { sayInstant } from "../../ui/say";
import { useWrite } from "../../shell/write";
import { useAgain } from "./stock";

const schema = z.object({ place: check.needed("Enter where you looked."), found: z.boolean() });

/** Who looked where for something, and one more look. */
export function Looks({ item }: { item: { id: number; title: string } }) {
  const again = useAgain();
  const looks = useQuery({
    queryKey: ["looks", item.id],
    queryFn: () => told(api.GET("/api/items/{id}/looks", { params: { path: { id: item.id } } })),
  });
  const look = useWrite(
    (body: Schema["StockLooking"], key) =>
      api.POST("/api/items/{id}/looks", { params: { path: { id: item.id }, header: keyed(key) }, body }),
    { name: `look for ${item.id}`, about: `Searching for ${item.title}`, done: again },
  );
  return (
    <Card label="Search log">
      <h2 className="px-3.5 pt-2.5 font-semibold">Search log</h2>
      <Loading of={looks} lines={2}>
        {(rows) =>
          rows.length === 0 ? (
            <Empty>No searches recorded yet.</Empty>
          ) : (
            <ul className="px-3.5 py-1.5">
              {rows.map((l) => (
                <li key={l.at} className="flex flex-wrap gap-x-2">
                  <Tag tone={l.found ? "spruce" : "plain"}>{l.found ? "Found" : "Not found"}</Tag>
                  <b className="font-semibold">{l.place}</b>
                  <span className="text-ink-2">
                    {l.who}, {l.branch}, {sayInstant(l.at)}
                  </span>
                </li>
              ))}
            </ul>
          )
        }
      </Loading>
      <Form
        key={looks.data?.length ?? 0}
        label="Add a search"
        schema={schema}
        start={{ place: "", found: false }}
        write={look}
        onSend={look.run}
        className="flex flex-wrap items-end gap-2.5 border-t border-line p-3.5"
      >
        <TextField name="place" label="Where you looked" width="w-72 max-w-full" maxLength={200} />
        <TickField name="found" label="Found" className="pb-1.5" />
        <Send plain write={look}>
          Save
        </Send>
      </Form>
    </Card>
  );
}
