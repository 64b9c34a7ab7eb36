import { useAskAgain } from "../../api/asked";
import { Link } from "@tanstack/react-router";
import { useCallback } from "react";
import { type Schema } from "../../api/client";
import type { Options } from "../../circulation/classes";
import { Code, Field, inputLook, Tag, type Tone } from "../../ui/parts";
import { sayMoney } from "../../ui/say";
import type { Column } from "../../ui/table";

export type Item = Schema["CatalogueItem"];

const tones: Record<Item["tone"], Tone> = { in: "spruce", out: "plain", moving: "tide", held: "amber", aside: "buoy" };

/** Where an item is now, and what is noted on it. */
export function Where({ item: i }: { item: Item }) {
  return (
    <>
      <Tag tone={tones[i.tone]}>{i.state}</Tag>
      {i.season && <p className="text-sm text-tide-700">At home {i.season}</p>}
      {i.note && <p className="text-sm text-amber-700">{i.note}</p>}
    </>
  );
}

const number: Column<Item> = {
  id: "number",
  head: "Label",
  value: (i) => i.barcode,
  cell: (i) => (
    <Link to="/items" search={{ item: i.id }} className="link">
      <Code>{i.barcode}</Code>
    </Link>
  ),
};

const rest: Column<Item>[] = [
  { id: "home", head: "Home branch", value: (i) => `${i.home}${i.season && ` ${i.season}`}`, cell: (i) => i.home },
  { id: "shelf", head: "Shelf", value: (i) => `${i.collection}${i.call_number && `, ${i.call_number}`}` },
  { id: "material", head: "Material", value: (i) => i.material },
  { id: "price", head: "Price", value: (i) => i.price, cell: (i) => i.price && sayMoney(i.price), right: true },
  { id: "where", head: "Location", value: (i) => i.state, cell: (i) => <Where item={i} /> },
];

/** The columns of copies of one title, and of items of any. */
export const copyColumns: Column<Item>[] = [number, ...rest];
/** The same for a title of several volumes or issues. */
export const volumeColumns: Column<Item>[] = [
  number,
  { id: "volume", head: "Issue or volume", value: (i) => i.volume },
  ...rest,
];
export const itemColumns: Column<Item>[] = [
  number,
  { id: "title", head: "Title", value: (i) => `${i.title}${i.author && `, ${i.author}`}`, className: "font-semibold" },
  ...rest,
];

/** One of several, or any of them. */
export function AnyOf({
  label,
  value,
  options,
  any = "any",
  onChoose,
}: {
  label: string;
  value: string;
  options: Options;
  any?: string;
  onChoose: (value: string) => void;
}) {
  return (
    <Field label={label}>
      <select className={`${inputLook} max-w-52`} value={value} onChange={(e) => onChoose(e.target.value)}>
        <option value="">{any}</option>
        {options.map(([code, name]) => (
          <option key={code} value={code}>
            {name}
          </option>
        ))}
      </select>
    </Field>
  );
}

/** Looks at the stock again, after it has been changed. */
export function useAgain() {
  const askAgain = useAskAgain();
  return useCallback(() => askAgain(...keys), [askAgain]);
}

const keys = [
  "items",
  "titles",
  "title",
  "history",
  "stock deeds",
  "sought",
  "looks",
  "shelf",
  "item terms",
  "records",
] as const;
