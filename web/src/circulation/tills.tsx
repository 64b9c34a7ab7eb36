import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../api/client";
import * as check from "../ui/checks";
import { Follows, Foot, Form, MoneyField, TextField } from "../ui/forms";
import { Loading } from "../ui/loading";
import { useMe } from "../shell/me";
import { Button, Card, inputLook, Quiet } from "../ui/parts";
import { sayInstant, sayMoney, toFigures, toMinor } from "../ui/say";
import { useStationHere } from "../shell/settings";
import { takeInto, useTillDay } from "./till";
import { useWrite } from "../shell/write";

/** The day at the branch where one works, which a station's till is chosen for. */
const useDay = () => useMe().now.slice(0, 10);

/** The tills that are open where one works. */
export function useOpenTills() {
  const me = useMe();
  return useQuery({ queryKey: ["tills", me.branch], queryFn: () => told(api.GET("/api/tills")) });
}

/** Whether a station has still to say which till its money goes into today, where the network wants that. */
export function useAsksTill() {
  const me = useMe();
  const day = useTillDay();
  return me.ask_till && day !== me.now.slice(0, 10);
}

/** Asks which till the money of this station goes into. */
export function WhichTill() {
  const me = useMe();
  const today = useDay();
  const tills = useOpenTills();
  const [opening, setOpening] = useState(false);
  return (
    <section aria-label="Till of this station" className="grid gap-2">
      <p className="font-semibold">Choose today’s till for this station</p>
      <Loading of={tills} lines={2}>
        {({ rows }) => (
          <div className="flex flex-wrap items-center gap-2.5">
            {rows.map((t) => (
              <Button key={t.id} plain onClick={() => takeInto(t.id, today)}>
                {t.name}, open since {sayInstant(t.opened_at)}
              </Button>
            ))}
            {!opening && (
              <Button plain={rows.length > 0} onClick={() => setOpening(true)}>
                Open a till
              </Button>
            )}
            {rows.length === 0 && !me.till && (
              <Quiet onClick={() => takeInto(0, today)}>No till today; assign the money later</Quiet>
            )}
          </div>
        )}
      </Loading>
      {opening && <OpenTill onDone={() => setOpening(false)} />}
    </section>
  );
}

const opened = z.object({ name: check.needed("Enter a name."), laid_in: check.sumOrNothing });

/** Opens a till, and lets this station take into it. */
export function OpenTill({ onDone }: { onDone: () => void }) {
  const me = useMe();
  const today = useDay();
  const here = useStationHere();
  const station = me.stations.find((s) => String(s.id) === here);
  const open = useWrite(
    (body: Schema["AccountsOpening"], key) => api.POST("/api/tills", { params: { header: keyed(key) }, body }),
    {
      name: "open a till",
      about: "Opening a till",
      done: (t) => {
        takeInto(t.id, today);
        onDone();
      },
    },
  );
  return (
    <Card label="Open a till" className="max-w-xl p-3.5">
      <Form
        label="Open a till"
        schema={opened}
        start={{ name: station?.name ?? "Counter", laid_in: "" }}
        write={open}
        onSend={open.run}
        className="flex flex-wrap items-end gap-2.5"
      >
        <TextField name="name" label="Till name" />
        <MoneyField name="laid_in" label="Opening float" className="w-36" />
        <CoinsAndNotes into="laid_in" />
        <Foot write={open} onLeave={onDone}>
          Open till
        </Foot>
      </Form>
    </Card>
  );
}

/** What so many of each coin and note come to, in minor units; a field that is empty counts as none. */
export const sumOfPieces = (counts: Record<string, string>) =>
  Object.entries(counts).reduce((sum, [piece, count]) => sum + (toMinor(piece) ?? 0) * (Number(count) || 0), 0);

/** Adds up coins and notes into a form's field, for who would rather count pieces than reckon. */
export function CoinsAndNotes({ into }: { into: string }) {
  const me = useMe();
  const [open, setOpen] = useState(false);
  const [counts, setCounts] = useState<Record<string, string>>({});
  const sum = sumOfPieces(counts);
  const counted = Object.values(counts).some((n) => n !== "");
  return (
    <div className="basis-full">
      {counted && <Follows name={into} value={toFigures(sum)} />}
      <Quiet onClick={() => setOpen(!open)} aria-expanded={open}>
        {open ? "Hide coins and notes" : "Count coins and notes"}
      </Quiet>
      {open && (
        <fieldset className="mt-2 grid gap-2">
          <legend className="sr-only">Number of each coin and note</legend>
          <div className="grid grid-cols-[repeat(auto-fill,minmax(9.5rem,1fr))] gap-x-4 gap-y-1.5">
            {me.pieces.map((piece) => (
              <label key={piece} className="flex items-center justify-between gap-2 text-sm tabular-nums">
                {sayMoney(piece)}
                <input
                  inputMode="numeric"
                  className={`${inputLook} w-16 text-right`}
                  value={counts[piece] ?? ""}
                  onChange={(e) => setCounts({ ...counts, [piece]: e.target.value.replace(/\D/g, "").slice(0, 5) })}
                />
              </label>
            ))}
          </div>
          <p aria-live="polite">
            Total <b className="font-semibold tabular-nums">{sayMoney(toFigures(sum))}</b>
          </p>
        </fieldset>
      )}
    </div>
  );
}
