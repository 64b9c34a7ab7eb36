import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { api, told, type Schema } from "../../api/client";
import { useClasses } from "../../circulation/classes";
import { Loading } from "../../ui/loading";
import { usePages } from "../../ui/pages";
import { Card, Empty, Field, inputLook, Quiet, Tag } from "../../ui/parts";
import { Table, type Column } from "../../ui/table";
import { useWords } from "../../ui/words";
import { AnyOf } from "./stock";

type Title = Schema["CatalogueTitle"];

const columns: Column<Title>[] = [
  {
    id: "title",
    head: "Title",
    value: (t) => t.name,
    cell: (t) => (
      <Link to="/items" search={{ title: t.id }} className="link font-semibold">
        {t.name}
      </Link>
    ),
  },
  { id: "author", head: "Author", value: (t) => t.author },
  { id: "edition", head: "Edition", value: (t) => t.edition },
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

const where = (t: Title) =>
  t.here > 0 ? "Here" : t.in > 0 ? "At another branch" : t.copies > 0 ? "Not available" : "No copies";

const year = (text: string) => (/^\d{4}$/.test(text) ? Number(text) : undefined);

/** Titles found by words, the best first, narrowed by where and what their copies are. */
export function Titles() {
  const search = useSearch({ from: "/items" });
  const { words = "", branch = "", collection = "", material = "", from = 0, to = 0 } = search;
  const navigate = useNavigate();
  const classes = useClasses();
  const set = (by: typeof search) => void navigate({ to: "/items", search: { ...search, ...by }, replace: true });
  const [typed, setTyped] = useWords(words, (said) => set({ words: said || undefined }));
  const query = { words, branch, collection, material, from, to };
  const asked = words.length > 1;
  const found = usePages(
    ["titles", query],
    (after) => told(api.GET("/api/titles", { params: { query: { ...query, after } } })),
    {
      enabled: asked,
      keep: true,
    },
  );
  return (
    <>
      <div className="flex flex-wrap items-end gap-2.5">
        <Field label="Title, author, series, subject or ISBN">
          <input
            className={`${inputLook} h-10 w-96 max-w-full text-lg`}
            value={typed}
            onChange={(e) => setTyped(e.target.value)}
          />
        </Field>
        <AnyOf
          label="Branch"
          value={branch}
          options={classes.branches}
          any="any branch"
          onChoose={(v) => set({ branch: v || undefined })}
        />
        <AnyOf
          label="Collection"
          value={collection}
          options={classes.collections}
          onChoose={(v) => set({ collection: v || undefined })}
        />
        <AnyOf
          label="Material"
          value={material}
          options={classes.materials}
          onChoose={(v) => set({ material: v || undefined })}
        />
        <Field label="Year from">
          <input
            className={`${inputLook} w-16`}
            inputMode="numeric"
            maxLength={4}
            defaultValue={from || ""}
            onChange={(e) => set({ from: year(e.target.value) })}
          />
        </Field>
        <Field label="to">
          <input
            className={`${inputLook} w-16`}
            inputMode="numeric"
            maxLength={4}
            defaultValue={to || ""}
            onChange={(e) => set({ to: year(e.target.value) })}
          />
        </Field>
      </div>
      <Card label="Titles">
        {!asked ? (
          <Empty>Type words to search, or scan an item.</Empty>
        ) : (
          <Loading of={found}>
            {(rows) =>
              rows.length === 0 ? (
                <Nothing meant={found.first?.better} onWords={(w) => set({ words: w })} />
              ) : (
                <Table
                  label="Titles"
                  columns={columns}
                  rows={rows}
                  id={(t) => t.id}
                  pages={found.pages}
                  tools
                  paper={`Titles with “${words}”`}
                  className="max-h-[66vh]"
                  empty=""
                />
              )
            }
          </Loading>
        )}
      </Card>
    </>
  );
}

/** Says that there is nothing, and what may have been meant. */
function Nothing({ meant, onWords }: { meant?: string; onWords: (words: string) => void }) {
  return (
    <Empty>
      No title matches all of these words.{" "}
      {meant ? (
        <>
          Did you mean <Quiet onClick={() => onWords(meant)}>{meant}</Quiet>?
        </>
      ) : (
        "Try fewer words or another spelling, or search all branches and collections."
      )}
    </Empty>
  );
}
