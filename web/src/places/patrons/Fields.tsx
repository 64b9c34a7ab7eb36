import { useQuery } from "@tanstack/react-query";
import { createContext, useContext, useEffect, useId, useRef, type ReactNode } from "react";
import { useFormContext } from "react-hook-form";
import { api, told, type Schema } from "../../api/client";
import { PatronField } from "../../circulation/choose";
import {
  ChipsField,
  ChoiceField,
  DateField,
  LinesField,
  TextField,
  TickField,
  useSet,
  type Option,
} from "../../ui/forms";
import { languageName } from "../../circulation/languages";
import { useMe } from "../../shell/me";
import { inputLook } from "../../ui/parts";
import { consents, useSaid, whats, type Said } from "./record";

type Form = Schema["PeopleForm"];
type Need = "must" | "should" | "may" | "hidden";

const FormContext = createContext<Form | undefined>(undefined);
export const FormIs = FormContext.Provider;

function useForm() {
  const form = useContext(FormContext);
  if (!form) throw new Error("fields outside of the form for patrons");
  return form;
}

const useNeed = (field: string) => (useForm().needs[field] ?? "may") as Need;

/** A label that says whether the field must be filled. */
const named = (label: string, need: Need) => (need === "must" ? `${label} (needed)` : label);

/** A field that the network may hide, or ask for. */
function Needed({ field, label, children }: { field: string; label: string; children: (label: string) => ReactNode }) {
  const need = useNeed(field);
  return need === "hidden" ? null : children(named(label, need));
}

const Group = ({ title, children }: { title: string; children: ReactNode }) => (
  <fieldset className="grid content-start items-start gap-2.5 border-t border-line pt-2 first:border-0 first:pt-0 sm:grid-cols-2">
    <legend className="sr-only">{title}</legend>
    <p aria-hidden className="font-semibold sm:col-span-2">
      {title}
    </p>
    {children}
  </fieldset>
);

/** All that is written into a record, in the order in which one asks. */
export function Fields({ isNew, known }: { isNew: boolean; known?: Schema["PeopleKnown"] }) {
  const institution = useSaid("institution");
  const me = useMe();
  const returned = useSaid("email_returned");
  return (
    <div className="grid gap-3.5">
      <WhoFields institution={institution} known={known} isNew={isNew} />
      <Group title="Contact">
        <Needed field="phone" label="Phone">
          {(label) => <TextField name="phone" label={label} />}
        </Needed>
        <Needed field="email" label="Email">
          {(label) => <TextField name="email" label={label} />}
        </Needed>
        <Needed field="text" label="Text message number">
          {(label) => <TextField name="text" label={label} />}
        </Needed>
        <LinesField name="other_phones" label="Other phones, one per line" rows={1} />
        {me.languages.length > 1 && (
          <ChoiceField
            name="language"
            label="Language of messages"
            options={[
              ["", `default (${languageName(me.languages[0] ?? "")})`],
              ...me.languages.map((l) => [l, languageName(l)] as const),
            ]}
          />
        )}
        {returned && (
          <TickField name="email_returned" label="Email to this address was returned" className="sm:col-span-2" />
        )}
      </Group>
      <Lives />
      {institution ? <Answers /> : <Household minor={known?.minor ?? false} />}
      {!institution && <Identity minor={known?.minor ?? false} />}
      <Library />
      {isNew && !institution && <AgreesTo minor={known?.minor ?? false} />}
    </div>
  );
}

function WhoFields({
  institution,
  known,
  isNew,
}: {
  institution: boolean;
  known?: Schema["PeopleKnown"];
  isNew: boolean;
}) {
  const form = useForm();
  const set = useSet<Said>();
  const chosen = useSaid("class");
  const last = useRef("");
  const proposed = known?.class ?? "";
  // A birth date proposes the class, until somebody chooses another.
  useEffect(() => {
    if (!isNew || proposed === "" || (chosen !== "" && chosen !== last.current)) return;
    last.current = proposed;
    if (chosen !== proposed) set("class", proposed);
  }, [isNew, proposed, chosen, set]);
  const classes: Option[] = form.classes.map((c) => [c.code, c.name]);
  if (chosen !== "" && !form.classes.some((c) => c.code === chosen))
    classes.push([chosen, `${chosen}, not offered here`]);
  return (
    <Group title={institution ? "Institution" : "Person"}>
      <TextField
        name="legal_name"
        label={institution ? "Name (needed)" : "Legal name (needed)"}
        className="sm:col-span-2"
        focused={isNew}
      />
      {!institution && (
        <>
          <Needed field="preferred_name" label="Preferred name">
            {(label) => <TextField name="preferred_name" label={label} />}
          </Needed>
          <Needed field="born" label="Born">
            {(label) => (
              <DateField name="born" label={label + (known?.age === undefined ? "" : `, age ${known.age}`)} />
            )}
          </Needed>
        </>
      )}
      <div className="grid content-start gap-1">
        <ChoiceField name="class" label="Patron class (needed)" options={[["", "choose"], ...classes]} />
        {known?.misfit && (
          <p role="status" className="text-sm text-amber-700">
            {known.misfit}
          </p>
        )}
      </div>
      <TextField name="shelf_name" label="Name on the hold shelf" placeholder="automatic" />
      <TickField name="institution" label="Institution (school, home, own use)" className="sm:col-span-2" />
    </Group>
  );
}

function Lives() {
  const postal = useSaid("postal_code");
  const { setValue, getValues } = useFormContext<Said>();
  const town = useQuery({
    queryKey: ["town", postal.trim().toUpperCase()],
    enabled: postal.trim().length > 2,
    queryFn: () => told(api.GET("/api/towns", { params: { query: { code: postal } } })),
  });
  const found = town.data?.town;
  useEffect(() => {
    if (found && getValues("town") === "") setValue("town", found);
  }, [found, getValues, setValue]);
  return (
    <Group title="Address">
      <Needed field="address" label="Street address">
        {(label) => <LinesField name="address" label={label} rows={2} className="sm:col-span-2" />}
      </Needed>
      <Needed field="postal_code" label="Postal code">
        {(label) => <TextField name="postal_code" label={label} />}
      </Needed>
      <Needed field="town" label="Town">
        {(label) => <TextField name="town" label={label} />}
      </Needed>
      <Needed field="in_area" label="Lives in our area">
        {(label) => (
          <ChoiceField
            name="in_area"
            label={label}
            options={[
              ["", "unknown"],
              ["yes", "yes"],
              ["no", "no"],
            ]}
          />
        )}
      </Needed>
      <TextField name="home_address" label="Home address, if different" />
      <TickField name="mail_returned" label="Letters to this address were returned" className="sm:col-span-2" />
    </Group>
  );
}

/** Who answers for an institution, and gets its notices where a plan says so. */
const Answers = () => (
  <Group title="Contact person">
    <PatronField name="guardian" label="Contact person’s card" />
  </Group>
);

function Household({ minor }: { minor: boolean }) {
  return (
    <Group title="Household and guardian">
      <Needed field="guardian" label={minor ? "Guardian" : "Guardian, of a minor"}>
        {(label) => <PatronField name="guardian" label={label} />}
      </Needed>
      <Needed field="guardian" label="Guardian without a card">
        {() => <TextField name="guardian_name" label="Guardian without a card" />}
      </Needed>
      <TickField name="answers_for_all" label="Main contact of the household" className="sm:col-span-2" />
    </Group>
  );
}

const kinds = ["Passport", "Driving licence", "Health card", "School card", "Letter with address"];

/** A field with a few usual words below it; others can be typed. */
function Usual({ name, label, words }: { name: keyof Said; label: string; words: string[] }) {
  const { register } = useFormContext<Said>();
  const id = useId();
  return (
    <label className="grid content-start gap-1 text-sm text-ink-2">
      {label}
      <input list={id} autoComplete="off" {...register(name)} className={inputLook} />
      <datalist id={id}>
        {words.map((w) => (
          <option key={w} value={w} />
        ))}
      </datalist>
    </label>
  );
}

function Identity({ minor }: { minor: boolean }) {
  return (
    <Group title="ID and school">
      <Needed field="identity" label="ID checked">
        {(label) => <Usual name="identity" label={label} words={kinds} />}
      </Needed>
      {minor && (
        <Needed field="identity" label="">
          {() => <TickField name="identity_guardian" label="This is the guardian’s ID" className="self-end pb-1.5" />}
        </Needed>
      )}
      <Needed field="identity_two" label="Second ID">
        {(label) => <Usual name="identity_two" label={label} words={kinds} />}
      </Needed>
      <Needed field="identity_number" label="ID number">
        {(label) => <TextField name="identity_number" label={label} />}
      </Needed>
      <Needed field="school" label="School number">
        {(label) => <TextField name="school" label={label} />}
      </Needed>
      <Needed field="school_year" label="School year">
        {(label) => <TextField name="school_year" label={label} />}
      </Needed>
    </Group>
  );
}

function Library() {
  const me = useMe();
  const form = useForm();
  const branches: Option[] = me.branches.map((b) => [b.code, b.name]);
  return (
    <Group title="Library">
      <ChoiceField name="branch" label="Home branch" options={branches} />
      <Needed field="pickup" label="Pickup branch">
        {(label) => <ChoiceField name="pickup" label={label} options={[["", "the home branch"], ...branches]} />}
      </Needed>
      <Needed field="may_use" label="People who can use the card or collect holds, one per line">
        {(label) => <LinesField name="may_use" label={label} rows={2} className="sm:col-span-2" />}
      </Needed>
      {form.marks.length > 0 && (
        <Needed field="marks" label="Tags">
          {(label) => (
            <div className="sm:col-span-2">
              <ChipsField name="marks" label={label} says="nothing" options={form.marks.map((m) => [m, m] as const)} />
            </div>
          )}
        </Needed>
      )}
    </Group>
  );
}

/** What they, or their guardian, agree to: asked while the form is filled in, so that nobody has to come back for it. */
function AgreesTo({ minor }: { minor: boolean }) {
  return (
    <Group title={minor ? "Guardian’s consents" : "Consents"}>
      {whats.map((what) => (
        <ChoiceField
          key={what}
          name={`agreed.${what}`}
          label={consents[what].name}
          options={[["", "not asked"], ...consents[what].options.map((o) => [o, o] as const)]}
        />
      ))}
    </Group>
  );
}
