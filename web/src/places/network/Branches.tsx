import { useQuery } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { Foot, ChoiceField, Form, LinesField, Send, TextField, TickField } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Button, Code, Quiet, Tag } from "../../ui/parts";
import { administrates } from "../../shell/places";
import { sayDate } from "../../ui/say";
import { useWrite } from "../../shell/write";
import { PartList, useKeep, type Shown } from "./parts";

type Branch = Schema["UpkeepBranch"];

const whole = z
  .string()
  .trim()
  .regex(/^\d{1,4}$/, "Enter whole minutes.");

const schema = z.object({
  code: z
    .string()
    .trim()
    .toUpperCase()
    .regex(/^[A-Z]{3}$/, "Enter three letters."),
  name: check.needed("Enter a name."),
  zone: check.text,
  address: check.text,
  timezone: check.needed("Enter a time zone such as America/Halifax."),
  phones: check.text,
  bins: check.text,
  publicShelf: z.boolean(),
  binsNow: z.boolean(),
  sort: whole,
  receive: whole,
  slots: z
    .string()
    .trim()
    .regex(/^\d{1,3}$/, "Enter a number from 0 to 999."),
});

/** Branches: what they are called, where they are, and how one is closed permanently. */
export function Branches({ rows, lacks }: { rows: Shown<Branch>[]; lacks: Schema["UpkeepLack"][] }) {
  return (
    <PartList
      label="Branches"
      says="Set hours and closures under Calendars."
      rows={rows}
      empty="No branches yet."
      add="Add a branch"
      name={(b) => b.name}
      line={({ key, is: b }) => (
        <>
          <Code>{key}</Code>
          <b className="font-semibold">{b.name}</b>
          <span className="text-ink-2">{[b.zone, b.address, b.phones.join(", ")].filter(Boolean).join(" · ")}</span>
          {b.public_shelf && <Tag tone="tide">Public hold shelf</Tag>}
          {lacks
            .filter((l) => l.branch === key)
            .map((l) => (
              <Link
                key={l.what}
                to={l.what === "hours" ? "/calendars" : "/courier"}
                search={l.what === "hours" ? { branch: key } : {}}
              >
                <Tag tone="amber">
                  {l.what === "hours" ? "No hours yet: closed every day" : "No courier run stops here yet"}
                </Tag>
              </Link>
            ))}
          {b.closed_on && (
            <Tag tone="plain">
              Closed permanently {sayDate(b.closed_on)}, {rows.find((r) => r.key === b.follows)?.is.name} follows
            </Tag>
          )}
        </>
      )}
      form={(row, done) => <One row={row} rows={rows} done={done} />}
    />
  );
}

function One({ row, rows, done }: { row?: Shown<Branch>; rows: Shown<Branch>[]; done: () => void }) {
  const me = useMe();
  const b = row?.is;
  const keep = useKeep<Branch>(
    `branch ${row?.key ?? ""}`,
    `The branch ${b?.name ?? ""}`,
    ({ key: code, ...body }, key) =>
      api.PUT("/api/network/branches/{key}", { params: { path: { key: code }, header: keyed(key) }, body }),
    done,
  );
  return (
    <>
      <Form
        label={b ? `Edit ${b.name}` : "Add a branch"}
        schema={schema}
        start={{
          code: row?.key ?? "",
          name: b?.name ?? "",
          zone: b?.zone ?? "",
          address: b?.address ?? "",
          timezone: b?.timezone ?? me.timezone,
          phones: b?.phones.join("\n") ?? "",
          bins: b?.bins.join("\n") ?? "",
          publicShelf: b?.public_shelf ?? false,
          binsNow: b?.bins_now ?? false,
          slots: String(b?.slots ?? 0),
          sort: String(b?.sort_minutes ?? 20),
          receive: String(b?.receive_minutes ?? 30),
        }}
        write={keep}
        onSend={(v) =>
          keep.run({
            key: v.code,
            seen: row?.seen ?? 0,
            is: {
              ...(b ?? { position: rows.length }),
              name: v.name,
              zone: v.zone,
              address: v.address,
              timezone: v.timezone,
              phones: v.phones.split("\n").filter((p) => p.trim() !== ""),
              bins: v.bins.split("\n").filter((p) => p.trim() !== ""),
              public_shelf: v.publicShelf,
              bins_now: v.binsNow,
              slots: Number(v.slots),
              sort_minutes: Number(v.sort),
              receive_minutes: Number(v.receive),
            },
          })
        }
        className="grid max-w-3xl gap-2.5 md:grid-cols-3"
      >
        {!row && <TextField name="code" label="Code (three letters, permanent)" maxLength={3} />}
        <TextField name="name" label="Name" />
        <TextField name="zone" label="Zone" />
        <TextField name="timezone" label="Time zone" />
        <TextField name="sort" label="Sorting time before the courier, minutes" inputMode="numeric" />
        <TextField name="receive" label="Time from courier to shelf, minutes" inputMode="numeric" />
        <LinesField name="address" label="Address" rows={2} />
        <LinesField name="phones" label="Phones, one per line" rows={2} />
        <LinesField name="bins" label="Return bins, one per line" rows={2} />
        <TickField name="publicShelf" label="Public hold shelf: use shelf names" className="md:col-span-2" />
        <TickField
          name="binsNow"
          label="First bin emptying of the day counts as now, not as the last open day"
          className="md:col-span-3"
        />
        <TextField name="slots" label="Hold shelf slots (0: sorted by name)" inputMode="numeric" />
        <span className="flex flex-wrap items-center gap-2 md:col-span-3">
          <Foot write={keep} onLeave={done}>
            {b ? "Save" : "Add branch"}
          </Foot>
          {row && (
            <Link to="/calendars" search={{ branch: row.key }} className="link text-sm">
              Calendar
            </Link>
          )}
        </span>
      </Form>
      {row && !b?.closed_on && administrates(me.role) && <Closing row={row} rows={rows} done={done} />}
    </>
  );
}

const closing = z.object({ to: check.needed("Choose a branch.") });

/** Closing permanently: what stands in the way, what goes where; then it is applied, and can be undone. */
function Closing({ row, rows, done }: { row: Shown<Branch>; rows: Shown<Branch>[]; done: () => void }) {
  const askAgain = useAskAgain();
  const [looking, setLooking] = useState(false);
  const look = useQuery({
    queryKey: ["closing", row.key],
    enabled: looking,
    staleTime: 0,
    queryFn: () => told(api.GET("/api/network/branches/{key}/closing", { params: { path: { key: row.key } } })),
  });
  const shut = useWrite(
    (body: { to: string; seen: number }, key) =>
      api.POST("/api/network/branches/{key}/close", { params: { path: { key: row.key }, header: keyed(key) }, body }),
    {
      name: `close ${row.key}`,
      about: `Closing ${row.is.name} permanently`,
      done: () => {
        askAgain();
        done();
      },
    },
  );
  if (!looking)
    return (
      <p className="text-sm">
        <Quiet onClick={() => setLooking(true)}>Close {row.is.name} permanently</Quiet>
      </p>
    );
  const others = rows.filter((r) => r.key !== row.key && !r.is.closed_on);
  return (
    <section aria-label={`Closing ${row.is.name}`} className="rounded-card border border-amber-700 p-3">
      <Loading of={look} lines={3}>
        {(c) => (
          <>
            <h3 className="font-semibold">Close {c.branch} permanently</h3>
            {c.in_the_way.length > 0 && (
              <div className="mt-1 text-buoy-700">
                <p>Before you can close it:</p>
                <ul className="list-disc pl-5">
                  {c.in_the_way.map((t) => (
                    <li key={t}>{t}</li>
                  ))}
                </ul>
              </div>
            )}
            <ul className="mt-1 list-disc pl-5">
              {c.moves.map((t) => (
                <li key={t}>{t}</li>
              ))}
              {c.runs.length > 0 && <li>The courier no longer stops there: {c.runs.join(", ")}.</li>}
            </ul>
            {c.in_the_way.length === 0 && (
              <Form
                schema={closing}
                start={{ to: "" }}
                write={shut}
                onSend={(v) => shut.run({ to: v.to, seen: row.seen })}
                className="mt-2 flex flex-wrap items-end gap-2"
              >
                <ChoiceField
                  name="to"
                  label="Move all of that to"
                  options={[["", "choose a branch"], ...others.map((r) => [r.key, r.is.name] as const)]}
                />
                <Send write={shut}>Close permanently</Send>
                <Button plain onClick={() => setLooking(false)}>
                  Cancel
                </Button>
              </Form>
            )}
          </>
        )}
      </Loading>
    </section>
  );
}
