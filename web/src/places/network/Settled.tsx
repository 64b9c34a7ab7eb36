import { useState } from "react";
import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import * as check from "../../kit/checks";
import { useClasses } from "../../kit/classes";
import { ChipsField, ChoiceField, Form, LinesField, MoneyField, Send, TextField, TickField } from "../../kit/forms";
import { useMe } from "../../kit/me";
import { Card } from "../../kit/parts";
import { administrates } from "../../kit/places";
import { useKeep, type Shown } from "./parts";
import { TestMail } from "./TestMail";
import { accounts, everyRole, fields, start, stops, toSettings, waivers, type Said } from "./settled";

type Settings = Schema["SettingsSettings"];

const number = (most: number, least = 0) =>
  z
    .string()
    .trim()
    .regex(/^\d+$/, "A whole number.")
    .refine((t) => Number(t) >= least && Number(t) <= most, `From ${least} to ${most}.`);

const schema = z.object({
  second: z.array(z.string()),
  idle: number(720).refine((t) => Number(t) === 0 || Number(t) >= 5, "0 for never, or 5 and more."),
  back: number(60),
  waive: z.record(z.string(), check.maybeSum),
  past: z.record(z.string(), z.array(z.string())),
  consents: z.array(z.string()),
  classes: z.boolean(),
  fields: z.record(z.string(), z.string()),
  history: z.union([z.literal(""), number(1200)]),
  holds: number(120, 1),
  messages: number(120, 1),
  readings: number(120, 1),
  answers: number(60, 1),
  ask_before: z.boolean(),
  confirm: number(120),
  sign_ups: z.boolean(),
  contact: z.boolean(),
  guardians: z.boolean(),
  card_days: number(90),
  one_address: z.boolean(),
  service: check.text,
  service_address: check.text,
  service_covers: check.text,
  sender: check.maybeEmail,
  reply: check.maybeEmail,
  let_off: number(60),
  staged: z.boolean(),
  photos: z.boolean(),
  receipt: z.string(),
  collect: z.string(),
  due_others: z.boolean(),
  last_look: z.boolean(),
  slips: z.array(z.string()),
  bin_lines: number(100, 1),
  bin_columns: z.array(z.string()),
  bin_tells: z.array(z.string()),
  patron_lines: number(100, 1),
  patron_columns: z.array(z.string()),
  patron_tells: z.array(z.string()),
  till: z.boolean(),
  ask_daily: z.boolean(),
  blind: z.boolean(),
  invoice_days: number(365),
  invoice_sender: check.text,
  invoice_foot: check.text,
  accounts: z.record(z.string(), z.string().trim().max(40)),
  first: z.array(z.string()),
  last: z.array(z.string()),
  local: number(60),
  fetch_most: z.record(z.string(), z.union([z.literal(""), number(10000)])),
  round: number(1440, 15),
  per_copy: number(100, 1),
  remind: number(60),
  missing: number(120, 1),
}) satisfies z.ZodType<Said>;

/** What the network has settled beside rules and calendars: how far who goes, and for how long what is kept. */
export function Settled({ own, settings }: { own: Shown<Schema["UpkeepOwn"]>; settings: Shown<Settings> }) {
  return (
    <>
      <Called now={own} />
      <Rest now={settings} />
      {administrates(useMe().role) && <TestMail />}
    </>
  );
}

const called = z.object({
  name: check.needed("The network needs a name."),
  symbol: z
    .string()
    .trim()
    .toUpperCase()
    .regex(/^[A-Z0-9-]{2,16}$/, "From 2 to 16 letters, digits and hyphens."),
});

function Called({ now }: { now: Shown<Schema["UpkeepOwn"]> }) {
  const [row, setRow] = useState(now); // as it was when this was opened
  const may = administrates(useMe().role);
  const keep = useKeep<Schema["UpkeepOwn"]>(
    "own",
    "What the network is called",
    ({ seen, is }, key) => api.PUT("/api/network/own", { params: { header: keyed(key) }, body: { seen, is } }),
    (kept, is) => setRow({ key: "", seen: kept.seen, is }),
  );
  return (
    <Card label="The network" className="max-w-4xl p-3.5">
      <h2 className="font-semibold">The network</h2>
      <Form
        key={row.seen}
        schema={called}
        start={row.is}
        write={keep}
        onSend={(is) => keep.run({ key: "", seen: row.seen, is })}
        className="mt-2"
      >
        <fieldset disabled={!may} className="flex flex-wrap items-start gap-2.5">
          <TextField name="name" label="Name" width="w-72" />
          <TextField name="symbol" label="Symbol towards partners" />
          {may && (
            <Send write={keep} plain className="self-end">
              Keep
            </Send>
          )}
        </fieldset>
      </Form>
    </Card>
  );
}

function Rest({ now }: { now: Shown<Settings> }) {
  const [row, setRow] = useState(now); // as it was when this was opened
  const me = useMe();
  const settings = row.is;
  const may = administrates(me.role);
  const keep = useKeep<Settings>(
    "settings",
    "The network's settings",
    ({ seen, is }, key) => api.PUT("/api/network/settings", { params: { header: keyed(key) }, body: { seen, is } }),
    (kept, is) => setRow({ key: "", seen: kept.seen, is }),
  );
  return (
    <Form
      key={row.seen}
      schema={schema}
      start={start(settings, me.currency)}
      write={keep}
      onSend={(said) => keep.run({ key: "", seen: row.seen, is: toSettings(said, me.currency) })}
      className="grid max-w-4xl gap-3.5"
    >
      <fieldset disabled={!may} className="grid gap-3.5">
        <Card label="Stations" className="grid gap-2 p-3.5">
          <h2 className="font-semibold">Stations and signing in</h2>
          <TextField
            name="idle"
            label="A shared station asks who is there after so many minutes without a hand on it; 0 is never"
            inputMode="numeric"
            width="w-24"
          />
          <ChipsField
            name="second"
            label="Who needs a second factor to sign in"
            says="nobody"
            options={everyRole.map((r) => [r, r] as const)}
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
          <TextField
            name="let_off"
            label="So many days of lateness are let off at the desk at the most, unless a supervisor lets off more"
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
        <Card label="The form for patrons" className="grid gap-2 p-3.5">
          <h2 className="font-semibold">The form for patrons</h2>
          <p className="text-ink-2">
            What must be filled stops registering; what should be is asked for at each scan of the card until it is.
          </p>
          <div className="grid gap-2 sm:grid-cols-3">
            {fields.map(([f, name, usual]) => (
              <ChoiceField
                key={f}
                name={`fields.${f}`}
                label={name}
                options={[
                  ["", `${usual}, as usual`],
                  ...["must", "should", "may", "hidden"].filter((n) => n !== usual).map((n) => [n, n] as const),
                ]}
              />
            ))}
          </div>
          <ChipsField
            name="consents"
            label="Who beside supervisors changes a consent that has been given"
            says="nobody"
            options={[
              ["desk", "desk"],
              ["interlibrary", "interlibrary"],
            ]}
          />
          <TickField name="classes" label="Supervisors add and change patron and material classes" />
        </Card>
        <Counter />
        <Money />
        <Holds />
        <People open={settings.sign_ups.open} />
        <Email />
        <Records />
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

const columns = [
  ["owner", "where it belongs"],
  ["call", "call number"],
  ["found", "what we found"],
  ["account", "account"],
  ["who", "who scanned it"],
] as const;

const tells = [
  ["waits", "what waits for the patron"],
  ["rest", "what the patron still has"],
] as const;

/** How lending and taking back go. */
function Counter() {
  return (
    <Card label="The counter" className="grid gap-3 p-3.5">
      <h2 className="font-semibold">The counter</h2>
      <TickField name="staged" label="Review loans before they are made; otherwise each scan lends at once" />
      <TickField name="photos" label="Photographs of patrons are kept, so that a borrowed card is noticed" />
      <TickField name="due_others" label="Due dates are set by hand of other branches' items and patrons too" />
      <div className="grid gap-2 sm:grid-cols-2">
        <ChoiceField
          name="receipt"
          label="What somebody gets of what was lent to them, where they have chosen nothing"
          options={[
            ["ask", "they are asked"],
            ["none", "nothing"],
            ["slip", "a slip"],
            ["mail", "mail"],
            ["both", "a slip and mail"],
          ]}
        />
        <ChoiceField
          name="collect"
          label="Who fetches what waits for somebody else"
          options={[
            ["nobody", "nobody"],
            ["named", "those whom they have named"],
            ["household", "those, and their household"],
          ]}
        />
      </div>
      <TickField name="last_look" label="Finishing a returns run shows its piles to be ticked off" />
      <ChipsField
        name="slips"
        label="Slips that print by themselves, where the station is set so"
        says="none"
        options={[
          ["hold_shelf", "for the hold shelf"],
          ["tote", "for a tote"],
          ["outside", "for a library outside"],
          ["aside", "for what is put aside"],
        ]}
      />
      {(["bin", "patron"] as const).map((of) => (
        <fieldset key={of} className="grid gap-2 sm:grid-cols-3">
          <legend className="pb-1 font-semibold">{of === "bin" ? "From the bin" : "The patron is here"}</legend>
          <TextField name={`${of}_lines`} label="Lines at once" inputMode="numeric" width="w-24" />
          <ChipsField
            name={`${of}_columns`}
            label="Beside time, item and where it goes"
            says="nothing"
            options={columns}
          />
          <ChipsField name={`${of}_tells`} label="Told of the patron of a line" says="nothing" options={tells} />
        </fieldset>
      ))}
    </Card>
  );
}

/** How money is taken and booked. */
function Money() {
  return (
    <Card label="Money" className="grid gap-3 p-3.5">
      <h2 className="font-semibold">Money</h2>
      <TickField name="till" label="Money is taken only into a till that has been opened" />
      <TickField name="ask_daily" label="A station asks once a day which till it takes money into" />
      <TickField name="blind" label="Tills are counted before their expected sums are shown; supervisors see them" />
      <TextField name="invoice_days" label="An invoice is due after so many days" inputMode="numeric" width="w-24" />
      <div className="grid gap-2 sm:grid-cols-2">
        <LinesField name="invoice_sender" label="Who sends invoices: name, address, registration, a line each" />
        <LinesField name="invoice_foot" label="How to pay, at the foot of invoices" />
      </div>
      <h3 className="font-semibold">Numbers of accounts in the bookkeeping</h3>
      <p className="text-sm text-ink-2">They stand in the journal. An account without a number has its name there.</p>
      <div className="grid gap-2 sm:grid-cols-3">
        {accounts.map(([a, name]) => (
          <TextField key={a} name={`accounts.${a}`} label={name} width="w-32" />
        ))}
      </div>
    </Card>
  );
}

/** Who is next, and how holds are fetched and sent. */
function Holds() {
  const { patrons, branches } = useClasses();
  return (
    <Card label="Holds" className="grid gap-3 p-3.5">
      <h2 className="font-semibold">Holds</h2>
      <p className="text-sm text-ink-2">
        Who asked first is next. Patron classes may stand before or behind all others; who waits already moves along.
      </p>
      <ChipsField name="first" label="Stand before all others" options={patrons} />
      <ChipsField name="last" label="Stand behind all others" options={patrons} />
      <TextField
        name="local"
        label="A copy that comes back goes to a reader there first, if that costs nobody who asked earlier more days than, all in all (0: never)"
        inputMode="numeric"
        width="w-24"
      />
      <TextField
        name="per_copy"
        label="A title needs more copies with more waiting for each copy than"
        inputMode="numeric"
        width="w-24"
      />
      <h3 className="font-semibold">What a branch can fetch in a round</h3>
      <p className="text-sm text-ink-2">
        Where its list is full, other branches serve, or it comes a round later; the Fetch list then shares the work
        anew.
      </p>
      <TextField name="round" label="From one round to the next, in open minutes" inputMode="numeric" width="w-24" />
      <div className="grid gap-2 sm:grid-cols-3">
        {branches.map(([code, name]) => (
          <TextField
            key={code}
            name={`fetch_most.${code}`}
            label={`${name}; nothing: all`}
            inputMode="numeric"
            width="w-24"
          />
        ))}
      </div>
      <h3 className="font-semibold">What was sent and has not come</h3>
      <TextField
        name="remind"
        label="Both ends are asked to look after so many open days past the promise"
        inputMode="numeric"
        width="w-24"
      />
      <TextField name="missing" label="It counts as missing after so many" inputMode="numeric" width="w-24" />
    </Card>
  );
}

/** From whom email to patrons comes. */
function Email() {
  return (
    <Card label="Email" className="grid gap-2 p-3.5">
      <h2 className="font-semibold">Email</h2>
      <p className="text-sm text-ink-2">
        Email to patrons comes in the name of the network. Without a sender none is sent; messages wait under Notices.
      </p>
      <TextField name="sender" label="The address that it comes from" width="w-96 max-w-full" />
      <TextField name="reply" label="Where answers go; nothing: to the sender" width="w-96 max-w-full" />
    </Card>
  );
}

/** The service that is asked for what is known of a title. */
function Records() {
  return (
    <Card label="Records of titles" className="grid gap-2 p-3.5">
      <h2 className="font-semibold">Records of titles</h2>
      <p className="text-sm text-ink-2">
        Who adds a title by its ISBN asks this service over SRU, for MARCXML. Without an address nobody is asked.
      </p>
      <TextField name="service" label="What people call it" width="w-64" />
      <TextField
        name="service_address"
        label="Its address, such as https://records.example/sru"
        width="w-96 max-w-full"
      />
      <TextField
        name="service_covers"
        label="The address of its pictures, with {isbn} where the number stands; nothing: none"
        width="w-96 max-w-full"
      />
    </Card>
  );
}

/** What is asked of people, and whether they sign up by themselves. */
function People({ open }: { open: boolean }) {
  return (
    <Card label="People" className="grid gap-2 p-3.5">
      <h2 className="font-semibold">People</h2>
      <TextField
        name="confirm"
        label="After so many months a scan of the card asks whether the details are still right; 0 is never"
        inputMode="numeric"
        width="w-24"
      />
      <TickField
        name="ask_before"
        label="Lending asks first where somebody has had the title before, unless they chose otherwise"
      />
      <TickField
        name="one_address"
        label="A household has one address: written anew for one, it holds for all who had the old one"
      />
      <TickField
        name="guardians"
        label="Guardians see on their own page what their children have on loan, wait for and owe, and renew it"
      />
      <TickField name="contact" label="Who signs up by themselves gives a phone number or an email address" />
      <TickField name="sign_ups" label="People sign up by themselves, on a page of their own" />
      {open && (
        <p className="text-sm text-ink-2">
          The page is{" "}
          <a className="link" href="/sign-up" target="_blank" rel="noreferrer">
            {location.origin}/sign-up
          </a>
          . Who signs up waits under Patrons, Sign-ups.
        </p>
      )}
      <TextField
        name="card_days"
        label="For how many days a temporary card holds, with which they look and place holds and do not borrow; 0 is none"
        inputMode="numeric"
        width="w-24"
      />
    </Card>
  );
}
