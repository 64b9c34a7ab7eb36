import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { usePatronChoice } from "../../kit/choosePatron";
import { useMe } from "../../kit/me";
import { Button, Card, Empty, Field, inputLook, Loading, Tag, Trouble } from "../../kit/parts";

type Chosen = Schema["InterlibraryRecord"] & { partner: number; name: string };

/** Searches all partners at once, and asks one of them for a title. */
export function AskOutside({ words: given, onAsked }: { words: string; onAsked: () => void }) {
  const me = useMe().data!;
  const [typed, setTyped] = useState(given);
  const [words, setWords] = useState(given);
  const [chosen, setChosen] = useState<Chosen>();
  const { patron, ...choice } = usePatronChoice();
  const [pickup, setPickup] = useState(me.branch);
  const [needed, setNeeded] = useState("");
  const [note, setNote] = useState("");
  const [error, setError] = useState<unknown>();
  useEffect(() => (setTyped(given), setWords(given)), [given]);
  const found = useQuery({
    queryKey: ["outside", words],
    enabled: words.length > 1,
    queryFn: () => told(api.GET("/api/interlibrary/search", { params: { query: { words } } })),
  });
  const ours = useQuery({
    queryKey: ["titles", words],
    enabled: words.length > 1,
    queryFn: () => told(api.GET("/api/titles", { params: { query: { words } } })),
  });
  const ask = () =>
    told(
      api.POST("/api/interlibrary", {
        params: { header: newKey() },
        body: {
          partner: chosen!.partner,
          record: chosen!.id,
          title: chosen!.title,
          author: chosen!.author,
          isbn: chosen!.isbn,
          patron: patron!.id,
          pickup,
          note,
          needed_by: needed || undefined,
        },
      }),
    ).then(onAsked, setError);
  return (
    <Card label="Ask outside" className="grid gap-3 p-3.5">
      <form
        className="flex items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          setChosen(undefined);
          setWords(typed.trim());
        }}
      >
        <Field label="Words of title or author">
          <input className={`${inputLook} w-96`} value={typed} onChange={(e) => setTyped(e.target.value)} />
        </Field>
        <Button type="submit">Search all partners</Button>
      </form>
      {!!ours.data?.rows!.length && (
        <p className="text-sm">
          <Tag tone="amber">We own it</Tag> {ours.data.rows![0]!.name} and {ours.data.rows!.length - 1}
          {ours.data.next && "+"} more with these words: {ours.data.rows![0]!.in} of {ours.data.rows![0]!.copies} in.
          Place a hold under Items instead?
        </p>
      )}
      {found.isFetching && <Loading lines={3} />}
      {found.data?.map((f) => (
        <section key={f.partner_id} aria-label={f.partner}>
          <h2 className="font-semibold">{f.partner}</h2>
          {f.problem && <p className="text-sm text-buoy-700">{f.problem}</p>}
          {!f.problem && f.records.length === 0 && (
            <p className="text-sm text-ink-2">Nothing with all of these words. Try fewer, or another spelling.</p>
          )}
          <ul>
            {f.records.map((r) => (
              <li key={r.id}>
                <label className="flex cursor-pointer items-baseline gap-2 py-1">
                  <input
                    type="radio"
                    name="record"
                    onChange={() => setChosen({ ...r, partner: f.partner_id, name: f.partner })}
                  />
                  <b className="font-semibold">{r.title}</b>
                  <span className="text-sm text-ink-2">
                    {r.author}, {r.date}, {r.format}
                  </span>
                </label>
              </li>
            ))}
          </ul>
        </section>
      ))}
      {!found.data && !found.isFetching && <Empty>Answers of all partners stand here.</Empty>}
      <Trouble error={error ?? found.error} />
      {chosen && (
        <div className="grid gap-2.5 border-t border-line pt-3">
          <div className="grid grid-cols-[1fr_170px_150px_1fr] items-end gap-3">
            {choice.field}
            <Field label="Pickup at">
              <select className={inputLook} value={pickup} onChange={(e) => setPickup(e.target.value)}>
                {me.branches.map((b) => (
                  <option key={b.code} value={b.code}>
                    {b.name}
                  </option>
                ))}
              </select>
            </Field>
            <Field label="Needed by">
              <input type="date" className={inputLook} value={needed} onChange={(e) => setNeeded(e.target.value)} />
            </Field>
            <Field label="Note to the partner (never for whom)">
              <input className={inputLook} value={note} onChange={(e) => setNote(e.target.value)} />
            </Field>
          </div>
          {choice.list}
          <Button className="justify-self-start" disabled={!patron} onClick={() => void ask()}>
            Ask {chosen.name} for it
          </Button>
        </div>
      )}
    </Card>
  );
}
