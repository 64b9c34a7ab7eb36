import { useQuery, useQueryClient } from "@tanstack/react-query";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { DateField, Form, Send, TextField, saysOf } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Card, Quiet, Tag } from "../../ui/parts";
import { plural, sayCount, sayDate } from "../../ui/say";
import { itself, useDraftWrite, useGo } from "./draft";
import type { Edition } from "./types";

type Putting = Schema["RulesPutting"];

const starting = z.object({ from: check.date, reason: check.text });

const puttingKey = (draft: Edition, from: string) => ["putting", draft.id, draft.revision, from] as const;

const useSaid = saysOf<z.infer<typeof starting>>();

/** Puts a draft in force, and says before what that means: what it changes, what it takes back, what does not come out as expected. */
export function PutInForce({ draft, onDone }: { draft: Edition; onDone: () => void }) {
  const me = useMe();
  const queries = useQueryClient();
  const today = me.now.slice(0, 10);
  const put = useDraftWrite(
    `in force ${draft.id}`,
    `Putting draft ${draft.number} in force`,
    (v: z.infer<typeof starting>, key) =>
      api.POST("/api/rulebook/drafts/{id}/in-force", {
        params: { path: { id: draft.id }, header: keyed(key) },
        body: {
          revision: draft.revision,
          against: queries.getQueryData<Putting>(puttingKey(draft, v.from))?.against ?? 0, // what was shown below
          ...v,
        },
      }),
    itself,
    onDone,
  );
  return (
    <Card label="Put in force" className="p-3.5">
      <Form
        label="Put in force"
        schema={starting}
        start={{ from: today, reason: "" }}
        write={put}
        onSend={put.run}
        className="grid gap-3"
      >
        <div className="flex flex-wrap items-end gap-3">
          <DateField name="from" label="From" min={today} />
          <TextField name="reason" label="Reason for the change" width="w-80 max-w-full" />
          <Start write={put} draft={draft} />
        </div>
        <Means draft={draft} />
        <p className="text-sm text-ink-2">Existing loans keep their terms. An edition in force cannot be changed.</p>
      </Form>
    </Card>
  );
}

function Start({ write, draft }: { write: { busy: boolean }; draft: Edition }) {
  const from = useSaid("from");
  const means = useMeans(draft);
  return (
    <Send write={write} disabled={!means.data}>
      Put in force {from && `from ${sayDate(from)}`}
    </Send>
  );
}

/** What it means to put the draft in force from the day in the form. */
function useMeans(draft: Edition) {
  const from = useSaid("from");
  return useQuery({
    queryKey: puttingKey(draft, from),
    enabled: check.date.safeParse(from).success,
    queryFn: () =>
      told(api.GET("/api/rulebook/drafts/{id}/in-force", { params: { path: { id: draft.id }, query: { from } } })),
  });
}

function Means({ draft }: { draft: Edition }) {
  return (
    <Loading of={useMeans(draft)} lines={3}>
      {(p) => <Meant p={p} draft={draft} />}
    </Loading>
  );
}

function Meant({ p, draft }: { p: Putting; draft: Edition }) {
  const go = useGo();
  return (
    <div className="grid gap-2">
      {p.conflicts.map((c) => (
        <p key={c} className="rounded-card border border-buoy-500 bg-buoy-100 px-3 py-2 text-buoy-700">
          Conflict: {c} The draft cannot be put in force with this conflict.
        </p>
      ))}
      {p.failing.length > 0 && (
        <p className="rounded-card border border-amber-500 bg-amber-100 px-3 py-2 text-amber-700">
          {sayCount(p.failing.length, "example")} {plural(p.failing.length, "does", "do")} not give the expected result:{" "}
          {p.failing.join(", ")}. Enter a reason to put it in force anyway.
        </p>
      )}
      {p.dropped.length > 0 && (
        <div className="rounded-card border border-amber-500 bg-amber-100 px-3 py-2 text-amber-700">
          <p>
            This draft was started from edition {p.begun}. It undoes {sayCount(p.dropped.length, "change")} made since
            then. Enter a reason, or make them in the draft first:
          </p>
          <ul className="list-disc pl-5">
            {p.dropped.map((d) => (
              <li key={d.id}>
                <b className="font-semibold">{d.name}</b>: {d.new || "removed"} {d.old && `(before: ${d.old})`}
              </li>
            ))}
          </ul>
        </div>
      )}
      <p>
        {p.rules.length === 0 && !p.ranking
          ? `It has the same effect as edition ${p.number}.`
          : `${sayCount(p.rules.length, "rule")} ${plural(p.rules.length, "differs", "differ")} from edition ${p.number}${p.ranking ? ", and so does the ranking" : ""}.`}
        {p.rehearsal
          ? ` Rehearsed on ${p.rehearsal.period}${p.rehearsal.stale ? ", before its last changes" : ""}.`
          : " It has not been rehearsed."}{" "}
        {p.rehearsal && !p.rehearsal.stale && <Tag tone="spruce">Rehearsed</Tag>}
      </p>
      {p.rules.length > 0 && (
        <ul className="grid max-h-40 gap-1 overflow-y-auto text-sm">
          {p.rules.map((d) => (
            <li key={d.id}>
              <b className="font-semibold">{d.name}</b>: {d.new || "removed"}{" "}
              {d.old && d.new && <span className="text-ink-2">(now: {d.old})</span>}
            </li>
          ))}
        </ul>
      )}
      <p className="flex gap-3 text-sm">
        <Quiet onClick={() => go({ tab: "compare", edition: draft.id })}>Full comparison</Quiet>
        <Quiet onClick={() => go({ tab: "rehearsal", edition: draft.id })}>
          {p.rehearsal ? "Rehearsal" : "Rehearse"}
        </Quiet>
      </p>
    </div>
  );
}
