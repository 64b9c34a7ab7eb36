import { useClasses } from "../../../circulation/classes";
import { ChipsField, ChoiceField, LinesField, TextField, TickField, NumberField } from "../../../ui/forms";
import { Section } from "./Section";
import { accounts } from "./values";

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

/** How lending goes. */
export function LendingSection() {
  return (
    <Section
      id="lending"
      title="Lending"
      fields={["staged", "photos", "due_others", "receipt", "collect", "ask_before"]}
    >
      <TickField name="staged" label="Review before lending (otherwise each scan lends at once)" />
      <TickField
        name="ask_before"
        label="Ask before lending a title the patron had before, unless they chose otherwise"
      />
      <TickField name="photos" label="Keep patron photographs" />
      <TickField name="due_others" label="Staff can set due dates for other branches too" />
      <div className="grid gap-2 sm:grid-cols-2">
        <ChoiceField
          name="receipt"
          label="Loan receipt, unless the patron chose otherwise"
          options={[
            ["ask", "ask"],
            ["none", "nothing"],
            ["slip", "slip"],
            ["mail", "email"],
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
    </Section>
  );
}

/** What returning shows and prints. */
export function ReturnsSection() {
  return (
    <Section
      id="returns"
      title="Returns"
      fields={[
        "last_look",
        "slips",
        "bin_lines",
        "bin_columns",
        "bin_tells",
        "patron_lines",
        "patron_columns",
        "patron_tells",
      ]}
    >
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
          <NumberField name={`${of}_lines`} label="Lines shown at once" />
          <ChipsField name={`${of}_columns`} label="Extra columns" says="nothing" options={columns} />
          <ChipsField name={`${of}_tells`} label="Shown about the patron" says="nothing" options={tells} />
        </fieldset>
      ))}
    </Section>
  );
}

/** How money is taken and booked. */
export function MoneySection() {
  return (
    <Section
      id="money"
      title="Money"
      fields={["till", "ask_daily", "blind", "invoice_days", "invoice_sender", "invoice_foot", "accounts"]}
    >
      <TickField name="till" label="Payments need an open till" />
      <TickField name="ask_daily" label="Stations ask once a day which till they use" />
      <TickField name="blind" label="Blind count: expected amounts are shown after counting, except to supervisors" />
      <NumberField name="invoice_days" label="Days until an invoice is due" />
      <div className="grid gap-2 sm:grid-cols-2">
        <LinesField name="invoice_sender" label="Invoice sender" hint="Name, address and registration, one per line" />
        <LinesField name="invoice_foot" label="Payment details on invoices" />
      </div>
      <h3 className="font-semibold">Account numbers for bookkeeping</h3>
      <p className="text-sm text-ink-2">Used in the journal. Accounts without a number show their name.</p>
      <div className="grid gap-2 sm:grid-cols-3">
        {accounts.map(([a, name]) => (
          <TextField key={a} name={`accounts.${a}`} label={name} width="w-32" />
        ))}
      </div>
    </Section>
  );
}

/** Who is next, and how holds are fetched and sent. */
export function HoldsSection() {
  const { patrons, branches } = useClasses();
  return (
    <Section
      id="holds"
      title="Holds and transit"
      hint="First come, first served. Patron classes can have priority or come last; waiting holds are reordered."
      fields={["first", "last", "local", "per_copy", "round", "fetch_most", "remind", "missing"]}
    >
      <ChipsField name="first" label="Classes with priority" options={patrons} />
      <ChipsField name="last" label="Classes that come last" options={patrons} />
      <NumberField
        name="local"
        label="Prefer local pickups if that delays earlier holds by at most this many days in total"
        hint="0: never"
      />
      <NumberField name="per_copy" label="High demand: holds per copy above" />
      <h3 className="font-semibold">Items a branch can fetch per round</h3>
      <p className="text-sm text-ink-2">
        When a list is full, other branches serve or it waits for the next round. Leave a branch empty for no limit.
      </p>
      <NumberField name="round" label="Open minutes between rounds" />
      <div className="grid gap-2 sm:grid-cols-3">
        {branches.map(([code, name]) => (
          <NumberField key={code} name={`fetch_most.${code}`} label={name} />
        ))}
      </div>
      <h3 className="font-semibold">Missing in transit</h3>
      <NumberField name="remind" label="Both branches search after this many open days past the promised date" />
      <NumberField name="missing" label="Marked missing after this many" />
    </Section>
  );
}

/** What travels to and from partners. */
export function InterlibrarySection() {
  return (
    <Section
      id="interlibrary"
      title="Interlibrary"
      hint="Papers that go with parcels carry the statement on copyright, there and back."
      fields={["statement"]}
    >
      <LinesField name="statement" label="Statement on copyright" />
    </Section>
  );
}
