import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { Foot, Form, MoneyField, TextField, TickField } from "../../ui/forms";
import { Tag } from "../../ui/parts";
import { sayMoney, toFigures, toMinor } from "../../ui/say";
import { codeOf, PartList, useKeep, type Shown } from "./parts";

type Choice = Schema["UpkeepChoice"];

const lists = [
  ["waive", "Reasons for waiving", "Staff can also type other reasons."],
  ["cancel", "Reasons for cancelling a hold", ""],
  ["refuse", "Reasons for refusing a partner", ""],
  ["charge", "Price list of manual charges", ""],
  ["note", "Types of note on a card", ""],
  ["mark", "Patron tags", ""],
] as const;

type List = (typeof lists)[number][0];

const schema = z.object({
  name: check.needed("Enter a name."),
  price: z.union([z.literal(""), check.sum]),
  loud: z.boolean(),
  retired: z.boolean(),
});

/** Lists to choose from, all over the network. */
export function Choices({ rows }: { rows: Shown<Choice>[] }) {
  return (
    <div className="grid items-start gap-3.5 lg:grid-cols-2">
      {lists.map(([list, label, says]) => (
        <OfList
          key={list}
          list={list}
          label={label}
          says={says}
          rows={rows.filter((r) => r.key.startsWith(`${list}:`))}
        />
      ))}
    </div>
  );
}

function OfList({ list, label, says, rows }: { list: List; label: string; says: string; rows: Shown<Choice>[] }) {
  const price = (c: Choice) => toFigures(c.amount ?? 0);
  return (
    <PartList
      label={label}
      says={says}
      rows={rows}
      empty="None yet."
      add="Add"
      part="choice"
      name={(c) => c.name}
      line={({ is: c }) => (
        <>
          <b className="font-semibold">{c.name}</b>
          {c.amount !== undefined && <span className="tabular-nums">{sayMoney(price(c))}</span>}
          {c.loud && <Tag tone="amber">Show at every scan</Tag>}
          {c.retired && <Tag tone="plain">No longer offered</Tag>}
        </>
      )}
      form={(row, done) => <One list={list} row={row} rows={rows} price={row ? price(row.is) : ""} done={done} />}
    />
  );
}

function One({
  list,
  row,
  rows,
  price,
  done,
}: {
  list: List;
  row?: Shown<Choice>;
  rows: Shown<Choice>[];
  price: string;
  done: () => void;
}) {
  const c = row?.is;
  const keep = useKeep<Choice>(
    `choice ${row?.key ?? list}`,
    c?.name ?? "List entry",
    ({ key: code, ...body }, key) =>
      api.PUT("/api/network/choices/{key}", { params: { path: { key: code }, header: keyed(key) }, body }),
    done,
  );
  return (
    <Form
      label={c ? `Edit ${c.name}` : "Add entry"}
      schema={schema}
      start={{
        name: c?.name ?? "",
        price: list === "charge" ? price : "",
        loud: c?.loud ?? false,
        retired: c?.retired ?? false,
      }}
      write={keep}
      onSend={(v) =>
        keep.run({
          key: row?.key ?? `${list}:${codeOf(v.name)}`,
          seen: row?.seen ?? 0,
          is: {
            name: v.name,
            position: c?.position ?? rows.length,
            amount: list === "charge" ? (toMinor(v.price) ?? 0) : undefined,
            loud: v.loud,
            retired: v.retired,
          },
        })
      }
      className="flex flex-wrap items-end gap-2.5"
    >
      <TextField name="name" label="Name" />
      {list === "charge" && <MoneyField name="price" label="Price" className="w-28" />}
      {list === "note" && <TickField name="loud" label="Show at every scan" />}
      {row && <TickField name="retired" label="No longer offered" />}
      <Foot write={keep} onLeave={done}>
        {row ? "Save" : "Add"}
      </Foot>
    </Form>
  );
}
