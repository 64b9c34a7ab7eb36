import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { api, keyed, told, type Schema } from "../../api/client";
import { Form, Send, TickField } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Button, Card, Field, inputLook, Quiet, Tag } from "../../ui/parts";
import { usePrompt } from "../../shell/scan";
import { useWrite } from "../../shell/write";
import { z } from "zod";
import { FromFile } from "./FromFile";
import { Proposed, type Proposal } from "./Proposed";
import { useAgain } from "./stock";
import { nothingSaid, TitleFields, titleSchema, toRecord, toSaid } from "./TitleForm";

const schema = z.intersection(titleSchema, z.object({ twice: z.boolean() }));

/** A title is added by its ISBN, from a file, or by hand; then its copies. */
export function Add() {
  const me = useMe();
  usePrompt("Scan the ISBN of a book to add it");
  const navigate = useNavigate();
  const { isbn = "" } = useSearch({ from: "/items" });
  const [taken, setTaken] = useState<{ by: "hand" } | { by: "file" } | { by: "record"; record: Proposal }>();
  const ask = (text: string) => {
    setTaken(undefined);
    void navigate({ to: "/items", search: { tab: "add", isbn: text.trim() || undefined } });
  };
  return (
    <>
      <form
        className="flex flex-wrap items-end gap-2.5"
        onSubmit={(e) => {
          e.preventDefault();
          const said = new FormData(e.currentTarget).get("isbn");
          if (typeof said === "string") ask(said);
        }}
      >
        <Field label="ISBN">
          <input key={isbn} className={`${inputLook} h-10 w-60 text-lg`} name="isbn" defaultValue={isbn} />
        </Field>
        <Button type="submit">Get record</Button>
        <Button plain onClick={() => setTaken({ by: "file" })}>
          From a MARC file
        </Button>
        <Button plain onClick={() => setTaken({ by: "hand" })}>
          Enter by hand
        </Button>
        {me.records && (
          <a href={me.records} target="_blank" rel="noreferrer" className="link pb-1">
            Numbers to try
          </a>
        )}
      </form>
      {!taken && isbn && <Asked isbn={isbn} onTake={(record) => setTaken({ by: "record", record })} />}
      {taken?.by === "hand" && <NewTitle isbn={isbn} />}
      {taken?.by === "file" && <FromFile onTake={(record) => setTaken({ by: "record", record })} />}
      {taken?.by === "record" && (
        <NewTitle key={taken.record.source + taken.record.name} from={taken.record} isbn={isbn} />
      )}
    </>
  );
}

/** What is known of an ISBN: here, and at the service. */
function Asked({ isbn, onTake }: { isbn: string; onTake: (record: Proposal) => void }) {
  const answer = useQuery({
    queryKey: ["records", isbn],
    queryFn: () => told(api.GET("/api/records", { params: { query: { isbn } } })),
    staleTime: 60_000,
  });
  return (
    <Card label="Record found" className="grid gap-2 p-3.5">
      <Loading of={answer} lines={3}>
        {(a) => (
          <>
            {a.here.map((t) => (
              <p key={t.id}>
                <Tag tone="spruce">Already in the catalogue</Tag>{" "}
                <Link to="/items" search={{ title: t.id }} className="link font-semibold">
                  {t.name}
                </Link>{" "}
                {t.author}: add copies there.
              </p>
            ))}
            {a.problem && (
              <p role="alert" className="text-amber-700">
                {a.problem} <Quiet onClick={() => void answer.refetch()}>Retry</Quiet>
              </p>
            )}
            {a.proposals.map((p) => (
              <Proposed key={p.source} proposal={p} service={a.service} onTake={() => onTake(p)} />
            ))}
            {a.proposals.length === 0 && !a.problem && (
              <p>
                {a.service} does not know {a.isbn}. Enter the title by hand.
              </p>
            )}
          </>
        )}
      </Loading>
    </Card>
  );
}

/** A title to be written down, filled in from a record where there is one. */
function NewTitle({ from, isbn }: { from?: Proposal; isbn: string }) {
  const again = useAgain();
  const navigate = useNavigate();
  const add = useWrite(
    (body: Schema["CatalogueAdding"], key) => api.POST("/api/titles", { params: { header: keyed(key) }, body }),
    {
      name: `add ${from?.source ?? "by hand"} ${isbn}`,
      about: "Adding a title",
      done: (t) => {
        again();
        // Its copies come next, where what is scanned is one of their labels.
        const search = { title: t.id, tab: "copies", material: from?.material, collection: from?.collection };
        void navigate({ to: "/items", search });
      },
    },
  );
  return (
    <Card label="New title" className="p-3.5">
      <Form
        label="New title"
        schema={schema}
        start={{ ...(from ? toSaid(from) : { ...nothingSaid, isbn }), twice: false }}
        write={add}
        onSend={({ twice, ...s }) =>
          add.run({ ...toRecord(s), twice, ...(from && !from.another ? { from: from.from, source: from.source } : {}) })
        }
        className="grid gap-3"
      >
        <TitleFields />
        <TickField name="twice" label="This is a different title with the same ISBN" />
        <span>
          <Send write={add}>Add title</Send>
        </span>
      </Form>
    </Card>
  );
}
