import { useQuery, useQueryClient } from "@tanstack/react-query";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../kit/checks";
import { ChoiceField, Form, Send, TextField, useDirty, type Option } from "../../kit/forms";
import { Button, Card, Trouble } from "../../kit/parts";
import { useWrite } from "../../kit/write";

type Item = Schema["CatalogueItem"];

const noteSchema = z.object({ text: check.text.max(500, "At most 500 letters.") });
const classSchema = z.object({ material: z.string(), collection: z.string() });

/** What is on record about one item: its note, how it is classed, whether it is in use. */
export function Tend({ item }: { item: Item }) {
  const queries = useQueryClient();
  const book = useQuery({ queryKey: ["rulebook"], queryFn: () => told(api.GET("/api/rulebook")) });
  const path = { id: item.id };
  const done = () => {
    void queries.invalidateQueries({ queryKey: ["items"] });
    void queries.invalidateQueries({ queryKey: ["history"] });
  };
  const note = useWrite(
    (body: z.infer<typeof noteSchema>, key) =>
      api.PUT("/api/items/{id}/note", { params: { path, header: keyed(key) }, body }),
    { name: `note of ${item.id}`, about: `The note of ${item.title}`, done },
  );
  const classing = useWrite(
    (body: z.infer<typeof classSchema>, key) =>
      api.PUT("/api/items/{id}/classing", { params: { path, header: keyed(key) }, body }),
    { name: `class of ${item.id}`, about: `The class of ${item.title}`, done },
  );
  const back = useWrite(
    (_: void, key) => api.POST("/api/items/{id}/in-use", { params: { path, header: keyed(key) } }),
    { name: `in use ${item.id}`, about: `Putting ${item.title} back in use`, done },
  );
  const values = book.data?.dimensions;
  const options = (dimension: string): Option[] => (values?.[dimension] ?? []).map((v) => [v.code, v.name] as const);
  return (
    <Card label="On record" className="flex flex-wrap items-end gap-x-6 gap-y-3 p-3.5">
      <Form
        schema={noteSchema}
        start={{ text: item.note }}
        write={note}
        onSend={note.run}
        className="flex flex-wrap items-end gap-2"
      >
        <TextField name="text" label="Note, shown whenever it comes back" width="w-72 max-w-full" />
        <Changed write={note}>Keep the note</Changed>
      </Form>
      {values && (
        <Form
          schema={classSchema}
          start={{ material: item.material_code, collection: item.collection_code }}
          write={classing}
          onSend={classing.run}
          className="flex flex-wrap items-end gap-2"
        >
          <ChoiceField name="material" label="Material class" options={options("material_class")} />
          <ChoiceField name="collection" label="Collection" options={options("collection")} />
          <Changed write={classing}>Correct the class</Changed>
        </Form>
      )}
      {item.tone === "aside" && item.standing !== "withdrawn" && (
        <Button busy={back.busy} onClick={() => back.run()}>
          Back in use
        </Button>
      )}
      <Trouble error={back.problem ?? book.error} />
    </Card>
  );
}

/** Sends a form once it says something new. */
function Changed({ write, children }: { write: { busy: boolean }; children: string }) {
  const dirty = useDirty();
  return (
    <Send plain write={write} disabled={!dirty}>
      {children}
    </Send>
  );
}
