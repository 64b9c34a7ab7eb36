import { useState } from "react";
import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { useClasses } from "../../circulation/classes";
import { ChipsField, ChoiceField, Form, LinesField, MoneyField, Send, TextField, TickField } from "../../ui/forms";
import { useMe } from "../../shell/me";
import { Card } from "../../ui/parts";
import { administrates } from "../../shell/places";
import { useKeep, type Shown } from "./parts";
import { TestMail } from "./TestMail";
import { accounts, everyRole, fields, start, stops, toSettings, waivers, type Said } from "./settled";

type Settings = Schema["SettingsSettings"];

const number = (most: number, least = 0) =>
  z
    .string()
    .trim()
    .regex(/^\d+$/, "Enter a whole number.")
    .refine((t) => Number(t) >= least && Number(t) <= most, `Enter a number from ${least} to ${most}.`);

const schema = z.object({
  second: z.array(z.string()),
  idle: number(720).refine((t) => Number(t) === 0 || Number(t) >= 5, "Enter 0 for never, or 5 and more."),
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
  name: check.needed("Enter a name."),
  symbol: z
    .string()
    .trim()
    .toUpperCase()
    .regex(/^[A-Z0-9-]{2,16}$/, "Enter 2 to 16 letters, digits or hyphens."),
});

function Called({ now }: { now: Shown<Schema["UpkeepOwn"]> }) {
  const [row, setRow] = useState(now); // as it was when this was opened
  const may = administrates(useMe().role);
  const keep = useKeep<Schema["UpkeepOwn"]>(
    "own",
    "Network name",
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
          <TextField name="symbol" label="Symbol for partners" />
          {may && (
            <Send write={keep} plain className="self-end">
              Save
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
    "Network settings",
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
            label="Shared stations ask for sign-in after this many idle minutes (0: never)"
            inputMode="numeric"
            width="w-24"
          />
          <ChipsField
            name="second"
            label="Roles that need a second factor"
            says="nobody"
            options={everyRole.map((r) => [r, r] as const)}
          />
        </Card>
        <Card label="Limits" className="grid gap-3 p-3.5">
          <h2 className="font-semibold">Limits</h2>
          <p className="text-ink-2">The most each role can waive at once. Leave empty for no limit.</p>
          <div className="flex flex-wrap gap-3">
            {waivers.map((r) => (
              <MoneyField key={r} name={`waive.${r}`} label={r} className="w-32" />
            ))}
          </div>
          <TextField
            name="back"
            label="Returns can be backdated by up to this many days (supervisors: any)"
            inputMode="numeric"
            width="w-24"
          />
          <TextField
            name="let_off"
            label="Late days the desk can forgive (supervisors: any)"
            inputMode="numeric"
            width="w-24"
          />
          <h3 className="font-semibold">Who can override a block, with a reason</h3>
          <p className="text-ink-2">Supervisors always can. Nobody lends to an excluded patron.</p>
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
        <Card label="Patron form" className="grid gap-2 p-3.5">
          <h2 className="font-semibold">Patron form</h2>
          <p className="text-ink-2">
            Required fields stop registration. Wanted fields are asked for at each scan until filled.
          </p>
          <div className="grid gap-2 sm:grid-cols-3">
            {fields.map(([f, name, usual]) => (
              <ChoiceField
                key={f}
                name={`fields.${f}`}
                label={name}
                options={[
                  ["", `${usual}, default`],
                  ...["must", "should", "may", "hidden"].filter((n) => n !== usual).map((n) => [n, n] as const),
                ]}
              />
            ))}
          </div>
          <ChipsField
            name="consents"
            label="Who can change a recorded consent, besides supervisors"
            says="nobody"
            options={[
              ["desk", "desk"],
              ["interlibrary", "interlibrary"],
            ]}
          />
          <TickField name="classes" label="Supervisors can edit patron and material classes" />
        </Card>
        <Counter />
        <Money />
        <Holds />
        <People open={settings.sign_ups.open} />
        <Email />
        <Records />
        <Card label="How long data is kept" className="grid gap-2 p-3.5">
          <h2 className="font-semibold">How long data is kept</h2>
          <p className="text-ink-2">
            Each night removes the link to the patron. Events and accounts stay. A patron&apos;s own choice takes
            precedence.
          </p>
          <div className="grid gap-2 sm:grid-cols-2">
            <TextField
              name="history"
              label="Loan history, months after return (empty: no limit)"
              inputMode="numeric"
              width="w-24"
            />
            <TextField name="holds" label="Ended holds and requests, months" inputMode="numeric" width="w-24" />
            <TextField name="messages" label="Notices sent, months" inputMode="numeric" width="w-24" />
            <TextField name="readings" label="Record access log, months" inputMode="numeric" width="w-24" />
            <TextField name="answers" label="Answers for repeated requests, days" inputMode="numeric" width="w-24" />
          </div>
        </Card>
      </fieldset>
      {may && (
        <Send write={keep} className="justify-self-start">
          Save settings
        </Send>
      )}
    </Form>
  );
}

const columns = [
  ["owner", "home branch"],
  ["call", "call number"],
  ["found", "result"],
  ["account", "account"],
  ["who", "scanned by"],
] as const;

const tells = [
  ["waits", "holds ready for the patron"],
  ["rest", "items still on loan"],
] as const;

/** How lending and taking back go. */
function Counter() {
  return (
    <Card label="Counter" className="grid gap-3 p-3.5">
      <h2 className="font-semibold">Counter</h2>
      <TickField name="staged" label="Review before lending (otherwise each scan lends at once)" />
      <TickField name="photos" label="Keep patron photographs" />
      <TickField name="due_others" label="Staff can set due dates for other branches too" />
      <div className="grid gap-2 sm:grid-cols-2">
        <ChoiceField
          name="receipt"
          label="Loan receipt, unless the patron chose otherwise"
          options={[
            ["ask", "ask"],
            ["none", "nothing"],
            ["slip", "a slip"],
            ["mail", "mail"],
            ["both", "slip and email"],
          ]}
        />
        <ChoiceField
          name="collect"
          label="Who can collect another patron’s holds"
          options={[
            ["nobody", "nobody"],
            ["named", "people they named"],
            ["household", "people they named, and their household"],
          ]}
        />
      </div>
      <TickField name="last_look" label="Finishing a return batch shows its piles as a checklist" />
      <ChipsField
        name="slips"
        label="Slips printed automatically (if the station is set to)"
        says="none"
        options={[
          ["hold_shelf", "for the hold shelf"],
          ["tote", "for a tote"],
          ["outside", "for a partner library"],
          ["aside", "for items set aside"],
        ]}
      />
      {(["bin", "patron"] as const).map((of) => (
        <fieldset key={of} className="grid gap-2 sm:grid-cols-3">
          <legend className="pb-1 font-semibold">{of === "bin" ? "From a bin" : "With the patron"}</legend>
          <TextField name={`${of}_lines`} label="Lines shown at once" inputMode="numeric" width="w-24" />
          <ChipsField name={`${of}_columns`} label="Extra columns" says="nothing" options={columns} />
          <ChipsField name={`${of}_tells`} label="Shown about the patron" says="nothing" options={tells} />
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
      <TickField name="till" label="Payments need an open till" />
      <TickField name="ask_daily" label="Stations ask once a day which till they use" />
      <TickField name="blind" label="Blind count: expected amounts are shown after counting, except to supervisors" />
      <TextField name="invoice_days" label="Invoice due after (days)" inputMode="numeric" width="w-24" />
      <div className="grid gap-2 sm:grid-cols-2">
        <LinesField name="invoice_sender" label="Invoice sender: name, address, registration, one per line" />
        <LinesField name="invoice_foot" label="Payment details on invoices" />
      </div>
      <h3 className="font-semibold">Account numbers for bookkeeping</h3>
      <p className="text-sm text-ink-2">Used in the journal. Accounts without a number show their name.</p>
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
        First come, first served. Patron classes can have priority or come last; waiting holds are reordered.
      </p>
      <ChipsField name="first" label="Classes with priority" options={patrons} />
      <ChipsField name="last" label="Classes that come last" options={patrons} />
      <TextField
        name="local"
        label="Prefer local pickups if that delays earlier holds by at most this many days in total (0: never)"
        inputMode="numeric"
        width="w-24"
      />
      <TextField name="per_copy" label="High demand: holds per copy above" inputMode="numeric" width="w-24" />
      <h3 className="font-semibold">Items a branch can fetch per round</h3>
      <p className="text-sm text-ink-2">When a list is full, other branches serve or it waits for the next round.</p>
      <TextField name="round" label="Open minutes between rounds" inputMode="numeric" width="w-24" />
      <div className="grid gap-2 sm:grid-cols-3">
        {branches.map(([code, name]) => (
          <TextField
            key={code}
            name={`fetch_most.${code}`}
            label={`${name} (empty: all)`}
            inputMode="numeric"
            width="w-24"
          />
        ))}
      </div>
      <h3 className="font-semibold">Missing in transit</h3>
      <TextField
        name="remind"
        label="Both branches search after this many open days past the promised date"
        inputMode="numeric"
        width="w-24"
      />
      <TextField name="missing" label="Marked missing after this many" inputMode="numeric" width="w-24" />
    </Card>
  );
}

/** From whom email to patrons comes. */
function Email() {
  return (
    <Card label="Email" className="grid gap-2 p-3.5">
      <h2 className="font-semibold">Email</h2>
      <p className="text-sm text-ink-2">
        Email is sent in the network’s name. Without a sender no email is sent; messages wait under Notices.
      </p>
      <TextField name="sender" label="Sender address" width="w-96 max-w-full" />
      <TextField name="reply" label="Reply address" width="w-96 max-w-full" />
    </Card>
  );
}

/** The service that is asked for what is known of a title. */
function Records() {
  return (
    <Card label="Title records" className="grid gap-2 p-3.5">
      <h2 className="font-semibold">Title records</h2>
      <p className="text-sm text-ink-2">
        Adding a title by ISBN asks this service (SRU, MARCXML). Leave the address empty to ask none.
      </p>
      <TextField name="service" label="Name" width="w-64" />
      <TextField name="service_address" label="Address, such as https://records.example/sru" width="w-96 max-w-full" />
      <TextField name="service_covers" label="Cover address, with {isbn} for the number" width="w-96 max-w-full" />
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
        label="Confirm details at a card scan after this many months (0: never)"
        inputMode="numeric"
        width="w-24"
      />
      <TickField
        name="ask_before"
        label="Ask before lending a title the patron had before, unless they chose otherwise"
      />
      <TickField name="one_address" label="A new address applies to the whole household" />
      <TickField name="guardians" label="Guardians see and renew their children’s loans on their own page" />
      <TickField name="contact" label="Online sign-up needs a phone number or an email address" />
      <TickField name="sign_ups" label="Online sign-up" />
      {open && (
        <p className="text-sm text-ink-2">
          The sign-up page is{" "}
          <a className="link" href="/sign-up" target="_blank" rel="noreferrer">
            {location.origin}/sign-up
          </a>
          . Sign-ups wait under Patrons, Sign-ups.
        </p>
      )}
      <TextField
        name="card_days"
        label="Days a temporary card is valid for searching and holds, not borrowing (0: no card)"
        inputMode="numeric"
        width="w-24"
      />
    </Card>
  );
}
