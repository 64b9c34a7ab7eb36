import { Link, useNavigate } from "@tanstack/react-router";
import { api, told, type Schema } from "../../api/client";
import { History } from "../../kit/history";
import { Loading } from "../../kit/loading";
import { useMe } from "../../kit/me";
import { usePages } from "../../kit/pages";
import { Button, Card, Code, Head, Tag, Trouble, type Tone } from "../../kit/parts";
import { isEmployed } from "../../kit/places";
import { sayMoney } from "../../kit/say";
import { Table, type Column } from "../../kit/table";
import { Tend } from "./Tend";

type Item = Schema["CatalogueItem"];

const tones: Record<Item["tone"], Tone> = { in: "spruce", out: "plain", moving: "tide", held: "amber", aside: "buoy" };

const columns: Column<Item>[] = [
  {
    id: "number",
    head: "Number",
    value: (i) => i.barcode,
    cell: (i) => (
      <Link to="/items" search={{ item: i.id }} className="hover:underline">
        <Code>{i.barcode}</Code>
      </Link>
    ),
  },
  { id: "home", head: "Belongs to", value: (i) => i.home },
  { id: "shelf", head: "Shelf", value: (i) => `${i.collection}${i.call_number && `, ${i.call_number}`}` },
  { id: "material", head: "Material", value: (i) => i.material },
  { id: "price", head: "Price", value: (i) => i.price ?? "", cell: (i) => i.price && sayMoney(i.price), right: true },
  {
    id: "where",
    head: "Where it is now",
    value: (i) => i.state,
    cell: (i) => (
      <>
        <Tag tone={tones[i.tone]}>{i.state}</Tag>
        {i.note && <p className="text-sm text-amber-700">{i.note}</p>}
      </>
    ),
  },
];

/** The copies of a title, or one of them with what is on record and what happened. */
export function Copies({ title, item, code }: { title?: number; item?: number; code?: string }) {
  const me = useMe();
  const navigate = useNavigate();
  const may = isEmployed(me.role);
  const list = usePages(["items", title, item, code], (after) =>
    told(api.GET("/api/items", { params: { query: { title, item, barcode: code, after } } })),
  );
  return (
    <Loading of={list}>
      {(rows) => {
        const first = rows[0];
        if (!first)
          return (
            <div className="grid gap-3.5">
              <Head title="Items" />
              <Trouble error={`No item has the number ${code ?? item ?? ""}. Look for a digit missing or doubled.`} />
            </div>
          );
        const single = item || code ? first : undefined;
        return (
          <div className="grid gap-3.5">
            <Head title={first.title} says={first.author}>
              {single && (
                <Button plain onClick={() => void navigate({ to: "/items", search: { title: first.title_id } })}>
                  All copies
                </Button>
              )}
              {may && (
                <Button onClick={() => void navigate({ to: "/holds", search: { title: first.title_id } })}>
                  Place a hold
                </Button>
              )}
            </Head>
            <Card label="Copies">
              <Table
                label="Copies"
                columns={columns}
                rows={rows}
                id={(i) => i.id}
                pages={list.pages}
                tools={!single}
                paper={`Copies of ${first.title}`}
                empty="No copies."
              />
            </Card>
            {single && may && <Tend key={`${single.id}${single.note}${single.material_code}`} item={single} />}
            {single && may && (
              <History
                item={single.id}
                says="Who had it before is named while something is owed for it, and the last one while it is damaged or sought."
              />
            )}
          </div>
        );
      }}
    </Loading>
  );
}
