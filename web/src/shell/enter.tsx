import { useQuery } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { fetched } from "../api/client";
import { Loading } from "../ui/loading";
import { Button, Field, inputLook, Trouble } from "../ui/parts";

/** Setting a password by a link that works once. What is in the link stands behind the #, so that no server on the way keeps it. */
export function Enter() {
  const [token] = useState(() => window.location.hash.slice(1));
  const whose = useQuery({
    queryKey: ["link"],
    retry: false,
    queryFn: async () =>
      (await (await fetched("/api/link", { Token: token })).json()) as { login: string; name: string },
  });
  return (
    <main className="mx-auto mt-16 grid max-w-md gap-4 px-4">
      <title>Set a password – Nevrin</title>
      <p className="font-display text-3xl font-bold">nevrin</p>
      <h1 className="text-2xl font-semibold">Set a password</h1>
      <Loading of={whose} lines={3}>
        {(w) => <Choose token={token} {...w} />}
      </Loading>
    </main>
  );
}

function Choose({ token, login, name }: { token: string; login: string; name: string }) {
  const [error, setError] = useState<unknown>();
  const [state, setState] = useState<"asked" | "busy" | "done">("asked");
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault();
    const form = new FormData(e.currentTarget);
    if (form.get("password") !== form.get("again")) {
      setError("The passwords do not match. Type them again.");
      return;
    }
    setState("busy");
    setError(undefined);
    fetched("/api/link/password", { Token: token, Password: form.get("password") }).then(
      () => setState("done"),
      (e: unknown) => {
        setError(e);
        setState("asked");
      },
    );
  };
  if (state === "done")
    return (
      <p role="status">
        The password of {name} is set. All sessions have been signed out.{" "}
        <a href="/" className="link">
          Sign in as {login}
        </a>
      </p>
    );
  return (
    <form onSubmit={submit} className="grid max-w-xs gap-3">
      <p className="text-ink-2">
        For {name}, who signs in as {login}. Use at least 10 characters; a few unrelated words make a good password.
      </p>
      <input type="hidden" name="login" autoComplete="username" defaultValue={login} />
      <Field label="New password">
        <input name="password" type="password" autoComplete="new-password" required className={inputLook} />
      </Field>
      <Field label="Repeat new password">
        <input name="again" type="password" autoComplete="new-password" required className={inputLook} />
      </Field>
      <Trouble error={error} />
      <Button type="submit" busy={state === "busy"} className="justify-self-start">
        Set password
      </Button>
    </form>
  );
}
