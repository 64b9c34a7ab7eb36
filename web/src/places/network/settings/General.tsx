import { languages } from "../../../circulation/languages";
import { ChipsField, ChoiceField, saysOf, TextField, NumberField } from "../../../ui/forms";
import { Section } from "./Section";
import { everyRole, type Said } from "./values";

const useSaid = saysOf<Said>();

/** How dates and times are written and typed. */
export function DatesSection() {
  return (
    <Section
      id="dates"
      title="Dates and times"
      hint="Used on screens, slips, letters and emails, and for dates typed in figures. Files always have 2026-10-06 14:30."
      fields={["order", "hours"]}
    >
      <div className="flex flex-wrap items-end gap-3">
        <ChoiceField
          name="order"
          label="Dates"
          options={[
            ["day", "Tue 6 Oct 2026"],
            ["month", "Tue Oct 6, 2026"],
            ["year", "Tue 2026-10-06"],
          ]}
        />
        <ChoiceField
          name="hours"
          label="Times"
          options={[
            ["24", "14:30"],
            ["12", "2:30 pm"],
          ]}
        />
        <Typed />
      </div>
    </Section>
  );
}

function Typed() {
  const order = useSaid("order");
  return (
    <p className="pb-1.5 text-sm text-ink-2">
      A typed {order === "month" ? "10/6" : order === "year" ? "10-06" : "6/10"} is 6 October.
    </p>
  );
}

/** When stations ask who is there, and whose sign-in needs more than a password. */
export function StationsSection() {
  return (
    <Section id="sign-in" title="Stations and sign-in" fields={["idle", "second"]}>
      <NumberField name="idle" label="Idle minutes before a shared station asks for sign-in" hint="0: never" />
      <ChipsField
        name="second"
        label="Roles that need a second factor"
        says="nobody"
        options={everyRole.map((r) => [r, r] as const)}
      />
    </Section>
  );
}

/** From whom email to patrons comes. */
export function EmailSection() {
  return (
    <Section
      id="email"
      title="Messages"
      hint="Email and text messages are sent in the network’s name."
      fields={[
        "sender",
        "reply",
        "text_sender",
        "country",
        "page",
        "languages",
        "leave_from",
        "leave_until",
        "gather",
        "per_minute",
      ]}
    >
      <TextField
        name="sender"
        label="Sender address"
        hint="Leave empty to send no email; messages then wait under Notices."
        width="w-96 max-w-full"
      />
      <TextField name="reply" label="Reply address" hint="Leave empty to use the sender." width="w-96 max-w-full" />
      <div className="flex flex-wrap gap-3">
        <TextField
          name="text_sender"
          label="Text message sender"
          hint="A number or a name. Leave empty to send no text messages."
          width="w-56"
        />
        <TextField
          name="country"
          label="Country of phone numbers"
          hint="Such as CA. Leave empty if all numbers begin with + and the country."
          width="w-20"
        />
      </div>
      <ChipsField name="languages" label="Languages of patrons; the first chosen is the default" options={languages} />
      <TextField
        name="page"
        label="Address of the patrons’ page"
        hint="Such as https://library.example/mine. Named in messages, for renewing and for opting out. Leave empty to name none."
        width="w-96 max-w-full"
      />
      <div className="flex flex-wrap gap-3">
        <TextField name="leave_from" label="Messages leave from" width="w-28" />
        <TextField name="leave_until" label="Until" hint="The same as from: at any time." width="w-28" />
        <TextField
          name="gather"
          label="Minutes to gather"
          hint="Hold and lending notices wait this long, so that a person gets one message."
          inputMode="numeric"
          width="w-28"
        />
        <TextField
          name="per_minute"
          label="Most messages a minute"
          hint="0: no limit."
          inputMode="numeric"
          width="w-28"
        />
      </div>
    </Section>
  );
}

/** The service that is asked for what is known of a title. */
export function RecordsSection() {
  return (
    <Section
      id="records"
      title="Title records"
      hint="Adding a title by ISBN asks this service (SRU, MARCXML)."
      fields={["service", "service_address", "service_covers"]}
    >
      <TextField name="service" label="Name" width="w-64" />
      <TextField
        name="service_address"
        label="Address"
        hint="Such as https://records.example/sru. Leave empty to ask no service."
        width="w-96 max-w-full"
      />
      <TextField
        name="service_covers"
        label="Cover address"
        hint="With {isbn} where the number goes"
        width="w-96 max-w-full"
      />
    </Section>
  );
}

/** For how long what is known of patrons stays. */
export function RetentionSection() {
  return (
    <Section
      id="retention"
      title="How long data is kept"
      hint="Each night removes the link to the patron. Events and accounts stay. A patron’s own choice takes precedence."
      fields={["history", "holds", "messages", "readings", "answers"]}
    >
      <div className="grid gap-2 sm:grid-cols-2">
        <NumberField
          name="history"
          label="Loan history, months after return"
          hint="Leave empty to keep it without limit."
        />
        <NumberField name="holds" label="Ended holds and requests, months" />
        <NumberField name="messages" label="Notices sent, months" />
        <NumberField name="readings" label="Record access log, months" />
        <NumberField name="answers" label="Answers for repeated requests, days" />
      </div>
    </Section>
  );
}
