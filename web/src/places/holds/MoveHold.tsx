import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import * as check from "../../kit/checks";
import { ChoiceField, Foot, Form, TextField } from "../../kit/forms";
import { useWrite } from "../../kit/write";
import { becameOther, useAgain } from "./cancel";

type Row = Schema["HoldsInQueue"];

const schema = z.object({ before: z.string(), reason: check.needed("Say why. It is kept.") });

/** Moves a hold in its queue, with a reason. It then keeps its place whatever the classes of the others. */
export function MoveHold({ hold: h, among, done }: { hold: Row; among: Row[]; done: () => void }) {
  const again = useAgain();
  const move = useWrite(
    (v: z.infer<typeof schema>, key) =>
      api.POST("/api/holds/{id}/move", {
        params: { path: { id: h.id }, header: keyed(key) },
        body: { before: Number(v.before), reason: v.reason },
      }),
    {
      name: `move hold ${h.id}`,
      about: () => `Moving the hold of ${h.patron}`,
      done: (moved) => {
        becameOther(moved, `Moved: ${h.patron}`);
        again();
        done();
      },
    },
  );
  const others = among.filter((o) => o.state === "waiting" && o.id !== h.id);
  const start = others[0];
  return (
    <div className="border-y border-line bg-sunk px-3 py-2.5">
      <h3 className="font-semibold">
        Number {h.waiting}, {h.patron}
      </h3>
      <Form
        label={`Move the hold of ${h.patron}`}
        schema={schema}
        start={{ before: start ? String(start.id) : "0", reason: "" }}
        write={move}
        onSend={move.run}
        className="mt-1.5 flex flex-wrap items-end gap-3"
      >
        <ChoiceField
          name="before"
          label="Stand"
          options={[
            ...others.map((o) => [String(o.id), `before number ${o.waiting}, ${o.patron}`] as const),
            ["0", "behind all others"],
          ]}
        />
        <TextField name="reason" label="Why" width="w-72" />
        <Foot write={move} onLeave={done}>
          Move the hold
        </Foot>
      </Form>
    </div>
  );
}
