import { z } from "zod";
import type { Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { saysOf } from "../../ui/forms";

type Record = Schema["PersonRecord"];

/** What a guardian or a grown-up may agree to, and the answers that each can be given. */
export const consents = {
  older_reader: { name: "Older-reader material", options: ["yes", "no"] },
  internet: { name: "Internet", options: ["none", "filtered", "full"] },
  photo: { name: "Photographs", options: ["yes", "no"] },
} as const;
export type What = keyof typeof consents;
export const whats = Object.keys(consents) as What[];

type Answers = { [what in What]: string };
export const notAsked: Answers = { older_reader: "", internet: "", photo: "" };

/** The answers that have been given, or are others than before. */
export const agreedOf = (answers: Answers, before: Answers = notAsked) =>
  whats
    .filter((what) => answers[what] !== "" && answers[what] !== before[what])
    .map((what) => ({ what, answer: answers[what] }) as Schema["PeopleAgreed"]);

/** What the form says of a record: all of it texts and ticks. */
export const schema = z.object({
  legal_name: check.needed("Enter a name."),
  preferred_name: check.text,
  shelf_name: check.text,
  institution: z.boolean(),
  born: check.maybeDate,
  class: check.needed("Choose a patron class."),
  branch: z.string(),
  card: check.text,
  card_until: check.maybeDate,
  email: z.union([z.literal(""), z.string().trim().includes("@", { message: "Enter an email address with an @." })]),
  phone: check.text,
  other_phones: check.text,
  text: check.text,
  address: check.text,
  postal_code: check.text,
  town: check.text,
  home_address: check.text,
  mail_returned: z.boolean(),
  email_returned: z.boolean(),
  language: z.string(),
  in_area: z.enum(["", "yes", "no"]),
  guardian: z.object({ id: z.number(), name: z.string(), text: z.string() }).optional(),
  guardian_name: check.text,
  answers_for_all: z.boolean(),
  identity: check.text,
  identity_two: check.text,
  identity_number: check.text,
  identity_guardian: z.boolean(),
  school: check.text,
  school_year: check.text,
  pickup: z.string(),
  may_use: check.text,
  marks: z.array(z.string()),
  agreed: z.object({ older_reader: z.string(), internet: z.string(), photo: z.string() }),
});

export type Said = z.infer<typeof schema>;

/** What a field of the form says now. */
export const useSaid = saysOf<Said>();

const lines = (texts: string[]) => texts.join("\n");
const listed = (text: string) =>
  text
    .split("\n")
    .map((t) => t.trim())
    .filter(Boolean);

export const empty: Record = {
  legal_name: "",
  preferred_name: "",
  shelf_name: "",
  institution: false,
  class: "",
  branch: "",
  card: "",
  email: "",
  phone: "",
  other_phones: [],
  text: "",
  address: "",
  postal_code: "",
  town: "",
  home_address: "",
  mail_returned: false,
  email_returned: false,
  language: "",
  guardian: 0,
  guardian_name: "",
  household: 0,
  answers_for_all: false,
  identity: "",
  identity_two: "",
  identity_number: "",
  identity_guardian: false,
  school: "",
  school_year: "",
  pickup: "",
  may_use: [],
  marks: [],
};

/** A record as the form says it. The guardian's name is told beside the record. */
export function toSaid(r: Record, guardian: string): Said {
  return {
    ...r,
    agreed: { ...notAsked },
    born: r.born ?? "",
    card_until: r.card_until ?? "",
    other_phones: lines(r.other_phones),
    may_use: lines(r.may_use),
    in_area: r.in_area === undefined ? "" : r.in_area ? "yes" : "no",
    guardian: r.guardian ? { id: r.guardian, name: guardian, text: "" } : undefined,
  };
}

/** And back. The household is not said in the form: it is kept as it was; what they agree to is no part of it. */
export function toRecord({ agreed, ...s }: Said, household: number): Record {
  return {
    ...s,
    born: s.born || undefined,
    card_until: s.card_until || undefined,
    other_phones: listed(s.other_phones),
    may_use: listed(s.may_use),
    in_area: s.in_area === "" ? undefined : s.in_area === "yes",
    guardian: s.guardian?.id ?? 0,
    household,
  };
}

/** What the next one of a household has in common with one who has just been registered. */
export function nextOf(r: Record, id: number, grown: boolean): Record {
  return {
    ...empty,
    branch: r.branch,
    address: r.address,
    postal_code: r.postal_code,
    town: r.town,
    in_area: r.in_area,
    phone: r.phone,
    email: r.email,
    pickup: r.pickup,
    household: r.household,
    guardian: grown ? id : r.guardian,
    guardian_name: grown ? "" : r.guardian_name,
  };
}
