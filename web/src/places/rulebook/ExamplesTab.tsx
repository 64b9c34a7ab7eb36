import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { Button, Card, Empty, Field, inputLook, Loading, Quiet, Tag, Trouble } from "../../kit/parts";
import { sayDay, sayInstant } from "../../kit/say";
import { Why } from "../../kit/why";
import type { Working } from "./Rulebook";

type Checked = Schema["RulesChecked"];

/** Examples of what should come out, run on every change. */
export function ExamplesTab({ book, edition, draft, after }: Working) {
  const [editing, setEditing] = useState<Checked | "new">();
  const check = useQuery({
    queryKey: ["check", edition.id, edition.revision],
    queryFn: () => told(api.GET("/api/rulebook/editions/{id}/check", { params: { path: { id: edition.id } } })),
  });
  if (check.error) return <Trouble error={check.error} />;
  if (!check.data) return <Loading lines={6} />;
  const failing = check.data.examples!.filter((e) => !e.ok).length;
  const drop = (e: Checked) =>
    void after(
      told(
        api.POST("/api/rulebook/drafts/{id}/examples/drop", {
          params: { path: { id: draft!.id }, header: newKey() },
          body: { revision: draft!.revision, name: e.name },
        }),
      ),
    );
  return (
    <div className="grid gap-3.5">
      {check.data.conflicts!.map((c) => (
        <p key={c} className="rounded-card border border-buoy-500 bg-buoy-100 px-3 py-2 text-buoy-700">
          Conflict: {c} A draft with a conflict cannot be put in force.
        </p>
      ))}
      <div className="flex items-center gap-3">
        <p className="flex-1">
          {check.data.examples!.length === 0
            ? "No examples yet."
            : failing === 0
              ? `All ${check.data.examples!.length} examples come out as expected.`
              : `${failing} of ${check.data.examples!.length} examples ${failing === 1 ? "does" : "do"} not come out as expected. Putting the draft in force then needs a reason.`}
        </p>
        {draft && <Button onClick={() => setEditing("new")}>Write an example</Button>}
      </div>
      {editing && draft && (
        <WriteExample
          key={editing === "new" ? "new" : editing.name}
          book={book}
          draft={draft}
          example={editing === "new" ? undefined : editing}
          after={after}
          onDone={() => setEditing(undefined)}
        />
      )}
      <Card label="Examples">
        {check.data.examples!.length === 0 ? (
          <Empty>
            An example is a situation with what should come of it. Write one here in a draft, or keep one from a real
            loan: open the loan’s terms and choose “Keep as an example”.
          </Empty>
        ) : (
          <table className="list">
            <thead>
              <tr>
                <th>Example</th>
                <th>Due</th>
                <th>Fine</th>
                <th>Comes out</th>
                <th>
                  <span className="sr-only">Why and change</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {check.data.examples!.map((e) => (
                <tr key={e.name}>
                  <td>
                    <b className="font-semibold">{e.name}</b>
                    <p className="text-sm text-ink-2">{sayGiven(e.given as Record<string, unknown>)}</p>
                  </td>
                  <td className="whitespace-nowrap" title={e.due}>
                    {e.due.includes("T") ? sayInstant(e.due) : sayDay(e.due + "T12:00:00Z")}
                  </td>
                  <td className="tabular-nums">{e.fine && `$${e.fine}`}</td>
                  <td>
                    {e.ok ? <Tag tone="spruce">As expected</Tag> : <Tag tone="buoy">Not as expected</Tag>}
                    {e.differs!.map((d) => (
                      <p key={d} className="text-sm text-buoy-700">
                        {d}
                      </p>
                    ))}
                  </td>
                  <td className="text-right whitespace-nowrap">
                    <Why trace={e.why}>Why</Why>{" "}
                    {draft && (
                      <>
                        <Quiet onClick={() => setEditing(e)}>Change</Quiet> <Quiet onClick={() => drop(e)}>Drop</Quiet>
                      </>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </Card>
    </div>
  );
}

const order = [
  "patron_class",
  "material_class",
  "lending_branch",
  "home_branch",
  "collection",
  "lent",
  "renewed",
  "returned",
  "counted_as",
  "price",
];

function sayGiven(given: Record<string, unknown>) {
  return order
    .filter((k) => given[k] !== undefined)
    .map((k) => `${k.replaceAll("_", " ")} ${String(given[k]).replaceAll("_", " ")}`)
    .join(", ");
}

/** Writes an example: what is given, and what should come of it. Empty expectations are not looked at. */
function WriteExample({
  book,
  draft,
  example,
  after,
  onDone,
}: Pick<Working, "book" | "after"> & { draft: Schema["RulesEdition"]; example?: Checked; onDone: () => void }) {
  const values = book.dimensions as Record<string, Schema["RulesValue"][]>;
  const [name, setName] = useState(example?.name ?? "");
  const [given, setGiven] = useState<Record<string, unknown>>((example?.given as Record<string, unknown>) ?? {});
  const [expect, setExpect] = useState<Record<string, unknown>>((example?.expect as Record<string, unknown>) ?? {});
  const text = (from: Record<string, unknown>, key: string) => String(from[key] ?? "");
  const kept = (from: Record<string, unknown>) => Object.fromEntries(Object.entries(from).filter(([, v]) => v !== ""));
  const save = () =>
    void after(
      told(
        api.PUT("/api/rulebook/drafts/{id}/examples", {
          params: { path: { id: draft.id }, header: newKey() },
          body: {
            revision: draft.revision,
            instead: example?.name,
            example: { name, given: kept(given), expect: kept(expect) },
          },
        }),
      ).then((e) => {
        onDone();
        return e;
      }),
    );
  return (
    <form
      aria-label="Example"
      className="grid gap-3 rounded-card border border-l-4 border-line border-l-amber-500 bg-surface p-3.5"
      onSubmit={(e) => {
        e.preventDefault();
        save();
      }}
    >
      <Field label="Name">
        <input className={`${inputLook} max-w-xl`} required value={name} onChange={(e) => setName(e.target.value)} />
      </Field>
      <div className="grid grid-cols-[repeat(auto-fill,minmax(180px,1fr))] gap-3">
        {["lending_branch", "home_branch", "collection", "material_class", "patron_class"].map((d) => (
          <Field key={d} label={d.replaceAll("_", " ")}>
            <select
              className={inputLook}
              required={d === "lending_branch"}
              value={text(given, d)}
              onChange={(e) => setGiven({ ...given, [d]: e.target.value })}
            >
              <option value="">{d === "lending_branch" ? "Choose …" : "not said"}</option>
              {values[d]!.map((v) => (
                <option key={v.code} value={v.code}>
                  {v.name}
                </option>
              ))}
            </select>
          </Field>
        ))}
        {[
          ["lent", "Lent, such as 2026-10-06T14:00"],
          ["renewed", "Renewed"],
          ["returned", "Returned"],
          ["price", "Price"],
        ].map(([k, label]) => (
          <Field key={k} label={label!}>
            <input
              className={inputLook}
              required={k === "lent"}
              value={text(given, k!)}
              onChange={(e) => setGiven({ ...given, [k!]: e.target.value })}
            />
          </Field>
        ))}
        <Field label="Expected due date or time">
          <input
            className={inputLook}
            value={text(expect, "due")}
            onChange={(e) => setExpect({ ...expect, due: e.target.value })}
          />
        </Field>
        <Field label="Expected fine">
          <input
            className={inputLook}
            value={text(expect, "fine")}
            onChange={(e) => setExpect({ ...expect, fine: e.target.value })}
          />
        </Field>
      </div>
      <div className="flex gap-2">
        <Button type="submit">Keep the example in the draft</Button>
        <Button plain onClick={onDone}>
          Leave it
        </Button>
      </div>
    </form>
  );
}
