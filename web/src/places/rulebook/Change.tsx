import { z } from "zod";
import { api, keyed } from "../../api/client";
import { ChoiceField, Form, Send } from "../../ui/forms";
import { itself, useDraftWrite } from "./draft";
import type { Cell, Edition, Term, Value } from "./types";
import { initial, plain, ValueField, valueOf } from "./ValueField";

export interface Cellular {
  row: Value;
  column: Value;
  cell: Cell;
  term: Term;
  /** The branch that is looked at; none: any. */
  branch?: Value;
  zones: Value[];
}

const schemaOf = (term: Term) =>
  z.object({ value: valueOf(term), place: z.string(), materials: z.string(), patrons: z.string() });

/** Sets a term for the chosen cell in a draft, or more widely: for a branch, a zone or all; for one class or all. */
export function Change({ at, draft }: { at: Cellular; draft: Edition }) {
  const places = [
    ["", "The whole network"],
    ...at.zones.map((z) => [z.code, z.name] as const),
    ...(at.branch ? [[at.branch.code, `Only ${at.branch.name}`] as const] : []),
  ] as const;
  const set = useDraftWrite(
    `cell of ${draft.id}`,
    `Change of draft ${draft.number}`,
    (v: z.infer<ReturnType<typeof schemaOf>>, key) => {
      const where = places.find(([code]) => code === v.place)?.[1].toLowerCase();
      const scope: Record<string, string[]> = {};
      if (v.materials) scope.material_class = [v.materials];
      if (v.place) scope.lending_branch = [v.place];
      if (v.patrons) scope.patron_class = [v.patrons];
      return api.PUT("/api/rulebook/drafts/{id}/terms", {
        params: { path: { id: draft.id }, header: keyed(key) },
        body: {
          revision: draft.revision,
          scope,
          term: at.term.id,
          value: plain(at.term, v.value),
          name: [v.materials ? at.column.name : "All material classes", where, v.patrons && at.row.name.toLowerCase()]
            .filter(Boolean)
            .join(", "),
        },
      });
    },
    itself,
  );
  return (
    <Form
      key={`${at.row.code} ${at.column.code} ${at.term.id} ${at.cell.says}`}
      label="Change cell"
      schema={schemaOf(at.term)}
      start={{ value: initial(at.term, at.cell), place: "", materials: at.column.code, patrons: at.row.code }}
      write={set}
      onSend={set.run}
      className="grid gap-2.5 border-t border-line pt-3"
    >
      <b className="font-semibold">Change in draft {draft.number}</b>
      <ValueField name="value" term={at.term} />
      <ChoiceField name="place" label="Where" options={places} />
      <ChoiceField
        name="materials"
        label="Material"
        options={[
          [at.column.code, `Only ${at.column.name.toLowerCase()}`],
          ["", "All material classes"],
        ]}
      />
      <ChoiceField
        name="patrons"
        label="Patrons"
        options={[
          [at.row.code, `Only ${at.row.name.toLowerCase()}`],
          ["", "All patron classes"],
        ]}
      />
      <Send write={set} className="justify-self-start">
        Save in draft
      </Send>
    </Form>
  );
}
