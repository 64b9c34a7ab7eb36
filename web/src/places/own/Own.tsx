import { useQuery } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { useState, type FormEvent } from "react";
import { api, fetched, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { Button, Card, Field, Head, inputLook, Trouble } from "../../ui/parts";

type Own = Schema["StaffOwn"];

/** One's own door: short code, password, sessions elsewhere. */
export function OwnPlace() {
  const own = useQuery({ queryKey: ["own"], queryFn: () => told(api.GET("/api/own")) });
  return (
    <div className="grid max-w-2xl gap-3.5">
      <Head title="My account" says={own.data && `Your sign-in name is ${own.data.login}.`} />
      <Loading of={own}>
        {(o) => (
          <>
            <Short own={o} />
            {!o.demo && <Password />}
            {!o.demo && <Second own={o} />}
            <Elsewhere />
            <Card label="Branches you can work at" className="p-3.5">
              <h2 className="font-semibold">Branches you can work at</h2>
              <p>{o.branches.map((b) => b.name).join(", ")}</p>
            </Card>
          </>
        )}
      </Loading>
    </div>
  );
}

/** Sends what concerns one's own door; what it carries is kept nowhere, so it has no key. */
function useSending(path: string, done: string) {
  const askAgain = useAskAgain();
  const [state, setState] = useState<{ busy?: boolean; error?: unknown; done?: string }>({});
  const send = (body: unknown) => {
    setState({ busy: true });
    return fetched(path, body).then(
      () => {
        setState({ done });
        askAgain("own");
        return true;
      },
      (error: unknown) => {
        setState({ error });
        return false;
      },
    );
  };
  return { send, ...state };
}

const Said = ({ text }: { text?: string }) => (text ? <p role="status">{text}</p> : null);

function Short({ own }: { own: Own }) {
  const sending = useSending("/api/own/short", "Saved. Idle stations ask for it.");
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault();
    const form = e.currentTarget;
    void sending.send({ Code: new FormData(form).get("code") }).then((ok) => ok && form.reset());
  };
  return (
    <Card label="Short code" className="p-3.5">
      <h2 className="font-semibold">Short code</h2>
      <p className="text-ink-2">
        {own.short ? "You have one." : "You have none yet."} Use it to return to an idle station. Enter 4 to 40 letters
        or digits, or scan your badge.
      </p>
      <form onSubmit={submit} className="mt-2 flex flex-wrap items-end gap-2">
        <Field label="New short code">
          <input name="code" type="password" autoComplete="off" required data-takes-scans="" className={inputLook} />
        </Field>
        <Button type="submit" plain busy={sending.busy}>
          Save code
        </Button>
        {own.short && (
          <Button plain busy={sending.busy} onClick={() => void sending.send({ Code: "" })}>
            Remove code
          </Button>
        )}
      </form>
      <Said text={sending.done} />
      <Trouble error={sending.error} />
    </Card>
  );
}

function Password() {
  const sending = useSending("/api/own/password", "Password changed. You are signed out everywhere else.");
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault();
    const form = e.currentTarget;
    const said = new FormData(form);
    void sending.send({ Old: said.get("old"), New: said.get("new") }).then((ok) => ok && form.reset());
  };
  return (
    <Card label="Password" className="p-3.5">
      <h2 className="font-semibold">Password</h2>
      <form onSubmit={submit} className="mt-2 flex flex-wrap items-end gap-2">
        <Field label="Current password">
          <input name="old" type="password" autoComplete="current-password" required className={inputLook} />
        </Field>
        <Field label="New password">
          <input name="new" type="password" autoComplete="new-password" required className={inputLook} />
        </Field>
        <Button type="submit" plain busy={sending.busy}>
          Change password
        </Button>
      </form>
      <Said text={sending.done} />
      <Trouble error={sending.error} />
    </Card>
  );
}

interface Setting {
  secret: string;
  address: string;
  picture: string;
}

/** A second factor: an app for codes learns a secret, and shows with its first code that it has. */
function Second({ own }: { own: Own }) {
  const [setting, setSetting] = useState<Setting>();
  const [error, setError] = useState<unknown>();
  const sending = useSending("/api/own/second", "Set up. You will be asked for a code when you sign in.");
  const begin = () => {
    setError(undefined);
    fetched("/api/own/second/begin", {})
      .then((r) => r.json() as Promise<Setting>)
      .then(setSetting, setError);
  };
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault();
    const said = new FormData(e.currentTarget);
    void sending
      .send({ Password: said.get("password"), Old: said.get("old") ?? "", Code: said.get("code") })
      .then((ok) => ok && setSetting(undefined));
  };
  return (
    <Card label="Second factor" className="p-3.5">
      <h2 className="font-semibold">Second factor</h2>
      <p className="text-ink-2">
        {own.second
          ? "You use an authenticator app. An administrator can remove it if you lose it."
          : `An authenticator app on your phone, asked for after your password.${own.must ? " Your role requires one." : ""}`}
      </p>
      {!setting && (
        <Button plain className="mt-2" onClick={begin}>
          {own.second ? "Set up again" : "Set up"}
        </Button>
      )}
      {setting && (
        <form onSubmit={submit} className="mt-2 grid justify-items-start gap-2">
          <p>Scan this code with the app, or type the secret into it. Then enter the code it shows.</p>
          <img alt="The secret as a QR code" src={`data:image/png;base64,${setting.picture}`} />
          <p className="font-mono">{setting.secret.match(/.{1,4}/g)?.join(" ")}</p>
          <Field label="Your password">
            <input name="password" type="password" autoComplete="current-password" required className={inputLook} />
          </Field>
          {own.second && (
            <Field label="Current code">
              <input name="old" inputMode="numeric" autoComplete="off" maxLength={6} required className={inputLook} />
            </Field>
          )}
          <Field label="New code">
            <input
              name="code"
              inputMode="numeric"
              autoComplete="one-time-code"
              maxLength={6}
              required
              className={inputLook}
            />
          </Field>
          <Button type="submit" busy={sending.busy}>
            Set up
          </Button>
        </form>
      )}
      <Said text={sending.done} />
      <Trouble error={sending.error ?? error} />
    </Card>
  );
}

function Elsewhere() {
  const sending = useSending("/api/own/end-others", "Done. You are signed in only here.");
  return (
    <Card label="Other sessions" className="p-3.5">
      <h2 className="font-semibold">Other sessions</h2>
      <p className="text-ink-2">If you left a station without signing out, end all other sessions.</p>
      <Button plain className="mt-2" busy={sending.busy} onClick={() => void sending.send({})}>
        Sign out everywhere else
      </Button>
      <Said text={sending.done} />
      <Trouble error={sending.error} />
    </Card>
  );
}
