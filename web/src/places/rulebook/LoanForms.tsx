import { useState } from "react";
import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { ChoiceField, Form, Send, TextField, useDirty } from "../../ui/forms";
import { Card } from "../../ui/parts";
import { useWrite } from "../../shell/write";
import { optionsOf, type Overview } from "./types";

type Terms = Schema["RulesLoanTerms"];

const classing = z.object({ code: z.string() });
type Classing = z.infer<typeof classing>;

/** Corrects what item and patron are classed as. Loans already made keep their terms. */
export function Classes({ l, book, onDone }: { l: Terms; book: Overview; onDone: (text: string) => void }) {
  const says = (what: string) =>
    `The ${what}’s class is corrected. Existing loans keep their terms; the next one uses it.`;
  const item = useWrite(
    (v: Classing, key) =>
      api.PUT("/api/items/{id}/classing", {
        params: { path: { id: l.item_id }, header: keyed(key) },
        body: { material: v.code, collection: l.collection },
      }),
    { name: `class of ${l.item_id}`, about: "The item's class", done: () => onDone(says("item")) },
  );
  const person = l.patron_id;
  const patron = useWrite(
    (v: Classing, key) =>
      api.PUT("/api/patrons/{id}/class", {
        params: { path: { id: person ?? 0 }, header: keyed(key) },
        body: { class: v.code },
      }),
    { name: `class of patron ${person ?? 0}`, about: "The patron's class", done: () => onDone(says("patron")) },
  );
  return (
    <div className="grid gap-2 border-t border-line pt-2">
      <Class
        label="The item is really a"
        now={l.material}
        options={optionsOf(book, "material_class")}
        write={item}
        onSend={item.run}
      />
      {person && (
        <Class
          label="The patron is really"
          now={l.patron_class}
          options={optionsOf(book, "patron_class")}
          write={patron}
          onSend={patron.run}
        />
      )}
    </div>
  );
}

/** One class, corrected on purpose and not by walking through the choices. */
function Class({
  label,
  now,
  options,
  write,
  onSend,
}: {
  label: string;
  now: string;
  options: (readonly [string, string])[];
  write: { busy: boolean; problem?: unknown };
  onSend: (v: Classing) => void;
}) {
  return (
    <Form
      schema={classing}
      start={{ code: now }}
      write={write}
      onSend={onSend}
      className="grid grid-cols-[1fr_auto] items-end gap-2"
    >
      <ChoiceField name="code" label={label} options={options} />
      <Correct write={write} />
    </Form>
  );
}

function Correct({ write }: { write: { busy: boolean } }) {
  const dirty = useDirty();
  return (
    <Send plain write={write} disabled={!dirty}>
      Correct class
    </Send>
  );
}

const reporting = z.object({ happened: z.string().trim().min(3, "Enter what happened."), expected: check.text });

/** Tells the supervisor that terms seem wrong, with card and item. */
export function ReportForm({ l, onDone }: { l: Terms; onDone: (text: string) => void }) {
  const [sent, setSent] = useState(0);
  const report = useWrite(
    (v: z.infer<typeof reporting>, key) =>
      api.POST("/api/reports", {
        params: { header: keyed(key) },
        body: { loan: l.loan_id || undefined, item: l.item_id, patron: l.patron_id, ...v },
      }),
    {
      name: `report ${l.loan_id} ${l.item_id}`,
      about: "The report",
      done: () => {
        setSent(sent + 1);
        onDone("Reported to the supervisor, with card and item.");
      },
    },
  );
  return (
    <Card label="Report a problem" className="p-3.5">
      <Form
        key={sent}
        label="Report a problem"
        schema={reporting}
        start={{ happened: "", expected: "" }}
        write={report}
        onSend={report.run}
        className="grid gap-2"
      >
        <b className="font-semibold">Report to the supervisor</b>
        <TextField name="happened" label="What happened" />
        <TextField name="expected" label="What you expected" />
        <Send plain write={report} className="justify-self-start">
          Send report
        </Send>
      </Form>
    </Card>
  );
}
