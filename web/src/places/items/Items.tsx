import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { History } from "../../kit/history";
import { useMe } from "../../kit/me";
import { usePages } from "../../kit/pages";
import { Button, Card, Code, Empty, Field, Head, inputLook, Loading, Tag, Trouble, type Tone } from "../../kit/parts";

const tones: Record<Schema["CatalogueItem"]["tone"], Tone> = {
  in: "spruce",
  out: "plain",
  moving: "tide",
  held: "amber",
  aside: "buoy",
};

/** Finding titles, their copies, and what happened to one copy. */
export function ItemsPlace() {
  const { words, title, item, code } = useSearch({ from: "/items" });
  const navigate = useNavigate();
  const [typed, setTyped] = useState(words ?? "");
  useEffect(() => setTyped(words ?? ""), [words]);
  useEffect(() => {
    const timer = setTimeout(() => {
      if (typed !== (words ?? "") && !title && !item && !code)
        void navigate({ to: "/items", search: { words: typed || undefined } });
    }, 250);
    return () => clearTimeout(timer);
  }, [typed, words, title, item, code, navigate]);
  const found = usePages(
    ["titles", words],
    (after) => told(api.GET("/api/titles", { params: { query: { words: words!, after } } })),
    { enabled: (words ?? "").length > 1 },
  );
  if (title || item || code) return <Copies title={title} item={item} code={code} />;
  return (
    <div className="grid gap-3.5">
      <Head
        title="Items"
        says={found.rows && `${found.hasMore ? "The first " : ""}${found.rows.length} titles with these words.`}
      />
      <Field label="Words of title or author, or an ISBN">
        <input
          className={`${inputLook} h-10 max-w-2xl text-lg`}
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
        />
      </Field>
      <Trouble error={found.error} />
      <Card label="Titles">
        {found.isFetching && !found.rows ? (
          <Loading />
        ) : !found.rows ? (
          <Empty>Type words to find titles, or scan an item to see it.</Empty>
        ) : found.rows.length === 0 ? (
          <Empty>No title has all of these words. Try fewer, or check the spelling.</Empty>
        ) : (
          <table className="list">
            <thead>
              <tr>
                <th>Title</th>
                <th>Author</th>
                <th>Year</th>
                <th>On the shelf</th>
                <th>Waiting</th>
              </tr>
            </thead>
            <tbody>
              {found.rows.map((t) => (
                <tr key={t.id}>
                  <td>
                    <Link to="/items" search={{ title: t.id }} className="font-semibold hover:underline">
                      {t.name}
                    </Link>
                  </td>
                  <td>{t.author}</td>
                  <td className="tabular-nums">{t.year || ""}</td>
                  <td>
                    {t.here > 0 ? (
                      <Tag tone="spruce">Here</Tag>
                    ) : t.in > 0 ? (
                      <Tag tone="tide">At another branch</Tag>
                    ) : (
                      <Tag tone="plain">Not now</Tag>
                    )}{" "}
                    <span className="text-sm text-ink-2">
                      {t.in} of {t.copies}
                    </span>
                  </td>
                  <td className="tabular-nums">{t.waiting || ""}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {found.more}
      </Card>
    </div>
  );
}

function Copies({ title, item, code }: { title?: number; item?: number; code?: string }) {
  const me = useMe().data!;
  const navigate = useNavigate();
  const queries = useQueryClient();
  const list = usePages(["items", title, item, code], (after) =>
    told(api.GET("/api/items", { params: { query: { title, item, barcode: code, after } } })),
  );
  if (list.error) return <Trouble error={list.error} />;
  if (!list.rows) return <Loading />;
  const first = list.rows[0];
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
        {me.role !== "volunteer" && (
          <Button onClick={() => void navigate({ to: "/holds", search: { title: first.title_id } })}>
            Place a hold
          </Button>
        )}
      </Head>
      <Card label="Copies">
        <table className="list">
          <thead>
            <tr>
              <th>Number</th>
              <th>Belongs to</th>
              <th>Shelf</th>
              <th>Material</th>
              <th>Price</th>
              <th>Where it is now</th>
            </tr>
          </thead>
          <tbody>
            {list.rows.map((i) => (
              <tr key={i.id}>
                <td>
                  <Link to="/items" search={{ item: i.id }} className="hover:underline">
                    <Code>{i.barcode}</Code>
                  </Link>
                </td>
                <td>{i.home}</td>
                <td>
                  {i.collection}
                  {i.call_number && `, ${i.call_number}`}
                </td>
                <td>{i.material}</td>
                <td className="tabular-nums">{i.price && `$${i.price}`}</td>
                <td>
                  <Tag tone={tones[i.tone]}>{i.state}</Tag>
                  {i.note && <p className="text-sm text-amber-700">{i.note}</p>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {list.more}
      </Card>
      {single && me.role !== "volunteer" && (
        <Tend key={single.id} item={single} onDone={() => void queries.invalidateQueries({ queryKey: ["items"] })} />
      )}
      {single && me.role !== "volunteer" && <History item={single.id} />}
    </div>
  );
}

/** What is on record about one item: its note, how it is classed, whether it is in use. */
function Tend({ item, onDone }: { item: Schema["CatalogueItem"]; onDone: () => void }) {
  const queries = useQueryClient();
  const [note, setNote] = useState(item.note);
  const [error, setError] = useState<unknown>();
  const book = useQuery({ queryKey: ["rulebook"], queryFn: () => told(api.GET("/api/rulebook")) });
  const [material, setMaterial] = useState(item.material_code);
  const [collection, setCollection] = useState(item.collection_code);
  const path = { id: item.id };
  const after = (p: Promise<unknown>) =>
    p.then(() => {
      setError(undefined);
      void queries.invalidateQueries({ queryKey: ["history"] });
      onDone();
    }, setError);
  const values = (dimension: string) => (book.data?.dimensions as Record<string, Schema["RulesValue"][]>)?.[dimension];
  const classed = material === item.material_code && collection === item.collection_code;
  return (
    <Card label="On record" className="flex flex-wrap items-end gap-x-6 gap-y-3 p-3.5">
      <form
        className="flex items-end gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          void after(
            told(api.PUT("/api/items/{id}/note", { params: { path, header: newKey() }, body: { text: note } })),
          );
        }}
      >
        <Field label="Note, shown whenever it comes back">
          <input
            className={`${inputLook} w-72`}
            value={note}
            onChange={(e) => setNote(e.target.value)}
            maxLength={500}
          />
        </Field>
        <Button type="submit" plain disabled={note.trim() === item.note}>
          Keep the note
        </Button>
      </form>
      <form
        className="flex items-end gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          void after(
            told(
              api.PUT("/api/items/{id}/classing", {
                params: { path, header: newKey() },
                body: { material, collection },
              }),
            ),
          );
        }}
      >
        <Field label="Material class">
          <select className={inputLook} value={material} onChange={(e) => setMaterial(e.target.value)}>
            {values("material_class")?.map((v) => (
              <option key={v.code} value={v.code}>
                {v.name}
              </option>
            ))}
          </select>
        </Field>
        <Field label="Collection">
          <select className={inputLook} value={collection} onChange={(e) => setCollection(e.target.value)}>
            {values("collection")?.map((v) => (
              <option key={v.code} value={v.code}>
                {v.name}
              </option>
            ))}
          </select>
        </Field>
        <Button type="submit" plain disabled={classed}>
          Correct the class
        </Button>
      </form>
      {item.tone === "aside" && item.state !== "Withdrawn" && (
        <Button
          onClick={() => void after(told(api.POST("/api/items/{id}/in-use", { params: { path, header: newKey() } })))}
        >
          Back in use
        </Button>
      )}
      <Trouble error={error} />
    </Card>
  );
}
