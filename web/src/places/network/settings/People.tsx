import { ChipsField, ChoiceField, MoneyField, TickField, NumberField } from "../../../ui/forms";
import { Section, useOpened } from "./Section";
import { fields, stops, waivers } from "./values";

/** How far who goes without asking. */
export function LimitsSection() {
  return (
    <Section id="limits" title="Limits for staff" fields={["waive", "back", "let_off", "past", "consents", "classes"]}>
      <p className="text-sm text-ink-2">The most each role can waive at once. Leave empty for no limit.</p>
      <div className="flex flex-wrap gap-3">
        {waivers.map((r) => (
          <MoneyField key={r} name={`waive.${r}`} label={r} className="w-36" />
        ))}
      </div>
      <NumberField name="back" label="Days by which returns can be backdated" hint="Supervisors: any" />
      <NumberField name="let_off" label="Late days the desk can forgive" hint="Supervisors: any" />
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
      <h3 className="font-semibold">Who can override a block, with a reason</h3>
      <p className="text-sm text-ink-2">Supervisors always can. Nobody lends to an excluded patron.</p>
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
    </Section>
  );
}

/** What registration asks for. */
export function PatronFormSection() {
  return (
    <Section
      id="patron-form"
      title="Patron form"
      hint="Required fields stop registration. Wanted fields are asked for at each scan until filled."
      fields={["fields", "confirm", "one_address"]}
    >
      <div className="grid gap-2 sm:grid-cols-3">
        {fields.map(([f, name, usual]) => (
          <ChoiceField key={f} name={`fields.${f}`} label={name} options={needs(usual)} />
        ))}
      </div>
      <NumberField
        name="confirm"
        label="Months after which a card scan asks whether the details are still right"
        hint="0: never"
      />
      <TickField name="one_address" label="A new address applies to the whole household" />
    </Section>
  );
}

const saysNeed = { must: "required", should: "wanted", may: "optional", hidden: "hidden" } as const;

const needs = (usual: keyof typeof saysNeed) => [
  ["", saysNeed[usual]] as const,
  ...Object.entries(saysNeed).filter(([need]) => need !== usual),
];

/** What patrons do by themselves. */
export function OnlineSection() {
  const { row } = useOpened();
  return (
    <Section id="online" title="Patrons online" fields={["sign_ups", "contact", "card_days", "guardians"]}>
      <TickField name="sign_ups" label="Online sign-up" />
      {row.is.sign_ups.open && (
        <p className="text-sm text-ink-2">
          The sign-up page is{" "}
          <a className="link" href="/sign-up" target="_blank" rel="noreferrer">
            {location.origin}/sign-up
          </a>
          . Sign-ups wait under Patrons, Sign-ups.
        </p>
      )}
      <TickField name="contact" label="Online sign-up needs a phone number or an email address" />
      <NumberField
        name="card_days"
        label="Days a temporary card is valid for searching and holds, not borrowing"
        hint="0: no temporary card"
      />
      <TickField name="guardians" label="Guardians see and renew their children’s loans on their own page" />
    </Section>
  );
}
