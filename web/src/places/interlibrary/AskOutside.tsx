import { BranchField } from "../../circulation/branches";
import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { PatronField } from "../../circulation/choose";
import { DateField, Form, Send, TextField } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Button, Card, Empty, Field, inputLook, Tag } from "../../ui/parts";
import { plural } from "../../ui/say";
import { useWrite } from "../../shell/write";
import type { Whom } from "./session";

type Chosen = Schema["InterlibraryRecord"] & { partner: number; name: string };

/** Searches all partners at once, and asks one of them for a title. */
export function AskOutside({ words: given, whom, onAsked }: { words: string; whom?: Whom; onAsked: () => void }) {
  const [typed, setTyped] = useState(given);
  const [words, setWords] = useState(given);
  const [chosen, setChosen] = useState<Chosen>();
  return (
    <Card label="Request from a partner" className="grid gap-3 p-3.5">
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          setChosen(undefined);
          setWords(typed.trim());
        }}
      >
        <Field label="Title or author">
          <input className={`${inputLook} w-96 max-w-full`} value={typed} onChange={(e) => setTyped(e.target.value)} />
        </Field>
        <Button type="submit">Search all partners</Button>
      </form>
      {words.length > 1 ? (
        <>
          <Ours words={words} />
          <Theirs words={words} onChoose={setChosen} />
        </>
      ) : (
        <Empty>Results from all partners appear here.</Empty>
      )}
      {chosen && <Details chosen={chosen} whom={whom} onAsked={onAsked} />}
    </Card>
  );
}

/** What we have of it ourselves. */
function Ours({ words }: { words: string }) {
  const ours = useQuery({
    queryKey: ["titles", words, "ours"],
    queryFn: () => told(api.GET("/api/titles", { params: { query: { words, most: 20 } } })),
  });
  const first = ours.data?.rows[0];
  if (!ours.data || !first) return null;
  return (
    <p className="text-sm">
      <Tag tone="amber">We have it</Tag> {first.name} and {ours.data.rows.length - 1}
      {ours.data.next && "+"} {plural(ours.data.rows.length - 1, "more result")}: {first.in} of {first.copies} in.{" "}
      <Link to="/holds" search={{ title: first.id }} className="link">
        Place a hold on it instead
      </Link>
    </p>
  );
}

/** Every partner is asked by itself: each answer is shown as it comes, and one that gave none is asked again alone. */
function Theirs({ words, onChoose }: { words: string; onChoose: (c: Chosen) => void }) {
  const partners = useQuery({
    queryKey: ["requests", "partners"],
    queryFn: () => told(api.GET("/api/interlibrary/partners")),
  });
  return (
    <Loading of={partners} lines={3} none={(p) => p.length === 0} empty="No partners with a catalogue yet.">
      {(list) => list.map((p) => <OnePartner key={p.id} id={p.id} name={p.name} words={words} onChoose={onChoose} />)}
    </Loading>
  );
}

function OnePartner({
  id,
  name,
  words,
  onChoose,
}: {
  id: number;
  name: string;
  words: string;
  onChoose: (c: Chosen) => void;
}) {
  const found = useQuery({
    queryKey: ["outside", words, id],
    queryFn: () => told(api.GET("/api/interlibrary/search", { params: { query: { words, partner: id } } })),
  });
  const f = found.data;
  const silent = f?.problem ?? (found.error ? found.error.message : "");
  return (
    <section aria-label={name} aria-busy={found.isFetching}>
      <h2 className="flex flex-wrap items-baseline gap-x-3 font-semibold">
        {name}
        {found.isFetching && <span className="text-sm font-normal text-ink-2">searching …</span>}
      </h2>
      {silent && !found.isFetching && (
        <p className="flex flex-wrap items-center gap-x-3 text-sm text-buoy-700">
          {silent}
          <Button plain small onClick={() => void found.refetch()}>
            Ask again
          </Button>
        </p>
      )}
      {f && !f.problem && f.records.length === 0 && (
        <p className="text-sm text-ink-2">No results. Try fewer words or another spelling.</p>
      )}
      <ul>
        {f?.records.map((r) => (
          <li key={r.id}>
            <label className="flex cursor-pointer flex-wrap items-baseline gap-x-2 py-1">
              <input type="radio" name="record" onChange={() => onChoose({ ...r, partner: id, name })} />
              <b className="font-semibold">{r.title}</b>
              <span className="text-sm text-ink-2">{[r.author, r.date, r.format].filter(Boolean).join(", ")}</span>
              {r.declined && <Tag tone="amber">{r.declined}</Tag>}
            </label>
          </li>
        ))}
      </ul>
    </section>
  );
}

const schema = z.object({
  patron: z.custom<{ id: number; name: string }>((v) => typeof v === "object" && v !== null, {
    message: "Choose a patron.",
  }),
  pickup: z.string(),
  needed: check.maybeDate,
  note: check.text,
});

/** For whom, by when, and what the partner should know. */
function Details({ chosen, whom, onAsked }: { chosen: Chosen; whom?: Whom; onAsked: () => void }) {
  const me = useMe();
  const ask = useWrite(
    (v: z.infer<typeof schema>, key) =>
      api.POST("/api/interlibrary", {
        params: { header: keyed(key) },
        body: {
          partner: chosen.partner,
          record: chosen.id,
          title: chosen.title,
          author: chosen.author,
          isbn: chosen.isbn,
          patron: v.patron.id,
          pickup: v.pickup,
          note: v.note,
          needed_by: v.needed || undefined,
        },
      }),
    { name: "ask a partner", about: `Asking ${chosen.name} for ${chosen.title}`, done: onAsked },
  );
  return (
    <Form
      label="Patron"
      schema={schema}
      start={{
        pickup: whom?.pickup ?? me.branch,
        needed: "",
        note: "",
        ...(whom && { patron: { id: whom.id, name: whom.name } }),
      }}
      write={ask}
      onSend={ask.run}
      className="grid gap-2.5 border-t border-line pt-3"
    >
      <div className="grid items-start gap-3 md:grid-cols-2 xl:grid-cols-[1fr_170px_150px_1fr]">
        <PatronField name="patron" label="For" />
        <BranchField name="pickup" label="Pickup at" />
        <DateField name="needed" label="Needed by" />
        <TextField name="note" label="Note to the partner (never name the patron)" />
      </div>
      <Send write={ask} className="justify-self-start">
        Send request to {chosen.name}
      </Send>
    </Form>
  );
}
