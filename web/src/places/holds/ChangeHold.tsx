import { BranchField } from "../../circulation/branches";
import { z } from "zod";
import { api, keyed } from "../../api/client";
import * as check from "../../ui/checks";
import { DateField, Foot, Form } from "../../ui/forms";
import { useMe } from "../../shell/me";
import { useWrite } from "../../shell/write";
import { becameOther, useAgain, type Hold } from "./cancel";

const schema = z.object({ pickup: z.string(), paused: check.maybeDate, wanted: check.maybeDate });

/** What of a hold that waits can change: where it is picked up, from when on, until when. Its place stays. */
export function ChangeHold({ hold: h, done }: { hold: Hold; done: () => void }) {
  const me = useMe();
  const again = useAgain();
  const change = useWrite(
    (v: z.infer<typeof schema>, key) =>
      api.PATCH("/api/holds/{id}", {
        params: { path: { id: h.id }, header: keyed(key) },
        body: {
          ...(v.pickup !== h.pickup && { pickup: v.pickup }),
          ...(v.paused !== h.paused_until && { paused_until: v.paused }),
          ...(v.wanted !== h.wanted_until && { wanted_until: v.wanted }),
        },
      }),
    {
      name: `change hold ${h.id}`,
      about: () => `The hold on ${h.title}`,
      done: (is) => {
        becameOther(is, `Saved: ${h.patron}`);
        again();
        done();
      },
    },
  );
  const today = me.now.slice(0, 10);
  return (
    <div className="border-y border-line bg-sunk px-3 py-2.5">
      <h3 className="font-semibold">
        {h.title}, for {h.patron}
      </h3>
      <Form
        label={`Edit the hold on ${h.title}`}
        schema={schema}
        start={{ pickup: h.pickup, paused: h.paused_until, wanted: h.wanted_until }}
        write={change}
        onSend={change.run}
        className="mt-1.5 flex flex-wrap items-end gap-3"
      >
        <BranchField name="pickup" label="Pickup at" />
        <DateField name="paused" label="Paused until" min={today} />
        <DateField name="wanted" label="Needed until" min={today} />
        <Foot write={change} onLeave={done}>
          Save hold
        </Foot>
      </Form>
    </div>
  );
}
