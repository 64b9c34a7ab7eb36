import { useState } from "react";
import { sayCount } from "../../ui/say";
import { useStore } from "zustand";
import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import { useClasses } from "../../circulation/classes";
import * as check from "../../ui/checks";
import { Form, LinesField, Send, TextField } from "../../ui/forms";
import { useMe } from "../../shell/me";
import { Card, Code, Quiet } from "../../ui/parts";
import { usePrompt } from "../../shell/scan";
import { ScanActs, sayState } from "../../shell/scans/lines";
import { useScans } from "../../shell/scans/scans";
import { useWrite } from "../../shell/write";
import { ItemFields, itemSchema, toWriting } from "./ItemForm";
import { PrintLabels } from "./PrintLabels";
import { labels } from "./session";
import { useAgain, type Item } from "./stock";

const schema = z.intersection(
  itemSchema,
  z.object({
    count: z
      .string()
      .trim()
      .regex(/^([1-9]\d{0,2})?$/, "Enter a number from 1 to 200."),
    labels: check.text,
    note: check.text,
  }),
);
type Said = z.infer<typeof schema>;

const lines = (text: string) =>
  text
    .split(/\s*\n\s*|[,;]\s*/)
    .map((t) => t.trim())
    .filter(Boolean);

/** The label of each copy: those that were scanned or typed, and the next numbers for the others. */
const numbersOf = (s: Said, scanned: string[]) => {
  const known = [...scanned, ...lines(s.labels)];
  const more = Math.max(0, Number(s.count || known.length || 1) - known.length);
  return [...known, ...Array<string>(more).fill("")];
};

const fresh = {
  until: "",
  after: "",
  price: "",
  condition: "",
  edition: "",
  volume: "",
  parts: "1",
  parts_say: "",
  age: "",
  period: "",
};
const each = { count: "1", labels: "", note: "" };

/** Copies are added to a title; each gets a label of its own, scanned here or the next number, and it can be printed at once. */
export function NewCopies({
  title,
  name,
  material = "",
  collection = "",
}: {
  title: number;
  name: string;
  material?: string;
  collection?: string;
}) {
  usePrompt("Scan the label of each new copy");
  const me = useMe();
  const again = useAgain();
  const classes = useClasses();
  const scanned = useStore(labels, (l) => (l.title === title ? l.codes : none));
  const [start, setStart] = useState<Said>({
    ...fresh,
    ...each,
    branch: me.branch,
    material,
    collection,
    call: "",
    consent: false,
    stays: false,
  });
  const [sent, setSent] = useState<Said>();
  const [added, setAdded] = useState<Item[]>();
  const add = useWrite(
    (body: Schema["StockCopying"], key) =>
      api.POST("/api/titles/{id}/copies", { params: { path: { id: title }, header: keyed(key) }, body }),
    {
      name: `copies of ${title}`,
      about: `Copies of ${name}`,
      done: (items) => {
        // What is alike stays for the next; labels, number and note are those of these copies.
        if (sent) setStart({ ...sent, ...each });
        labels.setState({ title, codes: [] });
        setAdded(items);
        again();
      },
    },
  );
  if (!classes.ready) return null;
  return (
    <Card label="Add copies" className="grid gap-3 p-3.5">
      <h2 className="font-semibold">Add copies of {name}</h2>
      <Form
        key={added?.[0]?.id}
        label="Add copies"
        schema={schema}
        start={start}
        write={add}
        onSend={(s) => {
          setSent(s);
          add.run({ ...toWriting(s), note: s.note, numbers: numbersOf(s, scanned) });
        }}
        className="grid gap-3"
      >
        <ItemFields />
        <div className="grid gap-2.5 sm:grid-cols-[6rem_1fr_1fr]">
          <TextField name="count" label="Number of copies" inputMode="numeric" />
          <LinesField name="labels" label="Labels, one per line" rows={2} />
          <TextField name="note" label="Note, shown at every return" />
        </div>
        <Scanned title={title} codes={scanned} />
        <span>
          <Send write={add}>Add</Send>
        </span>
      </Form>
      {added && (
        <div role="status" className="grid gap-2 rounded bg-spruce-100 px-3 py-2">
          <p>
            {sayCount(added.length, "copy", "copies")} added:{" "}
            {added.map((i) => (
              <span key={i.id} className="mr-2">
                <Code>{i.barcode}</Code>
              </span>
            ))}
          </p>
          <PrintLabels items={added} />
        </div>
      )}
    </Card>
  );
}

const none: string[] = [];

/** Labels that were scanned for these copies, and what was scanned and is none. */
function Scanned({ title, codes }: { title: number; codes: string[] }) {
  const odd = useScans("items", `copies ${title}`);
  if (codes.length === 0 && odd.length === 0) return null;
  return (
    <ul aria-label="Labels scanned" aria-live="polite" className="grid gap-0.5">
      {codes.map((c) => (
        <li key={c} className="flex gap-2">
          <Code>{c}</Code>
          <Quiet
            aria-label={`Remove ${c}`}
            onClick={() => labels.setState({ title, codes: codes.filter((x) => x !== c) })}
          >
            remove
          </Quiet>
        </li>
      ))}
      {odd.map((s) => (
        <li key={s.id} className="flex flex-wrap gap-x-2">
          <Code>{s.text}</Code> {sayState(s)} <ScanActs scan={s} />
        </li>
      ))}
    </ul>
  );
}
