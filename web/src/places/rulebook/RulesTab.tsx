import { sayCount } from "../../ui/say";
import { useQuery } from "@tanstack/react-query";
import { useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { Button, Card, Empty, Field, inputLook, Quiet, Tag, Trouble } from "../../ui/parts";
import { heldFor, itself, useDraftWrite } from "./draft";
import { Ranking } from "./Ranking";
import type { Edition, Working } from "./types";
import { WriteRule } from "./WriteRule";

type Rule = Schema["RulesRule"];

const filters = {
  all: { name: "All rules", has: () => true },
  conflicts: { name: "In conflict", has: (r: Rule) => r.conflicts.length > 0 },
  idle: { name: "Without effect", has: (r: Rule) => r.idle.length > 0 },
  unused: { name: "Not used in the last year", has: (r: Rule) => r.loans === 0 },
};
type Filter = keyof typeof filters;

/** All rules as sentences, with what is odd about them; in a draft they are written, changed and removed here. */
export function RulesTab({ book, edition, draft }: Working) {
  const [filter, setFilter] = useState<Filter>("all");
  const [words, setWords] = useState("");
  const { rule: begun } = useSearch({ from: "/rulebook" }); // a scope to begin a rule with, such as of a loan
  const [editing, setEditing] = useState<string | undefined>(begun ? "new" : undefined);
  const list = useQuery({
    queryKey: ["rules", edition.id, edition.revision],
    placeholderData: heldFor(edition.id),
    queryFn: () => told(api.GET("/api/rulebook/editions/{id}/rules", { params: { path: { id: edition.id } } })),
  });
  return (
    <Loading of={list} lines={10}>
      {({ rules, ranking, warnings }) => {
        const shown = rules.filter(
          (r) => filters[filter].has(r) && `${r.name} ${r.sentence}`.toLowerCase().includes(words.toLowerCase()),
        );
        return (
          <div className="grid gap-3.5">
            <Ranking key={ranking.join()} ranking={ranking} edition={edition} draft={draft} />
            {warnings.map((w) => (
              <p key={w.text} className="rounded-card border border-amber-500 bg-amber-100 px-3 py-2 text-amber-700">
                {w.text}
              </p>
            ))}
            <div className="flex flex-wrap items-end gap-3">
              <Field label="Search rules">
                <input className={`${inputLook} w-64`} value={words} onChange={(e) => setWords(e.target.value)} />
              </Field>
              <Field label="Show">
                <select className={inputLook} value={filter} onChange={(e) => setFilter(e.target.value as Filter)}>
                  {Object.entries(filters).map(([id, f]) => (
                    <option key={id} value={id}>
                      {f.name} ({rules.filter(f.has).length})
                    </option>
                  ))}
                </select>
              </Field>
              {draft && (
                <Button className="ml-auto" onClick={() => setEditing("new")}>
                  Add rule
                </Button>
              )}
            </div>
            {editing === "new" && draft && (
              <WriteRule
                book={book}
                draft={draft}
                scope={begun ? readScope(begun) : undefined}
                onDone={() => setEditing(undefined)}
              />
            )}
            <Card label="Rules">
              {shown.length === 0 ? (
                <Empty>No rules match.</Empty>
              ) : (
                <ol className="divide-y divide-line">
                  {shown.map((r) => (
                    <li key={r.id} className="px-4 py-2.5">
                      {editing === r.id && draft ? (
                        <WriteRule book={book} draft={draft} rule={r} onDone={() => setEditing(undefined)} />
                      ) : (
                        <One rule={r} draft={draft} onEdit={() => setEditing(r.id)} />
                      )}
                    </li>
                  ))}
                </ol>
              )}
            </Card>
          </div>
        );
      }}
    </Loading>
  );
}

/** A rule as a sentence, with what is odd about it. */
function One({ rule: r, draft, onEdit }: { rule: Rule; draft?: Edition; onEdit: () => void }) {
  const strike = useDraftWrite(
    `strike ${r.id} of ${draft?.id ?? 0}`,
    `Removing ${r.name}`,
    (d: Edition, key) =>
      api.POST("/api/rulebook/drafts/{id}/strike", {
        params: { path: { id: d.id }, header: keyed(key) },
        body: { revision: d.revision, name: r.id },
      }),
    itself,
  );
  return (
    <div className="flex flex-wrap items-start gap-x-4">
      <div className="min-w-64 flex-1">
        <p className="font-semibold">{r.name || r.id}</p>
        <p className="text-ink-2">{r.sentence}</p>
        <p className="mt-1 flex flex-wrap gap-2 empty:hidden">
          {r.conflicts.map((c) => (
            <Tag key={c} tone="buoy">
              Conflicts with {c}
            </Tag>
          ))}
          {r.idle.length > 0 && (
            <Tag tone="amber">
              No effect
              {r.idle.length < Object.keys(r.terms).length && ` about ${r.idle.join(", ")}`}
            </Tag>
          )}
          {r.loans === 0 && <Tag tone="plain">Not used last year</Tag>}
        </p>
        <Trouble error={strike.problem} />
      </div>
      <p className="w-32 flex-none text-right text-sm text-ink-2 tabular-nums">
        {r.loans > 0 && `${sayCount(r.loans, "loan")} last year`}
      </p>
      {draft && (
        <p className="flex flex-none gap-3">
          <Quiet onClick={onEdit}>Edit</Quiet>
          {!r.base && (
            <Quiet disabled={strike.busy} onClick={() => strike.run(draft)}>
              Remove
            </Quiet>
          )}
        </p>
      )}
    </div>
  );
}

/** A scope as an address carries it: material_class=film;patron_class=adult. */
function readScope(text: string): Record<string, string[]> {
  return Object.fromEntries(
    text.split(";").map((part) => {
      const [dimension = "", value = ""] = part.split("=");
      return [dimension, [value]];
    }),
  );
}
