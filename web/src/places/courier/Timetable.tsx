import { BranchField } from "../../circulation/branches";
import { useQuery } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { useRef, useState } from "react";
import { useFieldArray, useFormContext } from "react-hook-form";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { ChipsField, DateField, DatesField, Form, TextField, WhenChanged } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Button, Card, Quiet, Tag, Trouble } from "../../ui/parts";
import { readTime } from "../../ui/dates";
import { sayDate, sayTime } from "../../ui/say";
import { useWrite } from "../../shell/write";
import { Moved } from "./Moved";
import { Tried } from "./Tried";

type Row = Schema["UpkeepShownTrip"];
type Trip = Schema["UpkeepTrip"];

const week = [
  ["mon", "Mon"],
  ["tue", "Tue"],
  ["wed", "Wed"],
  ["thu", "Thu"],
  ["fri", "Fri"],
  ["sat", "Sat"],
  ["sun", "Sun"],
] as const;

/** The courier's timetable: its runs, written anew by who supervises after a look at what that does. */
export function Timetable() {
  const me = useMe();
  const may = me.role === "supervisor" || me.role === "administrator";
  const [open, setOpen] = useState<string>();
  const [kept, setKept] = useState<{ name: string; seen: number }>();
  const runs = useQuery({ queryKey: ["trips"], queryFn: () => told(api.GET("/api/courier/runs")) });
  return (
    <Card label="Timetable" className="grid gap-2 p-3.5">
      {kept && <Back key={kept.seen} kept={kept} done={() => setKept(undefined)} />}
      <Loading of={runs} none={(r) => r.length === 0} empty="No runs yet. Add one below.">
        {(rows) => (
          <ul className="grid gap-2">
            {rows.map((r) => (
              <li key={`${r.key} ${r.seen}`} className="border-b border-line pb-2">
                <Line row={r} />
                {may &&
                  (open === r.key ? (
                    <Edit row={r} done={() => setOpen(undefined)} kept={setKept} />
                  ) : (
                    <Quiet onClick={() => setOpen(r.key)}>Edit</Quiet>
                  ))}
              </li>
            ))}
          </ul>
        )}
      </Loading>
      {may &&
        (open === "" ? (
          <Edit done={() => setOpen(undefined)} kept={setKept} />
        ) : (
          <Quiet className="justify-self-start" onClick={() => setOpen("")}>
            Add run
          </Quiet>
        ))}
    </Card>
  );
}

/** What another timetable changes. */
const again = ["trips", "courier day", "transits", "fetch", "strays"] as const;

/** What was changed last, to be undone. */
function Back({ kept, done }: { kept: { name: string; seen: number }; done: () => void }) {
  const askAgain = useAskAgain();
  const back = useWrite(
    (id: number, key) => api.POST("/api/courier/changes/{id}/back", { params: { path: { id }, header: keyed(key) } }),
    {
      name: `run back ${kept.seen}`,
      about: () => `The run ${kept.name} as it was`,
      done: () => {
        askAgain(...again);
        done();
      },
    },
  );
  return (
    <div role="status">
      <Tag tone="spruce">Saved</Tag> {kept.name} has been changed, and promised dates with it.{" "}
      <Quiet disabled={back.busy} onClick={() => back.run(kept.seen)}>
        Undo
      </Quiet>
      <Trouble error={back.problem} />
    </div>
  );
}

function Line({ row: { is } }: { row: Row }) {
  const me = useMe();
  const name = (code: string) => me.branches.find((b) => b.code === code)?.name ?? code;
  const ahead = is.not_on.filter((d) => d >= me.now.slice(0, 10));
  return (
    <div>
      <b className="font-semibold">{is.name}</b>{" "}
      <span className="text-ink-2">
        {week
          .filter(([d]) => is.days.includes(d))
          .map(([, n]) => n)
          .join(", ") || "never"}
        {is.from && `, from ${sayDate(is.from)}`}
        {is.until && `, until ${sayDate(is.until)}`}
      </span>
      {ahead.length > 0 && (
        <span className="block text-sm">
          <Tag tone="amber">Does not run</Tag> {ahead.slice(0, 4).map(sayDate).join(", ")}
          {ahead.length > 4 && ` and ${ahead.length - 4} more dates`}
        </span>
      )}
      <span className="block text-sm">
        {is.stops
          .map((s) => `${name(s.branch)} ${[s.arrive, s.depart].flatMap((t) => (t ? [sayTime(t)] : [])).join("–")}`)
          .join("  ›  ")}
      </span>
    </div>
  );
}

const readStop = (typed: string) => (typed.trim() === "24:00" ? "24:00" : readTime(typed));
const clock = z.string().refine((t) => readStop(t) !== undefined, {
  error: () => `Enter a time such as ${sayTime("08:10")}, or leave empty.`,
});

const schema = z.object({
  name: check.needed("Enter a name."),
  days: z.array(z.string()),
  from: check.maybeDate,
  until: check.maybeDate,
  off: z.string(),
  late_on: check.maybeDate,
  late: z
    .string()
    .trim()
    .regex(/^\d{0,3}$/, "Enter minutes, or leave empty."),
  stops: z.array(z.object({ branch: z.string(), arrive: clock, depart: clock })),
  on: check.maybeDate,
});
type Said = z.infer<typeof schema>;

function toTrip(v: Said, was?: Trip): Trip {
  const late: Record<string, number> = { ...was?.late };
  if (v.late_on) {
    if (Number(v.late)) late[v.late_on] = Number(v.late);
    else Reflect.deleteProperty(late, v.late_on);
  }
  return {
    name: v.name,
    days: v.days,
    ...(v.from && { from: v.from }),
    ...(v.until && { until: v.until }),
    not_on: v.off.split(/[ ,]+/).filter(Boolean),
    late,
    position: was?.position ?? 0,
    stops: v.stops.map((s) => ({
      branch: s.branch,
      ...(s.arrive && { arrive: readStop(s.arrive) }),
      ...(s.depart && { depart: readStop(s.depart) }),
    })),
  };
}

const keyOf = (name: string) =>
  name
    .toLowerCase()
    .replaceAll(/[^a-z0-9]+/g, "-")
    .replaceAll(/^-|-$/g, "")
    .slice(0, 40);

/** A run as it is written anew. What it does to promises is shown first; then it is applied, and can be undone. */
function Edit({ row, done, kept }: { row?: Row; done: () => void; kept: (k: { name: string; seen: number }) => void }) {
  const me = useMe();
  const askAgain = useAskAgain();
  const is = row?.is;
  const [tried, setTried] = useState<{ key: string; trip: Schema["UpkeepTrying"]; does: Schema["MovingRetimed"] }>();
  const [past, setPast] = useState<Schema["CouriersTried"]>();
  const [problem, setProblem] = useState<unknown>();
  const onPast = useRef(false);
  const keep = useWrite(
    (t: { key: string; trip: Schema["UpkeepTrying"] }, key) =>
      api.PUT("/api/courier/runs/{key}", { params: { path: { key: t.key }, header: keyed(key) }, body: t.trip }),
    {
      name: `run ${row?.key ?? "new"}`,
      about: () => `The run ${is?.name ?? ""}`,
      done: (answer, t) => {
        askAgain(...again);
        kept({ name: t.trip.is?.name ?? is?.name ?? "", seen: answer.seen });
        done();
      },
    },
  );
  const look = async (key: string, trip: Schema["UpkeepTrying"]) => {
    setProblem(undefined);
    try {
      if (onPast.current) setPast(await told(api.POST("/api/courier/runs/tried", { body: { key, trip } })));
      else setTried({ key, trip, does: await told(api.POST("/api/courier/runs/try", { body: { key, trip } })) });
    } catch (e) {
      setTried(undefined);
      setPast(undefined);
      setProblem(e);
    }
  };
  return (
    <div className="mt-2 grid gap-2.5 rounded-card bg-sunk p-3">
      <Form
        label={is ? `Edit ${is.name}` : "Add run"}
        schema={schema}
        start={{
          name: is?.name ?? "",
          days: is?.days ?? ["mon", "tue", "wed", "thu", "fri"],
          from: is?.from ?? "",
          until: is?.until ?? "",
          off: is?.not_on.join(", ") ?? "",
          late_on: "",
          late: "",
          stops: is?.stops.map((s) => ({
            branch: s.branch,
            arrive: s.arrive ? sayTime(s.arrive) : "",
            depart: s.depart ? sayTime(s.depart) : "",
          })) ?? [
            { branch: me.branch, arrive: "", depart: sayTime("09:00") },
            { branch: me.branch, arrive: sayTime("10:00"), depart: "" },
          ],
          on: "",
        }}
        onSend={(v) =>
          void look(row?.key ?? keyOf(v.name), {
            is: toTrip(v, is),
            seen: row?.seen ?? 0,
            ...(v.on && { from_date: v.on }),
          })
        }
        className="grid gap-2.5"
      >
        <div className="flex flex-wrap items-end gap-3">
          <TextField name="name" label="Name" />
          <DateField name="from" label="Season from" />
          <DateField name="until" label="until" />
        </div>
        <ChipsField name="days" label="Days" options={week} />
        <Stops />
        <DatesField name="off" label="Not on these dates" />
        <div className="flex flex-wrap items-end gap-3">
          <DateField name="late_on" label="Late on" />
          <TextField name="late" label="Minutes late" inputMode="numeric" width="w-24" />
          {is && <DateField name="on" label="Takes effect on" />}
        </div>
        <WhenChanged
          run={() => {
            setTried(undefined);
            setPast(undefined);
          }}
        />
        <div className="flex gap-3">
          <Button type="submit" plain onClick={() => (onPast.current = false)}>
            Preview
          </Button>
          <Button type="submit" plain onClick={() => (onPast.current = true)}>
            Test on the last four weeks
          </Button>
          {row && (
            <Quiet
              onClick={() => {
                onPast.current = false;
                void look(row.key, { seen: row.seen });
              }}
            >
              Preview removal
            </Quiet>
          )}
          <Quiet onClick={done}>Cancel</Quiet>
        </div>
      </Form>
      <Trouble error={problem} />
      {past && <Tried of={past} />}
      {tried && (
        <>
          <Moved of={tried.does} />
          <Button busy={keep.busy} className="justify-self-start" onClick={() => keep.run(tried)}>
            {tried.trip.is
              ? tried.trip.from_date
                ? `Apply from ${sayDate(tried.trip.from_date)}`
                : "Apply"
              : "Remove run"}
          </Button>
          <Trouble error={keep.problem} />
        </>
      )}
    </div>
  );
}

function Stops() {
  const me = useMe();
  const { control } = useFormContext<Said>();
  const { fields, insert, remove } = useFieldArray({ control, name: "stops" });
  return (
    <fieldset className="grid gap-1.5">
      <legend className="text-sm text-ink-2">
        Stops. Leave the arrival empty where it only picks up, the departure where it only drops off.
      </legend>
      {fields.map((f, k) => (
        <div key={f.id} className="flex flex-wrap items-end gap-2">
          <BranchField name={`stops.${k}.branch`} label={`Stop ${k + 1}`} />
          <TextField name={`stops.${k}.arrive`} label="Arrives" width="w-20" />
          <TextField name={`stops.${k}.depart`} label="Departs" width="w-20" />
          <Quiet onClick={() => insert(k + 1, { branch: me.branch, arrive: "", depart: "" })}>Add stop after</Quiet>
          {fields.length > 2 && <Quiet onClick={() => remove(k)}>Remove</Quiet>}
        </div>
      ))}
    </fieldset>
  );
}
