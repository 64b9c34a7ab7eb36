import { BranchField } from "../../circulation/branches";
import { useAskAgain } from "../../api/asked";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { Foot, ChoiceField, Form, LinesField, TextField, NumberField } from "../../ui/forms";
import { useMe } from "../../shell/me";
import { Button, Code, Trouble } from "../../ui/parts";
import { administrates } from "../../shell/places";
import { useWrite } from "../../shell/write";
import { PartList, useKeep, useNetwork, type Shown } from "./parts";

type Partner = Schema["UpkeepPartner"];

const fields = {
  symbol: z
    .string()
    .trim()
    .toUpperCase()
    .regex(/^[A-Z]{3,8}$/, "Enter 3 to 8 letters."),
  name: check.needed("Enter a name."),
  search: check.text,
  message: check.text,
  days: z.coerce
    .number({ error: "Enter a number of days." })
    .int("Enter a whole number.")
    .min(0, "Enter 0 or more.")
    .max(60, "Enter 60 or less."),
  way: z.enum(["post", "courier"]),
  address: check.text,
  email: check.text,
  margin: z.coerce
    .number({ error: "Enter a number of days." })
    .int("Enter a whole number.")
    .min(0, "Enter 0 or more.")
    .max(30, "Enter 30 or less."),
};
const schema = z.object(fields);
const joining = z.object({ ...fields, class: check.needed("Choose a class."), branch: z.string() });

/** Libraries outside: how they are reached, and with what their messages come. */
export function Partners({ rows }: { rows: Shown<Partner>[] }) {
  const [secret, setSecret] = useState<{ name: string; secret: string; card?: string }>();
  return (
    <>
      {secret && (
        <p role="status" className="rounded bg-tide-100 px-3 py-2 text-tide-700">
          The secret of {secret.name}, which is not shown again: <Code>{secret.secret}</Code>. Their messages go to{" "}
          <Code>{window.location.origin}/iso18626</Code> with it as a bearer token.
          {secret.card && (
            <>
              {" "}
              They borrow with card <Code>{secret.card}</Code>.
            </>
          )}
        </p>
      )}
      <PartList
        label="Partner libraries"
        rows={rows}
        empty="No partner libraries yet. Add one to borrow from and lend to it."
        add="Add a partner"
        part="partner"
        name={(p) => p.name}
        line={({ key, is: p }) => (
          <>
            <Code>{p.symbol}</Code>
            <b className="font-semibold">{p.name}</b>
            <Link to="/patrons" search={{ patron: p.account }} className="link text-sm">
              their account
            </Link>
            <Doing id={Number(key)} partner={p} onSecret={(s) => setSecret({ name: p.name, secret: s })} />
          </>
        )}
        form={(row, done) =>
          row ? (
            <Change row={row} done={done} />
          ) : (
            <Join
              done={(j) => {
                setSecret(j);
                done();
              }}
              leave={done}
            />
          )
        }
      />
    </>
  );
}

function Doing({ id, partner: p, onSecret }: { id: number; partner: Partner; onSecret: (secret: string) => void }) {
  const may = administrates(useMe().role);
  const [tried, setTried] = useState<Schema["PartnersTried"]>();
  const test = useWrite(() => api.POST("/api/network/partners/{id}/try", { params: { path: { id } } }), {
    about: `A test message to ${p.name}`,
    done: setTried,
  });
  const renew = useWrite(() => api.POST("/api/network/partners/{id}/secret", { params: { path: { id } } }), {
    about: `New secret for ${p.name}`,
    done: (s) => onSecret(s.secret),
  });
  if (!may) return null;
  return (
    <>
      <Button plain busy={test.busy} onClick={() => test.run()}>
        Test message
      </Button>
      <Button plain busy={renew.busy} onClick={() => renew.run()}>
        New secret
      </Button>
      <Trouble error={test.problem ?? renew.problem} />
      {tried && (
        <p role="status" className={tried.good ? "w-full text-spruce-700" : "w-full text-buoy-700"}>
          Search: {tried.search} Messages: {tried.message}
        </p>
      )}
    </>
  );
}

const addresses = (
  <>
    <TextField name="symbol" label="Symbol in messages" />
    <TextField name="name" label="Name" />
    <TextField name="search" label="Catalogue address (SRU)" className="md:col-span-2" />
    <TextField name="message" label="Message address (ISO 18626)" className="md:col-span-2" />
    <TextField
      name="email"
      label="Email for requests"
      hint="Used where there is no message address. Their answers are entered by hand."
    />
    <ChoiceField
      name="way"
      label="Parcels go by"
      options={[
        ["post", "Post"],
        ["courier", "Courier"],
      ]}
    />
    <LinesField name="address" label="Address for parcels" />
    <NumberField name="days" label="Days a parcel takes" hint="Used to tell whether an item can be there in time." />
    <NumberField
      name="margin"
      label="Days to send an item back"
      hint="Items are due here this many days before the partner’s due date."
    />
  </>
);

function Change({ row, done }: { row: Shown<Partner>; done: () => void }) {
  const keep = useKeep<Partner>(
    `partner ${row.key}`,
    row.is.name,
    ({ key: id, ...body }, key) =>
      api.PUT("/api/network/partners/{key}", { params: { path: { key: id }, header: keyed(key) }, body }),
    done,
  );
  return (
    <Form
      label={`Edit ${row.is.name}`}
      schema={schema}
      start={row.is}
      write={keep}
      onSend={(v) => keep.run({ key: row.key, seen: row.seen, is: { ...row.is, ...v } })}
      className="grid max-w-3xl gap-2.5 md:grid-cols-2"
    >
      {addresses}
      <Foot write={keep} onLeave={done}>
        Save
      </Foot>
    </Form>
  );
}

function Join({
  done,
  leave,
}: {
  done: (j: { name: string; secret: string; card: string }) => void;
  leave: () => void;
}) {
  const me = useMe();
  const askAgain = useAskAgain();
  const network = useNetwork();
  const classes = (network.data?.classes ?? []).filter((c) => c.key.startsWith("patron:") && !c.is.retired);
  const join = useWrite((body: Schema["UpkeepJoining"]) => api.POST("/api/network/partners", { body }), {
    name: "add partner",
    about: (j) => `Adding ${j.name}`,
    done: (j, said) => {
      askAgain("network");
      done({ name: said.name, secret: j.secret, card: j.card });
    },
  });
  return (
    <Form
      label="Add a partner"
      schema={joining}
      start={{
        symbol: "",
        name: "",
        search: "",
        message: "",
        margin: 4,
        days: 3,
        way: "post",
        address: "",
        email: "",
        class: "",
        branch: me.branch,
      }}
      write={join}
      onSend={(v) => join.run({ ...v, account: 0 })}
      className="grid max-w-3xl gap-2.5 md:grid-cols-2"
    >
      {addresses}
      <ChoiceField
        name="class"
        label="Patron class of their account"
        options={[["", "choose"], ...classes.map((c) => [c.key.slice("patron:".length), c.is.name] as const)]}
      />
      <BranchField name="branch" label="Home branch of their account" />
      <Foot write={join} onLeave={leave}>
        Add
      </Foot>
    </Form>
  );
}
