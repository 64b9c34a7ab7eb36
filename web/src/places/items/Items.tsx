import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../kit/loading";
import { usePages } from "../../kit/pages";
import { Card, Empty, Field, Head, inputLook, Tag } from "../../kit/parts";
import { Table, type Column } from "../../kit/table";
import { useWords } from "../../kit/words";
import { Copies } from "./Copies";

type Title = Schema["CatalogueTitle"];

const columns: Column<Title>[] = [
  {
    id: "title",
    head: "Title",
    value: (t) => t.name,
    cell: (t) => (
      <Link to="/items" search={{ title: t.id }} className="font-semibold hover:underline">
        {t.name}
      </Link>
    ),
  },
  { id: "author", head: "Author", value: (t) => t.author },
  { id: "year", head: "Year", value: (t) => t.year || "", className: "tabular-nums" },
  {
    id: "in",
    head: "On the shelf",
    value: (t) => `${where(t)} ${t.in} of ${t.copies}`,
    cell: (t) => (
      <>
        <Tag tone={t.here > 0 ? "spruce" : t.in > 0 ? "tide" : "plain"}>{where(t)}</Tag>{" "}
        <span className="text-sm text-ink-2">
          {t.in} of {t.copies}
        </span>
      </>
    ),
  },
  { id: "waiting", head: "Waiting", value: (t) => t.waiting || "", right: true },
];

const where = (t: Title) => (t.here > 0 ? "Here" : t.in > 0 ? "At another branch" : "Not now");

/** Finding titles, their copies, and what happened to one copy. */
export function ItemsPlace() {
  const { words, title, item, code } = useSearch({ from: "/items" });
  if (title || item || code) return <Copies title={title} item={item} code={code} />;
  return <Titles key="titles" words={words ?? ""} />;
}

function Titles({ words }: { words: string }) {
  const navigate = useNavigate();
  const [typed, setTyped] = useWords(
    words,
    (found) => void navigate({ to: "/items", search: { words: found || undefined }, replace: true }),
  );
  const list = usePages(
    ["titles", words],
    (after) => told(api.GET("/api/titles", { params: { query: { words, after } } })),
    { enabled: words.length > 1, keep: true },
  );
  return (
    <div className="grid gap-3.5">
      <Head
        title="Items"
        says={list.data && `${list.pages.hasMore ? "The first " : ""}${list.data.length} titles with these words.`}
      />
      <Field label="Words of title or author, or an ISBN">
        <input
          className={`${inputLook} h-10 max-w-2xl text-lg`}
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
        />
      </Field>
      <Card label="Titles">
        {words.length < 2 ? (
          <Empty>Type words to find titles, or scan an item to see it.</Empty>
        ) : (
          <Loading of={list}>
            {(rows) => (
              <Table
                label="Titles"
                columns={columns}
                rows={rows}
                id={(t) => t.id}
                pages={list.pages}
                tools
                paper={`Titles with “${words}”`}
                className="max-h-[70vh]"
                empty="No title has all of these words. Try fewer, or check the spelling."
              />
            )}
          </Loading>
        )}
      </Card>
    </div>
  );
}
