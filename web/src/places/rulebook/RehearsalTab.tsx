import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { useState } from "react";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { ChoiceField, DateField, Form, Send } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Button, Card, Empty, Field, inputLook, Quiet, Tag, Trouble, type Tone } from "../../ui/parts";
import { sayInstant } from "../../ui/say";
import { useWrite } from "../../shell/write";
import { Found } from "./Found";
import type { Edition, Working } from "./types";

type Rehearsal = Schema["RulesRehearsal"];

const tones: Record<Rehearsal["state"], [Tone, string]> = {
  waiting: ["plain", "Waiting"],
  running: ["amber", "Running"],
  done: ["spruce", "Done"],
  stopped: ["plain", "Stopped"],
  failed: ["buoy", "Failed"],
};

const underWay = (state?: Rehearsal["state"]) => state === "waiting" || state === "running";

/** A draft tried on what really happened: how many due dates move, what lateness costs, who would be stopped. */
export function RehearsalTab({ edition, now }: Working) {
  const [chosen, setChosen] = useState<number>();
  const list = usePages(["rehearsals", edition.id], (after) =>
    told(api.GET("/api/rulebook/editions/{id}/rehearsals", { params: { path: { id: edition.id }, query: { after } } })),
  );
  return (
    <div className="grid gap-3.5">
      <Begin edition={edition} now={now} onBegun={setChosen} />
      <Loading
        of={list}
        none={(rows) => rows.length === 0 && chosen === undefined}
        empty="No rehearsals yet. A rehearsal applies these rules to all loans of a period and shows what would have been different."
      >
        {(rows) => {
          const id = chosen ?? rows[0]?.id;
          return (
            <>
              {rows.length > 1 && (
                <div className="flex flex-wrap items-end gap-3">
                  <Field label="Which rehearsal">
                    <select className={inputLook} value={id} onChange={(e) => setChosen(Number(e.target.value))}>
                      {rows.map((x) => (
                        <option key={x.id} value={x.id}>
                          {sayInstant(x.begun_at)}: {x.period}
                          {x.against === 0 ? ", with the rules at the time" : `, with edition ${x.against}`}
                          {x.stale && ", of an earlier state of the draft"}
                        </option>
                      ))}
                    </select>
                  </Field>
                  {list.pages.hasMore && <Quiet onClick={list.pages.fetchMore}>Earlier rehearsals</Quiet>}
                </div>
              )}
              {id === undefined ? <Empty>No rehearsals yet.</Empty> : <One key={id} id={id} />}
            </>
          );
        }}
      </Loading>
    </div>
  );
}

const schema = z
  .object({ since: check.date, until: check.date, against: z.enum(["now", "then"]) })
  .refine((v) => v.until >= v.since, { path: ["until"], message: "Choose a day on or after the first." });

/** The period to rehearse: since the edition in force began, if that is long enough ago, else a year. */
function Begin({ edition, now, onBegun }: { edition: Edition; now: Edition; onBegun: (id: number) => void }) {
  const me = useMe();
  const askAgain = useAskAgain();
  const today = me.now.slice(0, 10);
  const yearAgo = `${Number(today.slice(0, 4)) - 1}${today.slice(4)}`;
  const quarterAgo = new Date(Date.parse(today) - 90 * 86_400_000).toISOString().slice(0, 10);
  const begin = useWrite(
    ({ since, until, against }: z.infer<typeof schema>, key) =>
      api.POST("/api/rulebook/editions/{id}/rehearsals", {
        params: { path: { id: edition.id }, header: keyed(key) },
        body: { since, until, then: against === "then" },
      }),
    {
      name: `rehearse ${edition.id}`,
      about: "Starting the rehearsal",
      done: (r) => {
        onBegun(r.id);
        askAgain("rehearsals");
      },
    },
  );
  return (
    <Card label="Rehearse" className="p-3.5">
      <Form
        label="Rehearse"
        schema={schema}
        start={{
          since: now.from > yearAgo && now.from < quarterAgo ? now.from : yearAgo,
          until: today,
          against: "now",
        }}
        write={begin}
        onSend={begin.run}
        className="flex flex-wrap items-end gap-3"
      >
        <DateField name="since" label="Loans made from" />
        <DateField name="until" label="to" />
        <ChoiceField
          name="against"
          label="Compared with"
          options={[
            ["now", `Edition ${now.number}, in force today`],
            ["then", "The rules in force when each was lent"],
          ]}
        />
        <Send write={begin}>
          Rehearse {edition.state === "draft" ? "draft" : "edition"} {edition.number}
        </Send>
      </Form>
    </Card>
  );
}

function One({ id }: { id: number }) {
  const one = useQuery({
    queryKey: ["rehearsal", id],
    queryFn: () => told(api.GET("/api/rehearsals/{id}", { params: { path: { id } } })),
    // It moves by itself while it runs; nothing else tells how far it is.
    refetchInterval: (q) => (underWay(q.state.data?.state) ? 600 : false),
  });
  return (
    <Loading of={one}>
      {(r) => (
        <>
          {r.state !== "done" && <Progress r={r} />}
          {r.result && <Found r={r} found={r.result} />}
        </>
      )}
    </Loading>
  );
}

function Progress({ r }: { r: Rehearsal }) {
  const queries = useQueryClient();
  const stop = useWrite(
    (id: number, key) => api.POST("/api/rehearsals/{id}/stop", { params: { path: { id }, header: keyed(key) } }),
    {
      name: `stop rehearsal ${r.id}`,
      about: "Stopping the rehearsal",
      done: () => void queries.invalidateQueries({ queryKey: ["rehearsal", r.id] }),
    },
  );
  const [tone, word] = tones[r.state];
  return (
    <Card label="Progress" className="flex flex-wrap items-center gap-4 p-3.5">
      <Tag tone={tone}>{word}</Tag>
      <progress
        className="h-3 flex-1 accent-spruce-700"
        aria-label="Loans rehearsed"
        value={r.done}
        max={Math.max(r.total, 1)}
      />
      <span className="tabular-nums">
        {r.done.toLocaleString("en")} of {r.total.toLocaleString("en")} loans
      </span>
      {underWay(r.state) && (
        <Button busy={stop.busy} onClick={() => stop.run(r.id)}>
          Stop
        </Button>
      )}
      {r.problem && <p className="text-buoy-700">{r.problem}</p>}
      <Trouble error={stop.problem} />
    </Card>
  );
}
