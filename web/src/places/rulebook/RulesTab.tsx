import { useQuery } from "@tanstack/react-query";
import { useSearch } from "@tanstack/react-router";
import clsx from "clsx";
import { useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { Button, Card, Empty, Field, inputLook, Loading, Quiet, Tag, Trouble } from "../../kit/parts";
import { Differences } from "./CompareTab";
import type { Working } from "./Rulebook";
import { plain, typed, ValueField } from "./ValueField";

type Rule = Schema["RulesRule"];

const names: Record<string, string> = {
  lending_branch: "lending branch",
  home_branch: "home branch",
  collection: "collection",
  material_class: "material class",
  patron_class: "patron class",
};

const filters = {
  all: "All rules",
  conflicts: "In conflict",
  idle: "That decide nothing",
  unused: "That no loan of the last year used",
};

/** All rules as sentences, with what is odd about them; in a draft they are written, changed and struck out here. */
export function RulesTab({ book, edition, draft, after }: Working) {
  const [filter, setFilter] = useState<keyof typeof filters>("all");
  const [words, setWords] = useState("");
  const { rule: begun } = useSearch({ from: "/rulebook" }); // a scope to begin a rule with, such as of a loan
  const [editing, setEditing] = useState<Rule | "new" | undefined>(begun ? "new" : undefined);
  const list = useQuery({
    queryKey: ["rules", edition.id, edition.revision],
    queryFn: () => told(api.GET("/api/rulebook/editions/{id}/rules", { params: { path: { id: edition.id } } })),
  });
  if (list.error) return <Trouble error={list.error} />;
  if (!list.data) return <Loading lines={10} />;
  const odd: Record<keyof typeof filters, (r: Rule) => boolean> = {
    all: () => true,
    conflicts: (r) => r.conflicts!.length > 0,
    idle: (r) => r.idle!.length > 0,
    unused: (r) => r.loans === 0,
  };
  const shown = list.data.rules!.filter(
    (r) => odd[filter](r) && `${r.name} ${r.sentence}`.toLowerCase().includes(words.toLowerCase()),
  );
  const strike = (r: Rule) =>
    void after(
      told(
        api.POST("/api/rulebook/drafts/{id}/strike", {
          params: { path: { id: draft!.id }, header: newKey() },
          body: { revision: draft!.revision, name: r.id },
        }),
      ),
    );
  return (
    <div className="grid gap-3.5">
      <Ranking
        key={list.data.ranking!.join()}
        ranking={list.data.ranking!}
        edition={edition}
        draft={draft}
        after={after}
      />
      {list.data.warnings!.map((w) => (
        <p key={w.text} className="rounded-card border border-amber-500 bg-amber-100 px-3 py-2 text-amber-700">
          {w.text}
        </p>
      ))}
      <div className="flex flex-wrap items-end gap-3">
        <Field label="Words in a rule">
          <input className={`${inputLook} w-64`} value={words} onChange={(e) => setWords(e.target.value)} />
        </Field>
        <Field label="Show">
          <select
            className={inputLook}
            value={filter}
            onChange={(e) => setFilter(e.target.value as keyof typeof filters)}
          >
            {Object.entries(filters).map(([id, name]) => (
              <option key={id} value={id}>
                {name} ({list.data.rules!.filter(odd[id as keyof typeof filters]).length})
              </option>
            ))}
          </select>
        </Field>
        {draft && (
          <Button className="ml-auto" onClick={() => setEditing("new")}>
            Write a rule
          </Button>
        )}
      </div>
      {editing === "new" && draft && (
        <Write
          book={book}
          draft={draft}
          scope={begun ? readScope(begun) : undefined}
          after={after}
          onDone={() => setEditing(undefined)}
        />
      )}
      <Card label="Rules">
        {shown.length === 0 ? (
          <Empty>No rule is like that.</Empty>
        ) : (
          <ol className="divide-y divide-line">
            {shown.map((r) => (
              <li key={r.id} className="px-4 py-2.5">
                {editing !== "new" && editing?.id === r.id && draft ? (
                  <Write book={book} draft={draft} rule={r} after={after} onDone={() => setEditing(undefined)} />
                ) : (
                  <div className="flex items-start gap-4">
                    <div className="min-w-0 flex-1">
                      <p className="font-semibold">{r.name || r.id}</p>
                      <p className="text-ink-2">{r.sentence}</p>
                      <p className="mt-1 flex flex-wrap gap-2 empty:hidden">
                        {r.conflicts!.map((c) => (
                          <Tag key={c} tone="buoy">
                            Conflicts with {c}
                          </Tag>
                        ))}
                        {r.idle!.length > 0 && (
                          <Tag tone="amber">
                            Decides nothing
                            {r.idle!.length < Object.keys(r.terms!).length && ` about ${r.idle!.join(", ")}`}
                          </Tag>
                        )}
                        {r.loans === 0 && <Tag tone="plain">No loan used it last year</Tag>}
                      </p>
                    </div>
                    <p className="w-32 flex-none text-right text-sm text-ink-2 tabular-nums">
                      {r.loans > 0 && `${r.loans.toLocaleString("en")} loans last year`}
                    </p>
                    {draft && (
                      <p className="flex flex-none gap-3">
                        <Quiet onClick={() => setEditing(r)}>Change</Quiet>
                        {!r.base && <Quiet onClick={() => strike(r)}>Strike out</Quiet>}
                      </p>
                    )}
                  </div>
                )}
              </li>
            ))}
          </ol>
        )}
      </Card>
    </div>
  );
}

/** The order in which dimensions outweigh each other; a new order shows what it would change before it counts. */
function Ranking({
  ranking,
  edition,
  draft,
  after,
}: { ranking: string[] } & Pick<Working, "edition" | "draft" | "after">) {
  const [order, setOrder] = useState(ranking);
  const changed = order.join() !== ranking.join();
  const preview = useQuery({
    queryKey: ["ranked", edition.id, edition.revision, order.join()],
    enabled: changed,
    queryFn: () =>
      told(
        api.GET("/api/rulebook/editions/{id}/ranked", {
          params: { path: { id: edition.id }, query: { ranking: order.join() } },
        }),
      ),
  });
  const up = (k: number) => setOrder(order.with(k - 1, order[k]!).with(k, order[k - 1]!));
  return (
    <Card label="Ranking" className="grid gap-3 px-4 py-3">
      <div className="flex flex-wrap items-center gap-x-2 gap-y-2">
        <b className="font-semibold">What outweighs what:</b>
        <ol className="flex flex-wrap gap-2">
          {order.map((d, k) => (
            <li key={d} className="flex items-center gap-1.5 rounded bg-sunk px-2 py-0.5">
              <span className="text-sm text-ink-2 tabular-nums">{k + 1}</span> {names[d]}
              {draft && k > 0 && (
                <button
                  type="button"
                  aria-label={`Rank ${names[d]} higher`}
                  title="Rank higher"
                  className="cursor-pointer rounded px-1 text-spruce-700 hover:bg-spruce-100"
                  onClick={() => up(k)}
                >
                  ←
                </button>
              )}
            </li>
          ))}
        </ol>
        {changed && draft && (
          <span className="ml-auto flex gap-2">
            <Button plain onClick={() => setOrder(ranking)}>
              As before
            </Button>
            <Button
              disabled={!preview.data}
              onClick={() =>
                void after(
                  told(
                    api.PUT("/api/rulebook/drafts/{id}/ranking", {
                      params: { path: { id: draft.id }, header: newKey() },
                      body: { revision: draft.revision, ranking: order },
                    }),
                  ),
                )
              }
            >
              Rank like this in the draft
            </Button>
          </span>
        )}
      </div>
      {changed && (preview.data ? <Differences data={preview.data} what="This order" /> : <Loading lines={2} />)}
    </Card>
  );
}

/** A scope as an address carries it: material_class=film;patron_class=adult. */
function readScope(text: string): Record<string, string[]> {
  return Object.fromEntries(text.split(";").map((part) => [part.split("=")[0]!, [part.split("=")[1] ?? ""]]));
}

/** Writes a rule, or changes one: its name, where it holds, and what it settles. */
function Write({
  book,
  draft,
  rule,
  scope: begun,
  after,
  onDone,
}: Pick<Working, "book" | "after"> & {
  draft: Schema["RulesEdition"];
  rule?: Rule;
  scope?: Record<string, string[]>;
  onDone: () => void;
}) {
  const values = book.dimensions as Record<string, Schema["RulesValue"][]>;
  const [name, setName] = useState(rule?.name ?? "");
  const [scope, setScope] = useState<Record<string, string[]>>(
    (rule?.scope as Record<string, string[]>) ?? begun ?? {},
  );
  const [terms, setTerms] = useState<Record<string, string>>(() =>
    Object.fromEntries(
      Object.entries((rule?.terms ?? {}) as Record<string, unknown>).map(([t, v]) => [
        t,
        typed(
          book.terms!.find((x) => x.id === t)!,
          v,
        ),
      ]),
    ),
  );
  const toggle = (d: string, v: string) => {
    const has = scope[d] ?? [];
    setScope({ ...scope, [d]: has.includes(v) ? has.filter((x) => x !== v) : [...has, v] });
  };
  const left = book.terms!.filter((t) => !(t.id in terms));
  const save = () =>
    void after(
      told(
        api.PUT("/api/rulebook/drafts/{id}/rules", {
          params: { path: { id: draft.id }, header: newKey() },
          body: {
            revision: draft.revision,
            instead: rule?.id,
            rule: {
              id: rule?.id ?? "",
              name,
              scope: Object.fromEntries(Object.entries(scope).filter(([, v]) => v.length > 0)),
              terms: Object.fromEntries(
                Object.entries(terms).map(([t, v]) => [
                  t,
                  plain(
                    book.terms!.find((x) => x.id === t)!,
                    v,
                  ),
                ]),
              ),
            },
          },
        }),
      ).then((e) => {
        onDone();
        return e;
      }),
    );
  return (
    <form
      aria-label={rule ? `Change ${rule.name}` : "Write a rule"}
      className="grid gap-3 rounded-card border border-l-4 border-line border-l-amber-500 bg-surface p-3.5"
      onSubmit={(e) => {
        e.preventDefault();
        save();
      }}
    >
      <Field label="Name, as people will read it">
        <input className={`${inputLook} max-w-xl`} value={name} onChange={(e) => setName(e.target.value)} required />
      </Field>
      {!rule?.base &&
        Object.keys(names).map((d) => (
          <fieldset key={d}>
            <legend className="text-sm text-ink-2">
              {names[d]![0]!.toUpperCase() + names[d]!.slice(1)}
              {(scope[d] ?? []).length === 0 && ": any"}
            </legend>
            <div className="flex flex-wrap gap-1.5">
              {[...(d.endsWith("branch") ? (values.zone ?? []) : []), ...values[d]!].map((v) => {
                const on = (scope[d] ?? []).includes(v.code);
                return (
                  <button
                    key={v.code}
                    type="button"
                    aria-pressed={on}
                    onClick={() => toggle(d, v.code)}
                    className={clsx(
                      "cursor-pointer rounded border px-2 text-sm",
                      on ? "border-spruce-700 bg-spruce-700 text-white" : "border-line-strong bg-white",
                    )}
                  >
                    {v.name}
                  </button>
                );
              })}
            </div>
          </fieldset>
        ))}
      <div className="grid grid-cols-[repeat(auto-fill,minmax(230px,1fr))] gap-3">
        {Object.keys(terms).map((t) => {
          const term = book.terms!.find((x) => x.id === t)!;
          return (
            <div key={t} className="grid gap-0.5">
              <ValueField term={term} value={terms[t]} onChange={(v) => setTerms({ ...terms, [t]: v })} />
              <Quiet
                className="justify-self-start"
                onClick={() => setTerms(Object.fromEntries(Object.entries(terms).filter(([x]) => x !== t)))}
              >
                Say nothing about it
              </Quiet>
            </div>
          );
        })}
        <Field label="Settle another term">
          <select
            className={inputLook}
            value=""
            onChange={(e) => {
              const term = book.terms!.find((x) => x.id === e.target.value)!;
              setTerms({
                ...terms,
                [term.id]: term.kind === "yes_no" ? "true" : term.kind === "choice" ? term.choices![0]! : "",
              });
            }}
          >
            <option value="">Choose …</option>
            {left.map((t) => (
              <option key={t.id} value={t.id}>
                {t.name}
              </option>
            ))}
          </select>
        </Field>
      </div>
      <div className="flex gap-2">
        <Button type="submit" disabled={Object.keys(terms).length === 0}>
          Keep it in the draft
        </Button>
        <Button plain onClick={onDone}>
          Leave it
        </Button>
      </div>
    </form>
  );
}
