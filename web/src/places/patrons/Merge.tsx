import { useQuery } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { useState } from "react";
import { Link } from "@tanstack/react-router";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import { PatronField } from "../../circulation/choose";
import { Form, saysOf } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { Button, Code, Tag, Trouble } from "../../ui/parts";
import { useWrite } from "../../shell/write";
import { Opens } from "./OnRecord";
import { recordOf } from "./recordOf";

type Looked = Schema["MergingLooked"];

const schema = z.object({ other: z.object({ id: z.number(), name: z.string(), text: z.string() }).optional() });
const useSaid = saysOf<z.infer<typeof schema>>();

/** Another record of the same person becomes part of this one. It is previewed, and can be taken apart again. */
export function Merge({ card }: { card: Schema["PeopleCard"] }) {
  return (
    <Opens title="Duplicate record" act="Merge a record into this one">
      {() => (
        <Form label="Merge" schema={schema} start={{ other: undefined }} onSend={() => {}} className="grid gap-2.5">
          <Alike card={card} />
        </Form>
      )}
    </Opens>
  );
}

function Alike({ card }: { card: Schema["PeopleCard"] }) {
  const record = useQuery(recordOf(card.id));
  const [chosen, setChosen] = useState<number>();
  const other = useSaid("other");
  const r = record.data?.record;
  const alike = useQuery({
    queryKey: ["alike", "merge", card.id],
    enabled: !!r,
    queryFn: () =>
      told(
        api.GET("/api/patrons-alike", {
          params: {
            query: {
              name: r?.legal_name ?? "",
              born: r?.born ?? "",
              email: r?.email ?? "",
              phone: r?.phone ?? "",
              card: "",
              but: card.id,
            },
          },
        }),
      ),
  });
  const gone = other?.id ?? chosen;
  return (
    <>
      {(alike.data?.likely ?? []).length > 0 && (
        <ul className="grid gap-1" aria-label="Similar records">
          {alike.data?.likely.map((l) => (
            <li key={l.id}>
              <label className="flex flex-wrap items-baseline gap-x-2">
                <input type="radio" name="gone" checked={gone === l.id} onChange={() => setChosen(l.id)} />
                <b className="font-semibold">{l.name}</b> <Code>{l.card}</Code>
                <span className="text-sm text-ink-2">
                  {l.branch}
                  {l.born && `, born ${l.born}`}; {l.why}
                </span>
              </label>
            </li>
          ))}
        </ul>
      )}
      <PatronField name="other" label="Search for the other record" />
      {gone !== undefined && <Would key={gone} card={card} gone={gone} />}
    </>
  );
}

const fields = (list: string[]) => list.map((f) => f.replaceAll("_", " ")).join(", ");

function Would({ card, gone }: { card: Schema["PeopleCard"]; gone: number }) {
  const askAgain = useAskAgain();
  const [merged, setMerged] = useState<string>();
  const look = useQuery({
    queryKey: ["merge", card.id, gone],
    enabled: merged === undefined,
    staleTime: 0,
    queryFn: () => told(api.GET("/api/patrons/{id}/merge", { params: { path: { id: card.id }, query: { gone } } })),
  });
  const merge = useWrite(
    (_: undefined, key) =>
      api.POST("/api/patrons/{id}/merge", { params: { path: { id: card.id }, header: keyed(key) }, body: { gone } }),
    {
      name: `merge ${card.id} ${gone}`,
      about: `Merging a record into that of ${card.name}`,
      done: () => {
        setMerged(look.data?.gone.name ?? "");
        askAgain();
      },
    },
  );
  if (merged !== undefined)
    return (
      <p role="status">
        <Tag tone="spruce">Merged</Tag> {merged} is now part of this record. You can undo this under “Merged records”.
      </p>
    );
  return (
    <div className="grid gap-2 rounded-card border border-line-strong p-3">
      <Loading of={look} lines={3}>
        {(l) => (
          <>
            <Says looked={l} />
            {l.stands === "" && (
              <Button className="justify-self-start" busy={merge.busy} onClick={() => merge.run(undefined)}>
                Merge: {l.kept.name} stays
              </Button>
            )}
          </>
        )}
      </Loading>
      <Trouble error={merge.problem} />
    </div>
  );
}

function Says({ looked: l }: { looked: Looked }) {
  return (
    <>
      {l.stands && (
        <p role="alert" className="text-buoy-700">
          {l.stands}
        </p>
      )}
      <p>
        <Link to="/patrons" search={{ patron: l.gone.id }} target="_blank" className="link font-semibold">
          {l.gone.name}
        </Link>{" "}
        <Code>{l.gone.card}</Code> is merged into <b className="font-semibold">{l.kept.name}</b>{" "}
        <Code>{l.kept.card}</Code>; both cards then open that record.
        {l.alike ? ` In common: ${l.alike}.` : " The records have nothing in common. Check carefully."}
      </p>
      <ul className="list-disc pl-5 text-sm">
        <li>
          {l.follows.length > 0 ? `Moved with it: ${l.follows.join(", ")}.` : "Nothing is open on it."} Its history is
          moved too.
        </li>
        {l.fills.length > 0 && <li>Fills in: {fields(l.fills)}.</li>}
        {l.differ.length > 0 && <li>Different values for: {fields(l.differ)}. This record’s values are kept.</li>}
        {l.ends.length > 0 && <li>Both have a hold on {l.ends.join(", ")}: the more advanced hold is kept.</li>}
      </ul>
    </>
  );
}
