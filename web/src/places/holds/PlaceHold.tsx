import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { Choices, usePatronChoice } from "../../kit/choosePatron";
import { useMe } from "../../kit/me";
import { Button, Card, Field, inputLook, Tag, Trouble } from "../../kit/parts";
import { Why } from "../../kit/why";

/** Places a hold: which title, for whom, where to pick it up. The answer says which copy and when. */
export function PlaceHold({ title, onPlaced }: { title?: number; onPlaced: () => void }) {
  const me = useMe().data!;
  const [words, setWords] = useState("");
  const [chosen, setChosen] = useState<{ id: number; name: string }>();
  const { patron, ...choice } = usePatronChoice();
  const [pickup, setPickup] = useState(me.branch);
  const [placed, setPlaced] = useState<Schema["HoldsHold"]>();
  const [error, setError] = useState<unknown>();
  const items = useQuery({
    queryKey: ["items", title],
    enabled: !!title,
    queryFn: () => told(api.GET("/api/items", { params: { query: { title } } })),
  });
  const titles = useQuery({
    queryKey: ["titles", words],
    enabled: words.length > 2 && !chosen,
    queryFn: () => told(api.GET("/api/titles", { params: { query: { words } } })),
  });
  const target = chosen ?? (title && items.data?.rows![0] ? { id: title, name: items.data.rows![0].title } : undefined);

  const place = () =>
    told(
      api.POST("/api/holds", { params: { header: newKey() }, body: { title: target!.id, patron: patron!.id, pickup } }),
    ).then(
      (h) => {
        setPlaced(h);
        setError(undefined);
        setChosen(undefined);
        choice.clear();
        setWords("");
        onPlaced();
      },
      (e) => setError(e),
    );

  return (
    <Card label="Place a hold" className="grid gap-2.5 p-3.5">
      <div className="grid grid-cols-[1fr_1fr_180px_auto] items-end gap-3">
        <Field label="Title">
          <input
            className={inputLook}
            value={target?.name ?? words}
            onChange={(e) => (setChosen(undefined), setWords(e.target.value))}
            placeholder="Words of title or author"
            readOnly={!!title}
          />
        </Field>
        {choice.field}
        <Field label="Pickup at">
          <select className={inputLook} value={pickup} onChange={(e) => setPickup(e.target.value)}>
            {me.branches!.map((b) => (
              <option key={b.code} value={b.code}>
                {b.name}
              </option>
            ))}
          </select>
        </Field>
        <Button disabled={!target || !patron} onClick={() => void place()}>
          Place the hold
        </Button>
      </div>
      {titles.data && !target && words.length > 2 && (
        <Choices
          empty="No title has all of these words."
          more={titles.data.rows!.length > 8}
          list={titles.data.rows!.slice(0, 8).map((t) => ({
            id: t.id,
            head: t.name,
            text: `${t.author}${t.author && ", "}${t.in} of ${t.copies} in, ${t.waiting} waiting`,
            choose: () => setChosen({ id: t.id, name: t.name }),
          }))}
        />
      )}
      {choice.list}
      <Trouble error={error} />
      {placed && (
        <p role="status">
          <Tag tone="spruce">Placed</Tag> {placed.title}: {placed.says}. <Why trace={placed.why}>Why this copy</Why>
        </p>
      )}
    </Card>
  );
}
