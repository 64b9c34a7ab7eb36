import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import { Form, Send } from "../../ui/forms";
import { useDraftWrite } from "./draft";
import type { Cell, Edition, Term } from "./types";
import { initial, plain, ValueField, valueOf } from "./ValueField";

const schemaOf = (term: Term) => z.object({ value: valueOf(term) });

/** Sets all chosen cells to one value; the server finds the fewest rules that say it. */
export function ChangeCells({
  draft,
  term,
  cell,
  grid,
  where,
  onSet,
}: {
  draft: Edition;
  term: Term;
  cell: Cell;
  /** The chosen cells, as codes of row and column. */
  grid: { rows: string; columns: string; cells: string[][]; given: Record<string, string> };
  where: string[];
  onSet: (set: Schema["RulesCellsSet"]) => void;
}) {
  const set = useDraftWrite(
    `cells of ${draft.id}`,
    `Change of draft ${draft.number}`,
    (v: z.infer<ReturnType<typeof schemaOf>>, key) =>
      api.PUT("/api/rulebook/drafts/{id}/cells", {
        params: { path: { id: draft.id }, header: keyed(key) },
        body: {
          revision: draft.revision,
          term: term.id,
          value: plain(term, v.value),
          rows: grid.rows,
          columns: grid.columns,
          cells: grid.cells,
          scope: Object.fromEntries(Object.entries(grid.given).map(([d, v]) => [d, [v]])),
          at: grid.given,
        },
      }),
    (s) => s.edition,
    onSet,
  );
  return (
    <Form
      key={`${term.id} ${cell.says}`}
      label="Change cells"
      schema={schemaOf(term)}
      start={{ value: initial(term, cell) }}
      write={set}
      onSend={set.run}
      className="grid gap-2.5 border-t border-line pt-3"
    >
      <ValueField name="value" term={term} />
      <p className="text-sm text-ink-2">
        {where.length > 0 ? `Only for ${where.join(", ")}.` : "For all other dimensions."}
      </p>
      <Send write={set} className="justify-self-start">
        Save {grid.cells.length > 1 ? "all" : "in the draft"}
      </Send>
    </Form>
  );
}
