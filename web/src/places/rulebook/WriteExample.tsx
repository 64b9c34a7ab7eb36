import { dateSays } from "../../ui/dates";
import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { ChoiceField, Form, MomentField, MoneyField, Send, TextField } from "../../ui/forms";
import { Button } from "../../ui/parts";
import { itself, useDraftWrite } from "./draft";
import { capital, dimensions, optionsOf, sayDimension, textOf, type Edition, type Overview } from "./types";

const moment = z.string().regex(/^(\d{4}-\d{2}-\d{2}([T ]\d{2}:\d{2}.*)?)?$/, { error: dateSays });

const schema = z.object({
  name: check.needed("Enter a name."),
  given: z
    .object({
      lending_branch: z.string().min(1, "Choose a branch."),
      lent: moment.refine(Boolean, "Enter when it was lent."),
    })
    .catchall(z.string()),
  returned: moment,
  renewed: moment,
  price: check.maybeSum,
  due: moment,
  fine: check.maybeSum,
});
type Writing = z.infer<typeof schema>;

const given = (from: Record<string, unknown> | undefined, key: string) => textOf(from?.[key]);
const said = (from: Record<string, unknown>) => Object.fromEntries(Object.entries(from).filter(([, v]) => v !== ""));

/** Writes an example: what is given, and what should come of it. Empty expectations are not looked at. */
export function WriteExample({
  book,
  draft,
  example,
  onDone,
}: {
  book: Overview;
  draft: Edition;
  example?: Schema["RulesChecked"];
  onDone: () => void;
}) {
  const was = example?.given;
  const expected = example?.expect;
  const save = useDraftWrite(
    `example ${example?.name ?? "new"} of ${draft.id}`,
    "The example",
    (v: Writing, key) =>
      api.PUT("/api/rulebook/drafts/{id}/examples", {
        params: { path: { id: draft.id }, header: keyed(key) },
        body: {
          revision: draft.revision,
          instead: example?.name,
          example: {
            name: v.name,
            given: said({ ...was, ...v.given, returned: v.returned, renewed: v.renewed, price: v.price }),
            expect: said({ ...expected, due: v.due, fine: v.fine }),
          },
        },
      }),
    itself,
    onDone,
  );
  return (
    <Form
      label="Example"
      schema={schema}
      start={{
        name: example?.name ?? "",
        given: Object.fromEntries([...dimensions, "lent"].map((k) => [k, given(was, k)])),
        returned: given(was, "returned"),
        renewed: given(was, "renewed"),
        price: given(was, "price"),
        due: given(expected, "due"),
        fine: given(expected, "fine"),
      }}
      write={save}
      onSend={save.run}
      className="grid gap-3 rounded-card border border-l-4 border-line border-l-amber-500 bg-surface p-3.5"
    >
      <TextField name="name" label="Name" width="max-w-xl" />
      <div className="grid grid-cols-[repeat(auto-fill,minmax(230px,1fr))] items-start gap-3">
        {dimensions.map((d) => (
          <ChoiceField
            key={d}
            name={`given.${d}`}
            label={capital(sayDimension(d))}
            options={[["", d === "lending_branch" ? "Choose …" : "not set"], ...optionsOf(book, d)]}
          />
        ))}
        <MomentField name="given.lent" label="Lent" />
        <MomentField name="renewed" label="Renewed" />
        <MomentField name="returned" label="Returned" />
        <MoneyField name="price" label="Price" />
        <MomentField name="due" label="Expected due date" />
        <MoneyField name="fine" label="Expected fine" />
      </div>
      <div className="flex gap-2">
        <Send write={save}>Save example in draft</Send>
        <Button plain onClick={onDone}>
          Cancel
        </Button>
      </div>
    </Form>
  );
}
