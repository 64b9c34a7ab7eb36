import { useState } from "react";
import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import { useClasses } from "../../circulation/classes";
import * as check from "../../ui/checks";
import { Form, Send, TextField, useDirty } from "../../ui/forms";
import { Card, Quiet } from "../../ui/parts";
import { useWrite } from "../../shell/write";
import { ItemFields, itemSchema, toSaid, toWriting } from "./ItemForm";
import { useAgain, type Item } from "./stock";

const schema = z.intersection(itemSchema, z.object({ number: check.needed("Enter a label.") }));
const noteSchema = z.object({ text: check.text.max(500, "Enter at most 500 characters.") });

/** What is on record of an item, to be written anew: its note, and the rest. */
export function ItemRecord({ item: i }: { item: Item }) {
  const classes = useClasses();
  if (!classes.ready) return null;
  return (
    <Card label="Record" className="grid gap-3 p-3.5">
      <Note item={i} />
      <Rest item={i} />
    </Card>
  );
}

/**
 * What a form began with. It stays as it was until this form has been kept, whatever others change meanwhile: what is typed is not
 * lost, and who comes second is told.
 */
function useSeen(item: Item) {
  const [kept, setKept] = useState(0);
  const [seen, setSeen] = useState({ kept, item });
  if (seen.kept !== kept && seen.item !== item) setSeen({ kept, item });
  const keep = () => setKept((n) => n + 1);
  return { seen: seen.item, key: seen.kept, keep, anew: () => (keep(), setSeen({ kept: kept + 1, item })) };
}

function Note({ item: i }: { item: Item }) {
  const again = useAgain();
  const { seen, key, keep } = useSeen(i);
  const note = useWrite(
    (body: z.infer<typeof noteSchema>, k) =>
      api.PUT("/api/items/{id}/note", { params: { path: { id: i.id }, header: keyed(k) }, body }),
    { name: `note of ${i.id}`, about: `The note of ${i.title}`, done: () => (keep(), again()) },
  );
  return (
    <Form
      key={key}
      label="Note"
      schema={noteSchema}
      start={{ text: seen.note }}
      write={note}
      onSend={note.run}
      className="flex flex-wrap items-end gap-2"
    >
      <TextField name="text" label="Note, shown at every return" width="w-96 max-w-full" />
      <Changed write={note}>Save note</Changed>
    </Form>
  );
}

function Rest({ item: i }: { item: Item }) {
  const again = useAgain();
  const { seen, key, keep, anew } = useSeen(i);
  const change = useWrite(
    (body: Schema["StockChanging"], k) =>
      api.PUT("/api/items/{id}", { params: { path: { id: i.id }, header: keyed(k) }, body }),
    { name: `record of ${i.id}`, about: `The record of ${i.title}`, done: () => (keep(), again()) },
  );
  return (
    <Form
      key={key}
      label="Record"
      schema={schema}
      start={{ ...toSaid(seen), number: seen.barcode }}
      write={change}
      onSend={(s) => change.run({ ...toWriting(s, seen.own_terms), number: s.number, revision: seen.revision })}
      className="grid gap-3"
    >
      <ItemFields />
      <span className="flex flex-wrap items-end gap-2.5">
        <TextField name="number" label="Label" />
        <Changed write={change}>Save record</Changed>
      </span>
      {i.revision !== seen.revision && (
        <p role="status" className="text-amber-700">
          Somebody changed this record after you opened it. The current values are shown above.{" "}
          <Quiet onClick={anew}>Start again from there</Quiet>
        </p>
      )}
    </Form>
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
