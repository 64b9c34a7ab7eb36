import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { Foot, ChipsField, ChoiceField, Form, TextField, TickField } from "../../ui/forms";
import { branchName, useMe } from "../../shell/me";
import { Code, Tag } from "../../ui/parts";
import { codeOf, PartList, useKeep, type Shown } from "./parts";

type Class = Schema["UpkeepClass"];

const kinds = [
  ["patron", "Patron classes", "Add a patron class"],
  ["material", "Material classes", "Add a material class"],
  ["collection", "Collections", "Add a collection"],
] as const;

type Kind = (typeof kinds)[number][0];

const age = z
  .string()
  .trim()
  .regex(/^\d{0,3}$/, "Enter years, or leave empty.");

const schema = z.object({
  name: check.needed("Enter a name."),
  code: z
    .string()
    .trim()
    .regex(/^[a-z0-9_]{0,40}$/, "Use small letters, digits and underscores."),
  from: age,
  to: age,
  next: z.string(),
  branches: z.array(z.string()),
  staffOnly: z.boolean(),
  retired: z.boolean(),
});

/** How patrons, things and shelves are grouped for rules. */
export function Classes({ rows }: { rows: Shown<Class>[] }) {
  return (
    <>
      {kinds.map(([kind, label, add]) => (
        <OfKind
          key={kind}
          kind={kind}
          label={label}
          add={add}
          rows={rows.filter((r) => r.key.startsWith(`${kind}:`))}
        />
      ))}
    </>
  );
}

function OfKind({ kind, label, add, rows }: { kind: Kind; label: string; add: string; rows: Shown<Class>[] }) {
  const me = useMe();
  const called = (code?: string) => rows.find((r) => r.key === `${kind}:${code}`)?.is.name ?? code;
  const ages = (c: Class) => {
    if (c.from_age === undefined && c.to_age === undefined) return "";
    const from = c.from_age === undefined ? "" : `from ${c.from_age}`;
    return [from, c.to_age === undefined ? "" : `until age ${c.to_age}, then ${called(c.next)}`]
      .filter(Boolean)
      .join(" ");
  };
  return (
    <PartList
      label={label}
      rows={rows}
      empty="None yet."
      add={add}
      also={me.keeps_classes && kind !== "collection"}
      part="class"
      name={(c) => c.name}
      line={({ key, is: c }) => (
        <>
          <b className="font-semibold">{c.name}</b>
          <Code>{key.slice(kind.length + 1)}</Code>
          <span className="text-ink-2">{ages(c)}</span>
          {(c.branches?.length ?? 0) > 0 && (
            <span className="text-ink-2">only at {c.branches?.map((b) => branchName(me, b)).join(", ")}</span>
          )}
          {c.staff_only && <Tag tone="tide">Staff only</Tag>}
          {c.retired && <Tag tone="plain">No longer offered</Tag>}
        </>
      )}
      form={(row, done) => <One kind={kind} row={row} rows={rows} done={done} />}
    />
  );
}

const years = (text: string) => (text === "" ? undefined : Number(text));

function One({ kind, row, rows, done }: { kind: Kind; row?: Shown<Class>; rows: Shown<Class>[]; done: () => void }) {
  const me = useMe();
  const c = row?.is;
  const keep = useKeep<Class>(
    `class ${row?.key ?? kind}`,
    `The class ${c?.name ?? ""}`,
    ({ key: code, ...body }, key) =>
      api.PUT("/api/network/classes/{key}", { params: { path: { key: code }, header: keyed(key) }, body }),
    done,
  );
  return (
    <Form
      label={c ? `Edit ${c.name}` : "Add a class"}
      schema={schema}
      start={{
        name: c?.name ?? "",
        code: row?.key.slice(kind.length + 1) ?? "",
        from: c?.from_age?.toString() ?? "",
        to: c?.to_age?.toString() ?? "",
        next: c?.next ?? "",
        branches: c?.branches ?? [],
        staffOnly: c?.staff_only ?? false,
        retired: c?.retired ?? false,
      }}
      write={keep}
      onSend={(v) =>
        keep.run({
          key: row?.key ?? `${kind}:${v.code || codeOf(v.name)}`,
          seen: row?.seen ?? 0,
          is: {
            name: v.name,
            position: c?.position ?? rows.length,
            from_age: years(v.from),
            to_age: years(v.to),
            next: v.next || undefined,
            branches: v.branches,
            staff_only: v.staffOnly,
            retired: v.retired,
          },
        })
      }
      className="grid max-w-3xl gap-2.5"
    >
      <div className="flex flex-wrap items-start gap-2.5">
        <TextField name="name" label="Name" />
        {!row && <TextField name="code" label="Code in rules" />}
        {kind === "patron" && (
          <>
            <TextField name="from" label="Suggested from age" inputMode="numeric" width="w-24" />
            <TextField name="to" label="Ends at age" inputMode="numeric" width="w-24" />
            <ChoiceField
              name="next"
              label="Next class"
              options={[
                ["", "nothing"],
                ...rows
                  .filter((r) => r.key !== row?.key)
                  .map((r) => [r.key.slice(kind.length + 1), r.is.name] as const),
              ]}
            />
          </>
        )}
      </div>
      <ChipsField
        name="branches"
        label="Branches"
        says="all"
        options={me.branches.map((b) => [b.code, b.name] as const)}
      />
      <div className="flex flex-wrap gap-4">
        {kind === "collection" && <TickField name="staffOnly" label="Staff only: hidden from the public" />}
        {row && <TickField name="retired" label="No longer offered" />}
      </div>
      <Foot write={keep} onLeave={done}>
        {row ? "Save" : "Add"}
      </Foot>
    </Form>
  );
}
