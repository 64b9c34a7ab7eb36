import { BranchField } from "../../circulation/branches";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { z } from "zod";
import { api, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { DateField, Form } from "../../ui/forms";
import { useMe } from "../../shell/me";
import { Button, Card, Quiet, Trouble } from "../../ui/parts";
import { Tried } from "./Tried";

const schema = z.object({
  branch: z.string(),
  from: check.needed("Choose the first day."),
  until: check.needed("Choose the last day."),
});

const back = (now: string, days: number) =>
  new Date(Date.parse(`${now.slice(0, 10)}T12:00:00Z`) - days * 86_400_000).toISOString().slice(0, 10);

/** What a closed branch would have meant for what really went in the last four weeks. Another timetable is tried where runs are written. */
export function WhatIf() {
  const me = useMe();
  const navigate = useNavigate();
  const [tried, setTried] = useState<Schema["CouriersTried"]>();
  const [problem, setProblem] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const tryIt = async (body: z.infer<typeof schema>) => {
    setProblem(undefined);
    setBusy(true);
    try {
      setTried(await told(api.POST("/api/courier/shut/tried", { body })));
    } catch (e) {
      setTried(undefined);
      setProblem(e);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Card label="What if" className="grid gap-3 p-3.5">
      <div>
        <h2 className="font-semibold">A branch is closed</h2>
        <p className="text-ink-2">
          Tested on what was sent between branches in the last four weeks. Nothing is changed. To test another
          timetable, go to{" "}
          <Quiet onClick={() => void navigate({ to: "/courier", search: { tab: "timetable" } })}>Timetable</Quiet>, edit
          a run, then choose “Test on the last four weeks”.
        </p>
      </div>
      <Form
        label="A branch is closed"
        schema={schema}
        start={{ branch: me.branch, from: back(me.now, 14), until: back(me.now, 8) }}
        onSend={(v) => void tryIt(v)}
        className="flex flex-wrap items-end gap-3"
      >
        <BranchField name="branch" />
        <DateField name="from" label="Closed from" />
        <DateField name="until" label="Last closed day" />
        <Button type="submit" busy={busy}>
          Test
        </Button>
      </Form>
      <Trouble error={problem} />
      {tried && <Tried of={tried} />}
    </Card>
  );
}
