import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { useFieldArray, useFormContext } from "react-hook-form";
import { useStore } from "zustand";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { PatronField, TitleField } from "../../circulation/choose";
import { ChoiceField, DateField, Follows, Form, saysOf, Send } from "../../ui/forms";
import { useMe } from "../../shell/me";
import { Card, Quiet, Tag, Trouble } from "../../ui/parts";
import { Why } from "../../shell/why";
import { useWrite } from "../../shell/write";
import { byMistake, cancelled, useAgain, useCancel, useCancelMany } from "./cancel";
import { ToQueue } from "./ToQueue";

const thing = (sentence: string) =>
  z.custom<{ id: number; name: string }>((v) => typeof v === "object" && v !== null, { message: sentence });

const usual = "each patron’s usual branch";
const any = "*";

const schema = z
  .object({
    title: thing("Choose a title."),
    patron: z.custom<{ id: number; name: string; pickup?: string } | undefined>(),
    others: z.array(z.object({ who: z.custom<{ id: number; name: string } | undefined>() })),
    roster: z.string(),
    pickup: z.string(),
    only: z.string(),
    paused: check.maybeDate,
    wanted: check.maybeDate,
  })
  .refine((v) => v.roster !== "" || typeof v.patron === "object", { path: ["patron"], message: "Choose a patron." })
  .refine((v) => v.roster !== "" || v.pickup !== "", { path: ["pickup"], message: "Choose a pickup branch." });
type Said = z.infer<typeof schema>;

const useSaid = saysOf<Said>();

/** What of a title's copies a hold is for, as the form says it: any, an edition, a volume, or one of them. */
function onlyOf(said: string): Pick<Schema["HoldsOrder"], "edition" | "volume" | "item"> {
  const what = said.slice(2);
  if (said.startsWith("e:")) return { edition: what };
  if (said.startsWith("v:")) return { volume: what };
  if (said.startsWith("i:")) return { item: Number(what) };
  return {};
}

/** Places a hold: what, for whom, where and when. The answer says which copy and when, or for whom it could not be. */
export function PlaceHold({ title, patron, roster }: { title?: number; patron?: number; roster?: number }) {
  const me = useMe();
  const again = useAgain();
  const [placed, setPlaced] = useState<Schema["HoldsHold"]>();
  const [several, setSeveral] = useState<Schema["HoldsPlaced"]>();
  const [more, setMore] = useState(false);
  const first = useTitle(title);
  const who = useWhom(patron);
  const rosters = useQuery({
    queryKey: ["rosters", "choose"],
    queryFn: () => told(api.GET("/api/rosters", { params: { query: { most: 500 } } })),
  });
  const done = () => again();
  const place = useWrite(
    (v: Said, key) =>
      api.POST("/api/holds", {
        params: { header: keyed(key) },
        body: { title: v.title.id, patron: v.patron?.id ?? 0, pickup: v.pickup, ...dates(v), ...onlyOf(v.only) },
      }),
    {
      name: "place a hold",
      about: (v) => `The hold on ${v.title.name}`,
      done: (h) => {
        setPlaced(h);
        setSeveral(undefined);
        done();
      },
    },
  );
  const placeMany = useWrite(
    (v: Said, key) =>
      api.POST("/api/holds/many", {
        params: { header: keyed(key) },
        body: {
          title: v.title.id,
          patrons: many(v),
          roster: Number(v.roster),
          ...(v.pickup && { pickup: v.pickup }),
          ...dates(v),
          ...onlyOf(v.only),
        },
      }),
    {
      name: "place holds",
      about: (v) => `Holds on ${v.title.name}`,
      done: (p) => {
        setSeveral(p);
        setPlaced(undefined);
        done();
      },
    },
  );
  return (
    <Card label="Place a hold" className="grid gap-2.5 p-3.5">
      <Form
        key={placed?.id ?? several?.holds[0]?.hold}
        label="Place a hold"
        schema={schema}
        start={{
          title: first,
          patron: who,
          others: [],
          roster: roster ? String(roster) : "",
          pickup: me.branch,
          only: any,
          paused: "",
          wanted: "",
        }}
        write={place.problem ? place : placeMany}
        onSend={(v) => (v.roster || many(v).length > 1 ? placeMany.run(v) : place.run(v))}
        className="grid gap-3"
      >
        <div className="grid items-end gap-3 md:grid-cols-2 xl:grid-cols-[1fr_1fr_180px_auto]">
          <TitleField name="title" label="Title" />
          {first && <Follows name="title" value={first} />}
          <PatronField name="patron" label="For" />
          {who && <Follows name="patron" value={who} />}
          <Pickup />
          <Send write={place.busy ? place : placeMany} className="justify-self-start">
            Place hold
          </Send>
        </div>
        {(more || roster) && <Others />}
        {more || roster ? (
          <div className="flex flex-wrap items-end gap-3">
            <Only />
            <ChoiceField
              name="roster"
              label="Or for everybody on a roster"
              options={[
                ["", "none"],
                ...(rosters.data?.rows ?? []).map((r) => [String(r.id), `${r.name} ${r.school}`.trim()] as const),
              ]}
            />
            <DateField name="paused" label="Paused until" min={me.now.slice(0, 10)} />
            <DateField name="wanted" label="Needed until" min={me.now.slice(0, 10)} />
          </div>
        ) : (
          <Quiet className="justify-self-start" onClick={() => setMore(true)}>
            More options: edition or item, dates, several patrons
          </Quiet>
        )}
      </Form>
      {placed && <One key={placed.id} of={placed} />}
      {several && <Several key={several.holds[0]?.hold} of={several} />}
    </Card>
  );
}

/** For whom by name: each once. */
const many = (v: Said) => [...new Set([v.patron, ...v.others.map((o) => o.who)].flatMap((p) => (p ? [p.id] : [])))];

/** Further people for whom the same is placed, one after another in the order in which they stand here. */
function Others() {
  const { control } = useFormContext<Said>();
  const { fields, append, remove } = useFieldArray({ control, name: "others" });
  return (
    <div className="flex flex-wrap items-end gap-3">
      {fields.map((f, k) => (
        <span key={f.id} className="flex items-end gap-2">
          <PatronField name={`others.${k}.who`} label={`And for ${k + 2}`} />
          <Quiet onClick={() => remove(k)}>Remove</Quiet>
        </span>
      ))}
      <Quiet onClick={() => append({ who: undefined })}>Add another patron</Quiet>
    </div>
  );
}

const dates = (v: Said) => ({
  ...(v.paused && { paused_until: v.paused }),
  ...(v.wanted && { wanted_until: v.wanted }),
});

/** The title that the place was opened with, by its name. */
function useTitle(title?: number) {
  const known = useQuery({
    queryKey: ["items", title, "name"],
    enabled: title !== undefined,
    queryFn: () => told(api.GET("/api/items", { params: { query: { title, most: 1 } } })),
  });
  const row = known.data?.rows[0];
  return useThing(row?.title_id, row?.title);
}

/** The patron that the place was opened with. */
function useWhom(patron?: number) {
  const known = useQuery({
    queryKey: ["patron", patron],
    enabled: patron !== undefined,
    queryFn: () => told(api.GET("/api/patrons/{id}", { params: { path: { id: patron ?? 0 } } })),
  });
  return useThing(known.data?.id, known.data?.name, known.data?.pickup);
}

/** One thing by its name, the same as long as it is called so: an answer that comes again chooses nothing anew. */
const useThing = (id?: number, name = "", pickup?: string) =>
  useMemo(() => (id ? { id, name, pickup } : undefined), [id, name, pickup]);

function Pickup() {
  const me = useMe();
  const roster = useSaid("roster");
  const theirs = useSaid("patron")?.pickup;
  const branches = me.branches.map((b) => [b.code, b.name] as const);
  return (
    <>
      {/* It begins where they usually fetch; whoever asks for another branch chooses it then. */}
      {theirs && <Follows name="pickup" value={theirs} />}
      <ChoiceField name="pickup" label="Pickup at" options={roster ? [["", usual], ...branches] : branches} />
    </>
  );
}

/** Which of the copies: offered where they differ. */
function Only() {
  const title = useSaid("title") as Said["title"] | undefined;
  const queue = useQuery({
    queryKey: ["queue", title?.id],
    enabled: !!title,
    queryFn: () => told(api.GET("/api/titles/{id}/queue", { params: { path: { id: title?.id ?? 0 } } })),
  });
  const copies = queue.data?.copies ?? [];
  const of = (key: "edition" | "volume") => [...new Set(copies.map((c) => c[key]))].sort();
  const [editions, volumes] = [of("edition"), of("volume")];
  return (
    <ChoiceField
      name="only"
      label="Copy"
      options={[
        [any, "any copy of the title"],
        ...(editions.length > 1 ? editions.map((e) => [`e:${e}`, e || "the edition in the record"] as const) : []),
        ...(volumes.length > 1 ? volumes.map((v) => [`v:${v}`, v || "copies without a volume"] as const) : []),
        ...copies.map((c) => [`i:${c.item_id}`, `only ${c.barcode}, ${c.home}`] as const),
      ]}
    />
  );
}

/** What was placed just now, and for whom; undone, it says so beneath the list. */
function One({ of: h }: { of: Schema["HoldsHold"] }) {
  const cancel = useCancel(h);
  const { holds: gone } = useStore(cancelled);
  if (gone.some((c) => c.id === h.id)) return null;
  return (
    <div role="status">
      <Tag tone="spruce">Placed</Tag> <ToQueue id={h.title_id} title={h.title} /> for {h.patron}: {h.says}.{" "}
      {h.when?.says} <Why trace={h.why}>Why</Why>{" "}
      <Quiet disabled={cancel.busy} onClick={() => cancel.run(byMistake)}>
        Undo
      </Quiet>
      <Trouble error={cancel.problem} />
    </div>
  );
}

function Several({ of }: { of: Schema["HoldsPlaced"] }) {
  const cancel = useCancelMany();
  const { holds: gone } = useStore(cancelled);
  const left = of.holds.filter((h) => !gone.some((c) => c.id === h.hold));
  return (
    <div role="status">
      <Tag tone={left.length ? "spruce" : of.holds.length ? "plain" : "buoy"}>{left.length} placed</Tag>{" "}
      <ToQueue id={of.title_id} title={of.title} />{" "}
      {left.length > 0 && (
        <Quiet
          disabled={cancel.busy}
          onClick={() =>
            void cancel.run(
              left.map((h) => ({ id: h.hold, title: of.title })),
              byMistake,
            )
          }
        >
          Undo
        </Quiet>
      )}
      {left.length > 0 && (
        <ul aria-label="When they will be ready" className="mt-1 max-h-48 overflow-auto text-sm">
          {left.map((h) => (
            <li key={h.hold}>
              <b className="font-semibold">{h.patron}</b>: {h.says}.{" "}
              {h.when && <span className="text-ink-2">{h.when.says}</span>}
            </li>
          ))}
        </ul>
      )}
      {of.refused.length > 0 && (
        <ul className="mt-1 text-sm">
          {of.refused.map((r) => (
            <li key={r.patron}>
              <b className="font-semibold">{r.name}</b>: {r.says}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}
