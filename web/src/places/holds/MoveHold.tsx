import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { ChoiceField, Foot, Form, saysOf, TextField } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { sayCount, sayDate } from "../../ui/say";
import { useWrite } from "../../shell/write";
import { becameOther, useAgain } from "./cancel";

type Row = Schema["HoldsInQueue"];

const schema = z.object({ before: z.string(), reason: check.needed("Enter a reason; it is kept.") });

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
          label="Position"
          options={[
            ...others.map((o) => [String(o.id), `before number ${o.waiting}, ${o.patron}`] as const),
            ["0", "last"],
          ]}
        />
        <TextField name="reason" label="Reason" width="w-72" />
        <Foot write={move} onLeave={done}>
          Move hold
        </Foot>
        <WhatItDoes hold={h} />
      </Form>
    </div>
  );
}

const useSaid = saysOf<z.infer<typeof schema>>();

const when = (f?: Schema["HoldsForeseen"]) => (f ? sayDate(f.likely) : "unknown");

/** What the move would do to those who wait, before it is made. */
function WhatItDoes({ hold: h }: { hold: Row }) {
  const before = useSaid("before");
  const look = useQuery({
    queryKey: ["queue", h.title_id, "move", h.id, before],
    queryFn: () =>
      told(api.GET("/api/holds/{id}/move", { params: { path: { id: h.id }, query: { before: Number(before) } } })),
    staleTime: 0,
    placeholderData: keepPreviousData,
  });
  return (
    <section aria-label="Effect of the move" aria-busy={look.isFetching} className="basis-full text-sm">
      <Loading of={look} lines={2}>
        {({ rows }) =>
          rows.length === 0 ? (
            <p className="text-ink-2">Nothing changes: it is already there.</p>
          ) : (
            <>
              <p className="text-ink-2">
                {sayCount(rows.length, "hold changes its", "holds change their")} number or likely day.
              </p>
              <ul className="max-h-40 overflow-auto">
                {rows.map((r) => (
                  <li key={r.hold} className={r.hold === h.id ? "font-semibold" : ""}>
                    {r.patron}: {r.was === r.is ? `number ${r.is}` : `number ${r.was} becomes ${r.is}`};{" "}
                    {when(r.likely) === when(r.then) ? when(r.then) : `${when(r.likely)} becomes ${when(r.then)}`}
                  </li>
                ))}
              </ul>
            </>
          )
        }
      </Loading>
    </section>
  );
}
