import { useState } from "react";
import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { ChipsField, Form, Send, TextField, saysOf, useSet } from "../../ui/forms";
import { Button, Field, inputLook, Quiet } from "../../ui/parts";
import { itself, useDraftWrite } from "./draft";
import { capital, dimensions, optionsOf, sayDimension, type Edition, type Overview, type Term } from "./types";
import { beginning, mistake, plain, typed, ValueField } from "./ValueField";

type Rule = Schema["RulesRule"];

const schemaOf = (terms: Term[]) =>
  z.object({
    name: check.needed("Enter a name."),
    scope: z.record(z.string(), z.array(z.string()).optional()),
    terms: z.record(z.string(), z.string()).superRefine((values, context) => {
      for (const [id, text] of Object.entries(values)) {
        const term = terms.find((t) => t.id === id);
        const message = term && mistake(term, text);
        if (message) context.addIssue({ code: "custom", message, path: [id] });
      }
    }),
  });
type Writing = z.infer<ReturnType<typeof schemaOf>>;

const useSaid = saysOf<Writing>();

/** What a person has written of a rule, without how it is used. */
const told = (r?: Rule) => [r?.name, r?.scope, r?.terms];

/** Writes a rule, or changes one: its name, where it holds, and what it settles. */
export function WriteRule({
  book,
  draft,
  rule,
  scope,
  onDone,
}: {
  book: Overview;
  draft: Edition;
  rule?: Rule;
  scope?: Record<string, string[]>;
  onDone: () => void;
}) {
  const [opened] = useState(rule); // as it was when it was opened, to tell whether somebody has changed it meanwhile
  const changed = JSON.stringify(told(opened)) !== JSON.stringify(told(rule));
  const term = (id: string) => book.terms.find((t) => t.id === id);
  const save = useDraftWrite(
    `rule ${rule?.id ?? "new"} of ${draft.id}`,
    "The rule",
    (v: Writing, key) =>
      api.PUT("/api/rulebook/drafts/{id}/rules", {
        params: { path: { id: draft.id }, header: keyed(key) },
        body: {
          revision: draft.revision,
          instead: rule?.id,
          rule: {
            id: rule?.id ?? "",
            name: v.name,
            scope: Object.fromEntries(
              Object.entries(v.scope).flatMap(([d, some]) => (some && some.length > 0 ? [[d, some] as const] : [])),
            ),
            terms: Object.fromEntries(
              Object.entries(v.terms).flatMap(([id, text]) => {
                const t = term(id);
                return t ? [[id, plain(t, text)] as const] : [];
              }),
            ),
          },
        },
      }),
    itself,
    onDone,
  );
  const settled = Object.entries((rule?.terms ?? {}) as Record<string, unknown>);
  return (
    <Form
      label={rule ? `Edit ${rule.name}` : "Add rule"}
      schema={schemaOf(book.terms)}
      start={{
        name: rule?.name ?? "",
        scope: rule?.scope ?? scope ?? {},
        terms: Object.fromEntries(
          settled.flatMap(([id, v]) => {
            const t = term(id);
            return t ? [[id, typed(t, v)] as const] : [];
          }),
        ),
      }}
      write={save}
      onSend={save.run}
      className="grid gap-3 rounded-card border border-l-4 border-line border-l-amber-500 bg-surface p-3.5"
    >
      {changed && (
        <p role="status" className="rounded-card bg-amber-100 px-3 py-2 text-amber-700">
          Somebody changed this rule meanwhile. It now says: {rule?.sentence} Saving here replaces it.
        </p>
      )}
      <TextField name="name" label="Name" width="max-w-xl" />
      {!rule?.base &&
        dimensions.map((d) => (
          <ChipsField
            key={d}
            name={`scope.${d}`}
            label={capital(sayDimension(d))}
            says="any"
            options={[...(d.endsWith("branch") ? optionsOf(book, "zone") : []), ...optionsOf(book, d)]}
          />
        ))}
      <Terms all={book.terms} />
      <Ends write={save} onClose={onDone} />
    </Form>
  );
}

/** What the rule settles, and what else it could. */
function Terms({ all }: { all: Term[] }) {
  const terms = useSaid("terms");
  const set = useSet<Writing>();
  const settled = all.filter((t) => t.id in terms);
  return (
    <div className="grid grid-cols-[repeat(auto-fill,minmax(230px,1fr))] items-start gap-3">
      {settled.map((t) => (
        <div key={t.id} className="grid gap-0.5">
          <ValueField name={`terms.${t.id}`} term={t} />
          <Quiet
            className="justify-self-start"
            onClick={() => set("terms", Object.fromEntries(Object.entries(terms).filter(([x]) => x !== t.id)))}
          >
            Remove this term
          </Quiet>
        </div>
      ))}
      <Field label="Add a term">
        <select
          className={inputLook}
          value=""
          onChange={(e) => {
            const t = all.find((x) => x.id === e.target.value);
            if (t) set("terms", { ...terms, [t.id]: beginning(t) });
          }}
        >
          <option value="">Choose …</option>
          {all
            .filter((t) => !(t.id in terms))
            .map((t) => (
              <option key={t.id} value={t.id}>
                {t.name}
              </option>
            ))}
        </select>
      </Field>
    </div>
  );
}

function Ends({ write, onClose }: { write: { busy: boolean }; onClose: () => void }) {
  const terms = useSaid("terms");
  return (
    <div className="flex gap-2">
      <Send write={write} disabled={Object.keys(terms).length === 0}>
        Save in draft
      </Send>
      <Button plain onClick={onClose}>
        Cancel
      </Button>
    </div>
  );
}
