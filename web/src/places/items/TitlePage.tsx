import { sayCount } from "../../ui/say";
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Foot, Form } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Button, Card, Head } from "../../ui/parts";
import { isEmployed } from "../../shell/places";
import { Table } from "../../ui/table";
import { useTop } from "../../ui/top";
import { useWrite } from "../../shell/write";
import { NewCopies } from "./NewCopies";
import { PrintLabels } from "./PrintLabels";
import { copyColumns, useAgain, type Item, volumeColumns } from "./stock";
import { TitleFields, titleSchema, toRecord, toSaid } from "./TitleForm";

type Shown = Schema["CatalogueShown"];

/** One title: all that is known of it, and its copies. */
export function TitlePage({ id }: { id: number }) {
  useTop();
  const title = useQuery({
    queryKey: ["title", id],
    queryFn: () => told(api.GET("/api/titles/{id}", { params: { path: { id } } })),
  });
  return <Loading of={title}>{(t) => <OfTitle title={t} />}</Loading>;
}

function OfTitle({ title: t }: { title: Shown }) {
  const me = useMe();
  const navigate = useNavigate();
  const { tab, material, collection } = useSearch({ from: "/items" });
  // What is open stands in the address: a scan made while copies are added is one of their labels.
  const open = tab;
  const setOpen = (what?: string) => void navigate({ to: "/items", search: { title: t.id, tab: what }, replace: true });
  const toggle = (what: string) => () => setOpen(open === what ? undefined : what);
  const may = isEmployed(me.role);
  return (
    <div className="grid gap-3.5">
      <Head title={t.name} says={[t.author, t.edition, t.year].filter(Boolean).join(", ")}>
        {may && (
          <>
            <Button onClick={() => void navigate({ to: "/holds", search: { title: t.id } })}>Place a hold</Button>
            <Button plain aria-expanded={open === "copies"} onClick={toggle("copies")}>
              Add copies
            </Button>
            <Button plain aria-expanded={open === "change"} onClick={toggle("change")}>
              Edit title
            </Button>
          </>
        )}
        {t.raw && (
          <Button plain aria-expanded={open === "record"} onClick={toggle("record")}>
            Record
          </Button>
        )}
      </Head>
      <About title={t} />
      {may && open === "change" && <Change title={t} onLeave={() => setOpen()} />}
      {may && open === "copies" && <NewCopies title={t.id} name={t.name} material={material} collection={collection} />}
      {open === "record" && (
        <Card label="Record" className="overflow-x-auto p-3.5">
          <p className="pb-1 text-sm text-ink-2">
            Original record{t.source && ` from ${t.source}`}; exported unchanged.
          </p>
          <pre className="font-mono text-sm">{t.raw}</pre>
        </Card>
      )}
      <Copies title={t} />
    </div>
  );
}

const facts = (t: Shown) =>
  [
    [isSerial(t) ? "ISSN" : "ISBN", [t.isbn, ...t.numbers].filter(Boolean).join(", ")],
    ["Publisher", t.publisher],
    ["Extent", t.extent],
    ["Language", t.language],
    ["Series", t.series],
    ["Subjects", t.subjects.join("; ")],
    ["Source of record", t.source],
  ].filter(([, says]) => says);

/** A serial has the number of a serial (ISO 3297), such as 2049-3630, and no ISBN. */
const isSerial = (t: Shown) => !t.isbn && t.numbers.some((n) => /^\d{4}-?\d{3}[\dX]$/.test(n));

function About({ title: t }: { title: Shown }) {
  const known = facts(t);
  return (
    <Card label="Details" className="flex flex-wrap gap-4 p-3.5">
      {t.cover && <img src={`/api/titles/${t.id}/cover`} alt="" className="h-36 rounded border border-line" />}
      <div className="min-w-0 flex-1">
        <p className="font-semibold">
          {t.copies === 0 ? "No copies." : `${sayCount(t.copies, "copy", "copies")}, ${t.free} on the shelf`}
          {t.waiting > 0 && (
            <>
              ;{" "}
              <Link to="/holds" search={{ title: t.id }} className="link">
                {sayCount(t.waiting, "hold")}
              </Link>
            </>
          )}
        </p>
        <dl className="grid grid-cols-[auto_1fr] gap-x-3">
          {known.map(([what, says]) => (
            <div key={what} className="contents">
              <dt className="text-ink-2">{what}</dt>
              <dd>{says}</dd>
            </div>
          ))}
        </dl>
        {t.summary && <p className="max-w-prose pt-1">{t.summary}</p>}
      </div>
    </Card>
  );
}

function Change({ title: t, onLeave }: { title: Shown; onLeave: () => void }) {
  const again = useAgain();
  const [seen] = useState(t); // as it was when this was opened
  const change = useWrite(
    (body: Schema["CatalogueChanging"], key) =>
      api.PUT("/api/titles/{id}", { params: { path: { id: t.id }, header: keyed(key) }, body }),
    {
      name: `title ${t.id}`,
      about: `The title ${t.name}`,
      done: () => {
        again();
        onLeave();
      },
    },
  );
  return (
    <Card label="Edit title" className="p-3.5">
      <Form
        label="Edit title"
        schema={titleSchema}
        start={toSaid(seen)}
        write={change}
        onSend={(s) => change.run({ ...toRecord(s), revision: seen.revision })}
        className="grid gap-3"
      >
        <TitleFields />
        <Foot write={change} onLeave={onLeave}>
          Save
        </Foot>
      </Form>
    </Card>
  );
}

function Copies({ title: t }: { title: Shown }) {
  const me = useMe();
  const navigate = useNavigate();
  const [labels, setLabels] = useState<Item[]>();
  const list = usePages(["items", "of", t.id], (after) =>
    told(api.GET("/api/items", { params: { query: { title: t.id, after } } })),
  );
  return (
    <Card label="Copies">
      {labels && <PrintLabels items={labels} onLeave={() => setLabels(undefined)} />}
      <Loading of={list}>
        {(rows) => (
          <Table
            label="Copies"
            columns={rows.some((i) => i.volume) ? volumeColumns : copyColumns}
            rows={rows}
            id={(i) => i.id}
            pages={list.pages}
            tools
            paper={`Copies of ${t.name}`}
            acts={
              isEmployed(me.role)
                ? [
                    { label: (c) => `Print ${c.length === 1 ? "its label" : `${c.length} labels`}`, run: setLabels },
                    {
                      label: () => "Show first",
                      plain: true,
                      run: ([i]) => i && void navigate({ to: "/items", search: { item: i.id } }),
                    },
                  ]
                : undefined
            }
            empty="No copies yet."
          />
        )}
      </Loading>
    </Card>
  );
}
