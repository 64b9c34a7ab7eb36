import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { Button, Card, Quiet, Tag, Trouble } from "../../ui/parts";
import { plural, sayMoney, sayWall } from "../../ui/say";
import { Table, type Column } from "../../ui/table";
import { Why } from "../../shell/why";
import { heldFor, itself, useDraftWrite } from "./draft";
import { sayDimension, textOf, type Edition, type Overview, type Working } from "./types";
import { WriteExample } from "./WriteExample";

type Checked = Schema["RulesChecked"];

/** Examples of what should come out, run on every change. */
export function ExamplesTab({ book, edition, draft }: Working) {
  const [editing, setEditing] = useState<Checked | "new">();
  const check = useQuery({
    queryKey: ["check", edition.id, edition.revision],
    placeholderData: heldFor(edition.id),
    queryFn: () => told(api.GET("/api/rulebook/editions/{id}/check", { params: { path: { id: edition.id } } })),
  });
  const columns = useMemo(() => columnsFor(book, draft, setEditing), [book, draft]);
  return (
    <Loading of={check}>
      {({ conflicts, examples }) => (
        <div className="grid gap-3.5">
          {conflicts.map((c) => (
            <p key={c} className="rounded-card border border-buoy-500 bg-buoy-100 px-3 py-2 text-buoy-700">
              Conflict: {c} A draft with a conflict cannot be put in force.
            </p>
          ))}
          <div className="flex flex-wrap items-center gap-3">
            <p className="flex-1">{says(examples)}</p>
            {draft && <Button onClick={() => setEditing("new")}>Add example</Button>}
          </div>
          {editing && draft && (
            <WriteExample
              key={editing === "new" ? "new" : editing.name}
              book={book}
              draft={draft}
              example={editing === "new" ? undefined : editing}
              onDone={() => setEditing(undefined)}
            />
          )}
          <Card label="Examples">
            <Table
              label="Examples"
              columns={columns}
              rows={examples}
              id={(e) => e.name}
              tools
              className="max-h-[66vh]"
              empty="An example is a loan with its expected result. Add one in a draft, or save one from a real loan: open the loan terms and choose “Save as example”."
            />
          </Card>
        </div>
      )}
    </Loading>
  );
}

function says(examples: Checked[]) {
  const failing = examples.filter((e) => !e.ok).length;
  if (examples.length === 0) return "No examples yet.";
  if (failing === 0)
    return `${examples.length === 1 ? "The example gives" : `All ${examples.length} examples give`} the expected result.`;
  return `${failing} of ${examples.length} examples ${plural(failing, "does", "do")} not give the expected result. Putting the draft in force then needs a reason.`;
}

const sayDue = (due: string) => due && sayWall(due);

const columnsFor = (book: Overview, draft: Edition | undefined, onEdit: (e: Checked) => void): Column<Checked>[] => [
  {
    id: "example",
    head: "Example",
    value: (e) => `${e.name} ${sayGiven(book, e.given)}`,
    cell: (e) => (
      <>
        <b className="font-semibold">{e.name}</b>
        <p className="text-sm text-ink-2">{sayGiven(book, e.given)}</p>
      </>
    ),
  },
  { id: "due", head: "Due", value: (e) => e.due, cell: (e) => sayDue(e.due), className: "whitespace-nowrap" },
  { id: "fine", head: "Fine", value: (e) => e.fine, cell: (e) => e.fine && sayMoney(e.fine), right: true },
  {
    id: "comes",
    head: "Result",
    value: (e) => (e.ok ? "As expected" : "Not as expected"),
    cell: (e) => (
      <>
        {e.ok ? <Tag tone="spruce">As expected</Tag> : <Tag tone="buoy">Not as expected</Tag>}
        {e.differs.map((d) => (
          <p key={d} className="text-sm text-buoy-700">
            {d}
          </p>
        ))}
      </>
    ),
  },
  {
    id: "acts",
    head: "Actions",
    unnamed: true,
    right: true,
    cell: (e) => (
      <>
        <Why trace={e.why}>Why</Why> {draft && <Acts draft={draft} example={e} onEdit={() => onEdit(e)} />}
      </>
    ),
  },
];

function Acts({ draft, example, onEdit }: { draft: Edition; example: Checked; onEdit: () => void }) {
  const strike = useDraftWrite(
    `strike example ${example.name} of ${draft.id}`,
    `Removing “${example.name}”`,
    (d: Edition, key) =>
      api.POST("/api/rulebook/drafts/{id}/examples/drop", {
        params: { path: { id: d.id }, header: keyed(key) },
        body: { revision: d.revision, name: example.name },
      }),
    itself,
  );
  return (
    <>
      <Quiet onClick={onEdit}>Edit</Quiet>{" "}
      <Quiet disabled={strike.busy} onClick={() => strike.run(draft)}>
        Remove
      </Quiet>
      <Trouble error={strike.problem} />
    </>
  );
}

const moments: Record<string, string> = {
  lent: "lent",
  renewed: "renewed",
  returned: "returned",
  counted_as: "counted as",
};
const scope = ["patron_class", "material_class", "lending_branch", "home_branch", "collection"];

/** A situation in words: names for codes, days for dates. */
function sayGiven(book: Overview, given: Record<string, unknown>) {
  const names = (d: string, code: unknown) =>
    (book.dimensions as Record<string, { code: string; name: string }[] | undefined>)[d]?.find((v) => v.code === code)
      ?.name ?? textOf(code);
  const said = scope.filter((d) => given[d] !== undefined).map((d) => `${sayDimension(d)} ${names(d, given[d])}`);
  for (const [key, word] of Object.entries(moments))
    if (given[key] !== undefined) said.push(`${word} ${sayDue(textOf(given[key]))}`);
  if (given.price !== undefined) said.push(`price ${sayMoney(textOf(given.price))}`);
  return said.join(", ");
}
