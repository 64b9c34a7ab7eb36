import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { useFormContext, useWatch } from "react-hook-form";
import { z } from "zod";
import { api, told } from "../../api/client";
import { useClasses } from "../../circulation/classes";
import * as check from "../../ui/checks";
import {
  ChipsField,
  ChoiceField,
  DateField,
  Form,
  NumberField,
  saysOf,
  Send,
  TextField,
  TickField,
} from "../../ui/forms";
import { Card } from "../../ui/parts";
import { sayCount } from "../../ui/say";
import { filters, says, type Kind, type Typed } from "./kinds";

const age = z.string().regex(/^\d{0,3}$/, { error: "Enter an age in years." });

const schema: z.ZodType<Typed, Typed> = z
  .object({
    kind: z.enum(["due", "renewals", "charges", "cards", "classes", "pickups"]),
    branches: z.array(z.string()),
    owners: z.array(z.string()),
    homes: z.array(z.string()),
    classes: z.array(z.string()),
    materials: z.array(z.string()),
    roster: z.string(),
    from: check.maybeDate,
    to: check.maybeDate,
    fromAge: age,
    toAge: age,
    how: z.enum(["to", "days", "open"]),
    day: check.maybeDate,
    days: z.string().regex(/^-?\d{0,4}$/, { error: "Enter a number of days." }),
    open: z.boolean(),
    earlier: z.boolean(),
    newClass: z.string(),
    pickup: z.string(),
    reason: check.text.max(300),
  })
  .superRefine((v, ctx) => {
    const wrong = (path: keyof Typed, message: string) => ctx.addIssue({ code: "custom", path: [path], message });
    const dated = v.kind === "due" || v.kind === "cards";
    if (dated && v.how === "to" && !v.day) wrong("day", "Choose the new day.");
    if (dated && v.how === "days" && !Number(v.days)) wrong("days", "Enter a number of days.");
    if (v.kind === "classes" && !v.newClass) wrong("newClass", "Choose the new class.");
    if (v.kind === "pickups" && !v.pickup) wrong("pickup", "Choose the new branch.");
    if (!v.reason.trim()) wrong("reason", "Enter a reason. It is kept with the change.");
  });
const useSaid = saysOf<Typed>();

/** Asks which records are to be changed, and into what. */
export function Ask({
  start,
  onPreview,
  onTyped,
}: {
  start: Typed;
  onPreview: (t: Typed) => void;
  onTyped: (t: Typed) => void;
}) {
  return (
    <Card label="Change">
      <Form label="Change" schema={schema} start={start} onSend={onPreview} className="grid gap-3 p-3.5">
        <Remember onTyped={onTyped} />
        <p className="text-ink-2">{says[start.kind]}</p>
        <Become kind={start.kind} />
        <Which kind={start.kind} />
        <div className="flex flex-wrap items-end gap-3">
          <TextField name="reason" label="Reason" width="w-96 max-w-full" maxLength={300} />
          <Send>Preview</Send>
        </div>
      </Form>
    </Card>
  );
}

/** Keeps what is typed: a scan in the middle opens another place. */
function Remember({ onTyped }: { onTyped: (t: Typed) => void }) {
  const { control } = useFormContext<Typed>();
  const typed = useWatch({ control });
  useEffect(() => onTyped(typed as Typed), [typed, onTyped]);
  return null;
}

/** What the records become. */
function Become({ kind }: { kind: Kind }) {
  const how = useSaid("how");
  const classes = useClasses();
  if (kind === "due" || kind === "cards")
    return (
      <div className="flex flex-wrap items-end gap-3">
        <ChoiceField
          name="how"
          label="Move"
          options={[
            ["to", "to a day"],
            ["days", "by a number of days"],
            ...(kind === "due" ? ([["open", "to the next open day"]] as const) : []),
          ]}
        />
        {how === "to" && <DateField name="day" label="New day" />}
        {how === "days" && <NumberField name="days" label="Days" />}
        {kind === "due" && how !== "open" && (
          <TickField name="open" label="On closed days, to the next open day" className="pb-1.5" />
        )}
        {how !== "open" && <TickField name="earlier" label="Dates may become earlier" className="pb-1.5" />}
      </div>
    );
  if (kind === "classes")
    return <ChoiceField name="newClass" label="New class" options={[["", "choose"], ...classes.patrons]} />;
  if (kind === "pickups")
    return <ChoiceField name="pickup" label="New pickup branch" options={[["", "choose"], ...classes.branches]} />;
  return null;
}

const labels: Record<Kind, { branches: string; dates: string }> = {
  due: { branches: "Lent at", dates: "Due" },
  renewals: { branches: "Lent at", dates: "Due" },
  charges: { branches: "Charged at", dates: "Charged" },
  cards: { branches: "", dates: "Expires" },
  classes: { branches: "", dates: "" },
  pickups: { branches: "Picked up now at", dates: "" },
};

/** Which records are meant. */
function Which({ kind }: { kind: Kind }) {
  const classes = useClasses();
  const rosters = useQuery({
    queryKey: ["rosters", "choose"],
    queryFn: () => told(api.GET("/api/rosters", { params: { query: { most: 500 } } })),
  });
  const has = (field: keyof Typed) => filters[kind].includes(field);
  const label = labels[kind];
  return (
    <fieldset className="grid gap-2.5 rounded-card border border-line bg-sunk p-3">
      <legend className="px-1 font-semibold">Which</legend>
      <div className="flex flex-wrap items-end gap-3">
        {has("from") && <DateField name="from" label={`${label.dates} from`} />}
        {has("to") && <DateField name="to" label={`${label.dates} until`} />}
        {has("fromAge") && <NumberField name="fromAge" label="Age from" />}
        {has("toAge") && <NumberField name="toAge" label="Age to" />}
        {has("roster") && (rosters.data?.rows.length ?? 0) > 0 && (
          <ChoiceField
            name="roster"
            label="Roster"
            options={[
              ["0", "everybody"],
              ...(rosters.data?.rows ?? []).map(
                (r) =>
                  [String(r.id), `${r.name} (${r.branch_name}, ${sayCount(r.members, "person", "people")})`] as const,
              ),
            ]}
          />
        )}
      </div>
      {has("branches") && (
        <ChipsField
          name="branches"
          label={label.branches}
          says={kind === "pickups" ? "choose" : "all"}
          options={classes.branches}
        />
      )}
      {has("classes") && <ChipsField name="classes" label="Patron classes" says="all" options={classes.patrons} />}
      {(has("owners") || has("homes") || has("materials")) && (
        <details>
          <summary className="cursor-pointer text-sm text-ink-2">More filters</summary>
          <div className="mt-2 grid gap-2.5">
            {has("materials") && (
              <ChipsField name="materials" label="Material classes" says="all" options={classes.materials} />
            )}
            {has("owners") && <ChipsField name="owners" label="Items of" says="all" options={classes.branches} />}
            {has("homes") && <ChipsField name="homes" label="Patrons of" says="all" options={classes.branches} />}
          </div>
        </details>
      )}
    </fieldset>
  );
}
