import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useFieldArray, useFormContext } from "react-hook-form";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import { useClasses } from "../../circulation/classes";
import * as check from "../../ui/checks";
import { ChipsField, ChoiceField, Foot, Form, MoneyField, saysOf, TextField, TickField } from "../../ui/forms";
import { InSight } from "../../ui/insight";
import { Loading } from "../../ui/loading";
import { Button, Card, Quiet, Tag, Trouble } from "../../ui/parts";
import { plural, sayCount, sayMoney, toFigures, toMinor } from "../../ui/say";
import { useKeeping, useTelling, type Plan, type Shown, type Telling } from "./telling";

/** The plans by which patrons are told: what, whom, when and how. */
export function Plans() {
  const telling = useTelling();
  const [open, setOpen] = useState<Shown<Plan>>();
  const [week, setWeek] = useState(false);
  const coming = useQuery({
    queryKey: ["notice week"],
    queryFn: () => told(api.GET("/api/notice-plans/week")),
    enabled: week,
  });
  return (
    <Card label="Plans">
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1 border-b border-line px-4 py-2.5">
        <p className="flex-1 text-ink-2">
          For each kind of notice, the first plan that is on and fits a patron and an item is used.
        </p>
        {!week && (
          <Button plain onClick={() => setWeek(true)}>
            Show the coming week
          </Button>
        )}
        <Trouble error={coming.error} />
      </div>
      <Loading of={telling}>
        {(t) => (
          <ul className="divide-y divide-line">
            {t.sorts.map((sort) => (
              <li key={sort.kind} className="px-4 py-2.5">
                <div className="flex flex-wrap items-baseline gap-x-3">
                  <h2 className="font-semibold">{sort.name}</h2>
                  <p className="text-sm text-ink-2">{sort.says}</p>
                  {
                    <Quiet className="ml-auto" onClick={() => setOpen(copyOf(t, sort.kind))}>
                      Add a plan
                    </Quiet>
                  }
                </div>
                <ul>
                  {t.plans
                    .filter((p) => p.is.kind === sort.kind)
                    .map((p) => (
                      <Line
                        key={p.key}
                        plan={p}
                        telling={t}
                        coming={coming.data?.find((c) => c.plan === p.key)}
                        week={week && coming.isSuccess && sort.nightly}
                        onOpen={() => setOpen(open?.key === p.key ? undefined : p)}
                        open={open?.key === p.key}
                        onClose={() => setOpen(undefined)}
                      />
                    ))}
                </ul>
                {open?.key === "" && open.is.kind === sort.kind && (
                  <One plan={open} telling={t} onClose={() => setOpen(undefined)} />
                )}
              </li>
            ))}
          </ul>
        )}
      </Loading>
    </Card>
  );
}

/** A new plan of a kind, made like the first one of it. */
function copyOf(t: Telling, kind: Plan["kind"]): Shown<Plan> | undefined {
  const first = t.plans.find((p) => p.is.kind === kind);
  return first && { key: "", seen: 0, is: { ...first.is, name: "", position: 10, active: true, trusted: false } };
}

function Line({
  plan: p,
  telling,
  coming,
  week,
  open,
  onOpen,
  onClose,
}: {
  plan: Shown<Plan>;
  telling: Telling;
  coming?: Schema["NoticesComing"];
  week: boolean;
  open: boolean;
  onOpen: () => void;
  onClose: () => void;
}) {
  const { is } = p;
  return (
    <li className="py-1">
      <div className="flex flex-wrap items-baseline gap-x-3">
        <Tag tone={is.active ? "spruce" : "plain"}>{is.active ? "On" : "Off"}</Tag>
        <Quiet aria-expanded={open} onClick={onOpen}>
          {is.name}
        </Quiet>
        <span className="text-sm text-ink-2">
          <Says plan={is} telling={telling} />
        </span>
        {is.trusted && <Tag tone="tide">Sent automatically</Tag>}
        {week && is.active && (
          <span className="ml-auto text-sm tabular-nums text-ink-2">
            next 7 days: {(coming?.days ?? Array<number>(7).fill(0)).join(", ")}
          </span>
        )}
      </div>
      {open && <One key={p.seen} plan={p} telling={telling} onClose={onClose} />}
    </li>
  );
}

const whoGets = [
  ["patron", "the patron"],
  ["guardian", "the guardian or contact person"],
  ["household", "who answers for the household"],
  ["adult", "the adult in charge of the roster"],
] as const;

const sayWay = { mail: "email", text: "text message", phone: "phone", letter: "letter" } as const;
const wayOptions = [
  ["mail", "Email"],
  ["text", "Text message"],
  ["phone", "Phone call"],
  ["letter", "Letter"],
] as const;

/** A plan in a few words. */
function Says({ plan: p, telling }: { plan: Plan; telling: Telling }) {
  const classes = useClasses();
  const sort = telling.sorts.find((s) => s.kind === p.kind);
  const named = (list: string[], options: readonly (readonly [string, string])[]) =>
    list.map((code) => options.find(([c]) => c === code)?.[1] ?? code).join(", ");
  const days = p.stages.map((s) => s.days).join(", ");
  const parts = [
    sort?.days && `${days} ${plural(p.stages.at(-1)?.days ?? 0, p.open_days ? "open day" : "day")} ${sort.days}`,
    p.sum !== undefined && `from ${sayMoney(toFigures(p.sum))}`,
    p.for.classes.length > 0 && named(p.for.classes, classes.patrons),
    p.for.homes.length > 0 && `patrons of ${named(p.for.homes, classes.branches)}`,
    p.for.branches.length > 0 && `at ${named(p.for.branches, classes.branches)}`,
    p.for.materials.length > 0 && named(p.for.materials, classes.materials),
    p.for.collections.length > 0 && named(p.for.collections, classes.collections),
    p.for.owners.length > 0 && `items of ${named(p.for.owners, classes.branches)}`,
    p.for.rosters.length > 0 && sayCount(p.for.rosters.length, "roster"),
    p.to !== "patron" && `to ${whoGets.find(([code]) => code === p.to)?.[1]}`,
    p.ways.map((w) => sayWay[w]).join(", then "),
  ];
  return <>{parts.filter((x) => x).join("; ")}</>;
}

const schema = z.object({
  name: check.needed("Enter a name."),
  active: z.boolean(),
  trusted: z.boolean(),
  position: z.coerce.number({ error: "Enter a number." }).int("Enter a whole number.").min(0, "Enter 0 or more."),
  stages: z.array(
    z.object({
      days: z.coerce
        .number({ error: "Enter a number of days." })
        .int("Enter a whole number.")
        .min(0, "Enter 0 or more."),
      wording: z.string(),
    }),
  ),
  openDays: z.boolean(),
  sum: check.maybeSum,
  to: z.enum(["patron", "guardian", "household", "adult"]),
  way1: z.enum(["mail", "text", "phone", "letter"]),
  way2: z.enum(["", "mail", "text", "phone", "letter"]),
  way3: z.enum(["", "mail", "text", "phone", "letter"]),
  way4: z.enum(["", "mail", "text", "phone", "letter"]),
  classes: z.array(z.string()),
  homes: z.array(z.string()),
  branches: z.array(z.string()),
  materials: z.array(z.string()),
  collections: z.array(z.string()),
  owners: z.array(z.string()),
  rosters: z.array(z.string()),
});
type Said = z.infer<typeof schema>;
const useSaid = saysOf<Said>();

const toForm = (p: Plan): Said => ({
  ...p.for,
  rosters: p.for.rosters.map(String),
  name: p.name,
  active: p.active,
  trusted: p.trusted,
  position: p.position,
  stages: p.stages,
  openDays: p.open_days,
  sum: toFigures(p.sum),
  to: p.to,
  way1: p.ways[0] ?? "mail",
  way2: p.ways[1] ?? "",
  way3: p.ways[2] ?? "",
  way4: p.ways[3] ?? "",
});

const toPlan = (v: Said, was: Plan): Plan => ({
  name: v.name,
  kind: was.kind,
  active: v.active,
  trusted: v.trusted,
  position: v.position,
  stages: v.stages,
  open_days: v.openDays,
  ...(v.sum && { sum: toMinor(v.sum) ?? 0 }),
  to: v.to,
  ways: [v.way1, v.way2, v.way3, v.way4].flatMap((w) => (w ? [w] : [])),
  for: {
    classes: v.classes,
    homes: v.homes,
    branches: v.branches,
    materials: v.materials,
    collections: v.collections,
    owners: v.owners,
    rosters: v.rosters.map(Number),
  },
});

function One({ plan: p, telling, onClose }: { plan: Shown<Plan>; telling: Telling; onClose: () => void }) {
  const sort = telling.sorts.find((s) => s.kind === p.is.kind);
  const classes = useClasses();
  const keep = useKeeping(
    `plan ${p.key}`,
    `The plan ${p.is.name}`,
    (is: Plan, key) =>
      p.key
        ? api.PUT("/api/notice-plans/{key}", {
            params: { path: { key: p.key }, header: keyed(key) },
            body: { seen: p.seen, is },
          })
        : api.POST("/api/notice-plans", { params: { header: keyed(key) }, body: is }),
    onClose,
  );
  const remove = useKeeping(
    `removed plan ${p.key}`,
    `Removing ${p.is.name}`,
    (_: void, key) =>
      api.POST("/api/notice-plans/{key}/remove", {
        params: { path: { key: p.key }, header: keyed(key) },
        body: { seen: p.seen },
      }),
    onClose,
  );
  const found = useQuery({
    queryKey: ["rosters", "choose"],
    queryFn: () => told(api.GET("/api/rosters", { params: { query: { most: 500 } } })),
  });
  const rosters = (found.data?.rows ?? []).map((r) => [String(r.id), `${r.name} (${r.branch_name})`] as const);
  const wordings = telling.wordings.filter((w) => w.is.kind === p.is.kind).map((w) => [w.key, w.is.name] as const);
  return (
    <InSight of={p.key}>
      <Form
        label={p.key ? `Edit ${p.is.name}` : "Add a plan"}
        schema={schema}
        start={toForm(p.is)}
        write={keep}
        onSend={(v) => keep.run(toPlan(v, p.is))}
        className="my-2 grid gap-3 rounded-card border border-line bg-sunk p-3"
      >
        <div className="flex flex-wrap items-end gap-3">
          <TextField name="name" label="Name" width="w-64 max-w-full" focused={!p.key} maxLength={80} />
          <TextField name="position" label="Order" inputMode="numeric" width="w-20" />
          <TickField name="active" label="On" className="pb-1.5" />
          {sort?.nightly && (
            <TickField name="trusted" label="Send automatically while the numbers are as usual" className="pb-1.5" />
          )}
        </div>
        <Stages days={sort?.days ?? ""} wordings={wordings} />
        {sort?.days && <TickField name="openDays" label="Count only days on which the branch is open" />}
        {sort?.sum && <MoneyField name="sum" label="From this sum on" />}
        <div className="flex flex-wrap items-end gap-3">
          <ChoiceField name="to" label="Goes to" options={whoGets} />
          <ChoiceField name="way1" label="First by" options={wayOptions} />
          <ChoiceField name="way2" label="Otherwise by" options={[["", "none"], ...wayOptions]} />
          <ChoiceField name="way3" label="Otherwise by" options={[["", "none"], ...wayOptions]} />
          <ChoiceField name="way4" label="Otherwise by" options={[["", "none"], ...wayOptions]} />
        </div>
        <p className="text-sm text-ink-2">What a patron has chosen comes before these ways.</p>
        <ChipsField name="classes" label="Patron classes" says="all" options={classes.patrons} />
        <ChipsField name="homes" label="Home branch of patrons" says="all" options={classes.branches} />
        {rosters.length > 0 && <ChipsField name="rosters" label="Rosters" says="everybody" options={rosters} />}
        {sort?.about !== "patron" && (
          <>
            <ChipsField name="branches" label="Lent or waiting at" says="all" options={classes.branches} />
            <ChipsField name="materials" label="Material classes" says="all" options={classes.materials} />
            <ChipsField name="collections" label="Collections" says="all" options={classes.collections} />
            <ChipsField name="owners" label="Branches that own the items" says="all" options={classes.branches} />
          </>
        )}
        <div className="flex flex-wrap items-center gap-2">
          <Foot write={keep} onLeave={onClose}>
            {p.key ? "Save" : "Add"}
          </Foot>
          {p.key && telling.own.includes(p.key) && (
            <Button plain busy={remove.busy} onClick={() => remove.run()}>
              Remove
            </Button>
          )}
          <Trouble error={remove.problem} />
        </div>
      </Form>
    </InSight>
  );
}

function Stages({ days, wordings }: { days: string; wordings: readonly (readonly [string, string])[] }) {
  const { control } = useFormContext<Said>();
  const { fields, append, remove } = useFieldArray({ control, name: "stages" });
  const said = useSaid("stages");
  return (
    <div className="grid gap-2">
      {fields.map((f, k) => (
        <div key={f.id} className="flex flex-wrap items-end gap-3">
          {days && (
            <TextField
              name={`stages.${k}.days`}
              label={days === "before" ? "Days before" : `Stage ${k + 1}: days after`}
              inputMode="numeric"
              width="w-28"
            />
          )}
          <ChoiceField name={`stages.${k}.wording`} label="Wording" options={wordings} />
          {fields.length > 1 && <Quiet onClick={() => remove(k)}>Remove</Quiet>}
        </div>
      ))}
      {days === "after" && fields.length < 5 && (
        <Quiet
          className="justify-self-start"
          onClick={() =>
            append({
              days: Number(said.at(-1)?.days ?? 0) + 7,
              wording: said.at(-1)?.wording ?? wordings[0]?.[0] ?? "",
            })
          }
        >
          Add a stage
        </Quiet>
      )}
    </div>
  );
}
