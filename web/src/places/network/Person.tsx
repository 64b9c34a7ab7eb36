import { BranchField } from "../../circulation/branches";
import { useAskAgain } from "../../api/asked";
import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { Foot, ChipsField, ChoiceField, Form, MoneyField, TextField, TickField, saysOf } from "../../ui/forms";
import { useMe } from "../../shell/me";
import { useWrite } from "../../shell/write";
import { useKeep } from "./parts";
import { startRights, toRights } from "./rights";
import { stops } from "./settings/values";

type Person = Schema["UpkeepPerson"];

const roles = ["desk", "volunteer", "interlibrary", "supervisor", "administrator"] as const;

const asRole = [
  ["", "role default"],
  ["yes", "yes"],
  ["no", "no"],
] as const;

const schema = z.object({
  name: check.needed("Enter a name."),
  login: check.needed("Enter a sign-in name."),
  role: z.enum(roles),
  home: z.string(),
  branches: z.array(z.string()),
  active: z.boolean(),
  waive: check.maybeSum,
  unlimited: z.boolean(),
  back: z.string().regex(/^\d{0,3}$/, "Enter days, or leave empty."),
  past: z.array(z.string()),
  history: z.enum(["", "yes", "no"]),
  consents: z.enum(["", "yes", "no"]),
  due: z.enum(["", "yes", "no"]),
});

type Said = z.infer<typeof schema>;

const useSaid = saysOf<Said>();

const toPerson = (v: Said, currency: string): Person => ({
  name: v.name,
  login: v.login,
  role: v.role,
  home: v.home,
  branches: v.branches,
  active: v.active,
  rights: toRights(v, currency),
});

/** Somebody new: with the link with which they set their password. */
export function AddPerson({
  done,
  leave,
}: {
  done: (name: string, link: Schema["StaffLink"]) => void;
  leave: () => void;
}) {
  const me = useMe();
  const askAgain = useAskAgain();
  const add = useWrite((body: Person) => api.POST("/api/staff", { body }), {
    name: "add person",
    about: (p) => `Adding ${p.name}`,
    done: (added, p) => {
      askAgain("staff", "changes");
      done(p.name, added.link);
    },
  });
  return (
    <Form
      label="Add person"
      schema={schema}
      start={{
        name: "",
        login: "",
        role: "desk",
        home: me.branch,
        branches: [],
        active: true,
        ...startRights({}, me.currency),
      }}
      write={add}
      onSend={(v) => add.run(toPerson(v, me.currency))}
      className="grid gap-2.5"
    >
      <Fields isNew />
      <Foot write={add} onLeave={leave}>
        Add
      </Foot>
    </Form>
  );
}

/** Who somebody is here, and what they may. */
export function ChangePerson({ person: p, done }: { person: Schema["StaffPerson"]; done: () => void }) {
  const me = useMe();
  const keep = useKeep<Person>(
    `staff ${p.id}`,
    p.name,
    ({ key: id, ...body }, key) =>
      api.PUT("/api/staff/{key}", { params: { path: { key: id }, header: keyed(key) }, body }),
    done,
  );
  return (
    <Form
      label={`Edit ${p.name}`}
      schema={schema}
      start={{ ...p, ...startRights(p.rights, me.currency) }}
      write={keep}
      onSend={(v) => keep.run({ key: String(p.id), seen: p.seen, is: toPerson(v, me.currency) })}
      className="grid gap-2.5"
    >
      <Fields />
      <Foot write={keep} onLeave={done}>
        Save
      </Foot>
    </Form>
  );
}

function Fields({ isNew }: { isNew?: boolean }) {
  const me = useMe();
  const home = useSaid("home");
  const role = useSaid("role");
  const unlimited = useSaid("unlimited");
  const supervises = role === "supervisor" || role === "administrator";
  return (
    <>
      <div className="flex flex-wrap items-start gap-2.5">
        <TextField name="name" label="Name" />
        <TextField name="login" label="Sign-in name" />
        <ChoiceField name="role" label="Role" options={roles.map((r) => [r, r] as const)} />
        <BranchField name="home" label="Home branch" />
        {!isNew && <TickField name="active" label="Works here" className="self-end pb-1.5" />}
      </div>
      {!supervises && (
        <ChipsField
          name="branches"
          label="Also works at"
          says="nowhere else"
          options={me.branches.filter((b) => b.code !== home).map((b) => [b.code, b.name] as const)}
        />
      )}
      <fieldset className="grid gap-2.5 border-t border-line pt-2">
        <legend className="sr-only">Rights</legend>
        <p className="text-sm text-ink-2">Exceptions from the role. Leave empty for the role default.</p>
        <div className="flex flex-wrap items-start gap-2.5">
          {!unlimited && <MoneyField name="waive" label="Waives up to" className="w-28" />}
          <TickField name="unlimited" label="Waives without limit" className="self-end pb-1.5" />
          <TextField name="back" label="Backdates returns by up to (days)" inputMode="numeric" width="w-24" />
          <ChoiceField name="history" label="Sees loan histories shared by patrons" options={asRole} />
          <ChoiceField name="consents" label="Changes recorded consents" options={asRole} />
          <ChoiceField name="due" label="Sets due dates by hand" options={asRole} />
        </div>
        {!supervises && <ChipsField name="past" label="Can override" says="nothing more" options={stops} />}
      </fieldset>
    </>
  );
}
