import { useQuery, useQueryClient } from "@tanstack/react-query";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import { ChipsField, Form, MoneyField, Send, TextField } from "../../kit/forms";
import { Loading } from "../../kit/loading";
import { useMe } from "../../kit/me";
import { Card } from "../../kit/parts";
import { administrates } from "../../kit/places";
import { useWrite } from "../../kit/write";
import { start, stops, toSettings, waivers, type Said } from "./settled";

type Settings = Schema["SettingsSettings"];

const number = (most: number, least = 0) =>
  z
    .string()
    .trim()
    .regex(/^\d+$/, "A whole number.")
    .refine((t) => Number(t) >= least && Number(t) <= most, `From ${least} to ${most}.`);
const maybeSum = z
  .string()
  .trim()
  .regex(/^(\d+([.,]\d{1,2})?)?$/, "A sum in figures, or nothing for no limit.");

const schema = z.object({
  idle: number(720).refine((t) => Number(t) === 0 || Number(t) >= 5, "0 for never, or 5 and more."),
  back: number(60),
  waive: z.record(z.string(), maybeSum),
  past: z.record(z.string(), z.array(z.string())),
  history: z.union([z.literal(""), number(1200)]),
  holds: number(120, 1),
  messages: number(120, 1),
  readings: number(120, 1),
  answers: number(60, 1),
}) satisfies z.ZodType<Said>;

/** What the network has settled beside rules and calendars: how far who goes, and for how long what is kept. */
export function Settled() {
  const settings = useQuery({ queryKey: ["settings"], queryFn: () => told(api.GET("/api/settings")) });
  return <Loading of={settings}>{(s) => <Shown key={JSON.stringify(s)} settings={s} />}</Loading>;
}

function Shown({ settings }: { settings: Settings }) {
  const me = useMe();
  const queries = useQueryClient();
  const may = administrates(me.role);
  const keep = useWrite((body: Settings, key) => api.PUT("/api/settings", { params: { header: keyed(key) }, body }), {
    name: "settings",
    about: "The network's settings",
    done: (s) => queries.setQueryData(["settings"], s),
  });
  return (
    <Form
      schema={schema}
      start={start(settings, me.currency)}
      write={keep}
      onSend={(said) => keep.run(toSettings(said, me.currency))}
      className="grid max-w-4xl gap-3.5"
    >
      {!may && <p className="text-ink-2">Who administrates Nevrin changes these.</p>}
      <fieldset disabled={!may} className="grid gap-3.5">
        <Card label="Stations" className="grid gap-2 p-3.5">
          <h2 className="font-semibold">Stations</h2>
          <TextField
            name="idle"
            label="A shared station asks who is there after so many minutes without a hand on it; 0 is never"
            inputMode="numeric"
            width="w-24"
          />
        </Card>
        <Card label="How far without asking" className="grid gap-3 p-3.5">
          <h2 className="font-semibold">How far without asking</h2>
          <p className="text-ink-2">The most that each waives at once. Nothing in the field: no limit.</p>
          <div className="flex flex-wrap gap-3">
            {waivers.map((r) => (
              <MoneyField key={r} name={`waive.${r}`} label={r} className="w-32" />
            ))}
          </div>
          <TextField
            name="back"
            label="Returns count as so many days before the last open day at the most, unless a supervisor chooses"
            inputMode="numeric"
            width="w-24"
          />
          <h3 className="font-semibold">Who lends past what stands in the way, with a reason</h3>
          <p className="text-ink-2">Who supervises may in any case. To who is excluded nobody lends.</p>
          <div className="grid gap-2 sm:grid-cols-2">
            {stops.map(([code, name]) => (
              <ChipsField
                key={code}
                name={`past.${code}`}
                label={name}
                says="supervisors only"
                options={[
                  ["desk", "desk"],
                  ["interlibrary", "interlibrary"],
                  ["volunteer", "volunteer"],
                ]}
              />
            ))}
          </div>
        </Card>
        <Card label="For how long" className="grid gap-2 p-3.5">
          <h2 className="font-semibold">For how long</h2>
          <p className="text-ink-2">
            The night cuts off whose it was. What happened and the books stay. A patron&apos;s own choice about their
            history stands above this one.
          </p>
          <div className="grid gap-2 sm:grid-cols-2">
            <TextField
              name="history"
              label="Who had which item, months after the return; nothing: without limit"
              inputMode="numeric"
              width="w-24"
            />
            <TextField name="holds" label="Holds and requests that ended, months" inputMode="numeric" width="w-24" />
            <TextField name="messages" label="What patrons were told, months" inputMode="numeric" width="w-24" />
            <TextField name="readings" label="Who looked at whom, months" inputMode="numeric" width="w-24" />
            <TextField
              name="answers"
              label="Answers that a repeated request is given again, days"
              inputMode="numeric"
              width="w-24"
            />
          </div>
        </Card>
      </fieldset>
      {may && (
        <Send write={keep} className="justify-self-start">
          Keep these settings
        </Send>
      )}
    </Form>
  );
}
