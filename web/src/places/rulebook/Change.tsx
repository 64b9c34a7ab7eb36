import { useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { Button, Field, inputLook } from "../../kit/parts";
import { initial, plain, ValueField } from "./ValueField";

type Value = Schema["RulesValue"];

export interface Cellular {
  row: Value;
  column: Value;
  cell: Schema["RulesCell"];
  term: Schema["RulebookTermInfo"];
  branch: string;
  branchName: string;
  dimensions: Record<string, Value[]>;
}

/** Sets a term for the chosen cell in a draft, as widely as one likes: this branch or its zone, one class or all. */
export function Change({
  at,
  draft,
  onDone,
}: {
  at: Cellular;
  draft: Schema["RulesEdition"];
  onDone: (p: Promise<Schema["RulesEdition"]>) => void;
}) {
  const [text, setText] = useState<string>();
  const [place, setPlace] = useState("");
  const [patrons, setPatrons] = useState("");
  const places = [
    { code: "", name: "The whole network" },
    ...(at.dimensions.zone ?? []),
    { code: at.branch, name: `Only ${at.branchName}` },
  ];
  const value = text ?? initial(at.term, at.cell);
  const set = () => {
    const scope: Record<string, string[]> = { material_class: [at.column.code] };
    if (place) scope.lending_branch = [place];
    if (patrons) scope.patron_class = [patrons];
    const where = places.find((p) => p.code === place)!.name.toLowerCase();
    onDone(
      told(
        api.PUT("/api/rulebook/drafts/{id}/terms", {
          params: { path: { id: draft.id }, header: newKey() },
          body: {
            revision: draft.revision,
            scope,
            term: at.term.id,
            value: plain(at.term, value),
            name: `${at.column.name}, ${where}${patrons ? `, ${at.row.name.toLowerCase()}` : ""}`,
          },
        }),
      ),
    );
  };
  return (
    <div className="grid gap-2.5 border-t border-line pt-3">
      <b className="font-semibold">Change it in draft {draft.number}</b>
      <ValueField term={at.term} cell={at.cell} value={text} onChange={setText} />
      <Field label="Where">
        <select className={inputLook} value={place} onChange={(e) => setPlace(e.target.value)}>
          {places.map((p) => (
            <option key={p.code} value={p.code}>
              {p.name}
            </option>
          ))}
        </select>
      </Field>
      <Field label="For whom">
        <select className={inputLook} value={patrons} onChange={(e) => setPatrons(e.target.value)}>
          <option value="">All patron classes</option>
          <option value={at.row.code}>Only {at.row.name.toLowerCase()}</option>
        </select>
      </Field>
      <Button className="justify-self-start" onClick={set}>
        Set in the draft
      </Button>
    </div>
  );
}
