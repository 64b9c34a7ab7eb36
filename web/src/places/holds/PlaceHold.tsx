import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import { PatronField, TitleField } from "../../kit/choose";
import { ChoiceField, Follows, Form, Send } from "../../kit/forms";
import { useMe } from "../../kit/me";
import { Card, Tag } from "../../kit/parts";
import { Why } from "../../kit/why";
import { useWrite } from "../../kit/write";

const thing = (sentence: string) =>
  z.custom<{ id: number; name: string }>((v) => typeof v === "object" && v !== null, { message: sentence });

const schema = z.object({
  title: thing("Choose a title."),
  patron: thing("Choose for whom."),
  pickup: z.string(),
});

/** Places a hold: which title, for whom, where to pick it up. The answer says which copy and when. */
export function PlaceHold({ title }: { title?: number }) {
  const me = useMe();
  const queries = useQueryClient();
  const [placed, setPlaced] = useState<Schema["HoldsHold"]>();
  const known = useQuery({
    queryKey: ["items", title, "name"],
    enabled: title !== undefined,
    queryFn: () => told(api.GET("/api/items", { params: { query: { title, most: 1 } } })),
  });
  const row = known.data?.rows[0];
  const first = useMemo(() => row && { id: row.title_id, name: row.title }, [row]);
  const place = useWrite(
    (v: z.infer<typeof schema>, key) =>
      api.POST("/api/holds", {
        params: { header: keyed(key) },
        body: { title: v.title.id, patron: v.patron.id, pickup: v.pickup },
      }),
    {
      name: "place a hold",
      about: (v) => `The hold on ${v.title.name}`,
      done: (h) => {
        setPlaced(h);
        void queries.invalidateQueries({ queryKey: ["holds"] });
      },
    },
  );
  return (
    <Card label="Place a hold" className="grid gap-2.5 p-3.5">
      <Form
        key={placed?.id}
        label="Place a hold"
        schema={schema}
        start={{ title: first, pickup: me.branch }}
        write={place}
        onSend={place.run}
        className="grid items-end gap-3 md:grid-cols-2 xl:grid-cols-[1fr_1fr_180px_auto]"
      >
        <TitleField name="title" label="Title" />
        {first && <Follows name="title" value={first} />}
        <PatronField name="patron" label="For" />
        <ChoiceField name="pickup" label="Pickup at" options={me.branches.map((b) => [b.code, b.name] as const)} />
        <Send write={place} className="justify-self-start">
          Place the hold
        </Send>
      </Form>
      {placed && (
        <p role="status">
          <Tag tone="spruce">Placed</Tag> {placed.title}: {placed.says}. <Why trace={placed.why}>Why</Why>
        </p>
      )}
    </Card>
  );
}
