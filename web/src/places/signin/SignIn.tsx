import { useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { post, type Schema } from "../../api/client";
import { Button, Card, Field, inputLook, Trouble } from "../../kit/parts";

/** Signing in: by name and password, or in the demo as one of its people with one click. */
export function SignIn({ me }: { me: Schema["Me"] }) {
  const queries = useQueryClient();
  const [error, setError] = useState<unknown>();
  const enter = (path: string, body: unknown) =>
    post(path, body)
      .then(() => queries.invalidateQueries())
      .catch(setError);
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault();
    const form = new FormData(e.currentTarget);
    void enter("/api/sign-in", { Login: form.get("login"), Password: form.get("password") });
  };
  return (
    <div className="grid min-h-screen grid-cols-[minmax(280px,38%)_1fr]">
      <header className="flex flex-col justify-end bg-spruce-900 p-10 text-rail-ink">
        <p className="font-display text-6xl font-bold text-[#fff8ea]">nevrin</p>
        <p className="mt-3 max-w-xs text-lg">{me.network}</p>
      </header>
      <main className="grid content-center gap-5 p-10">
        <h1 className="text-2xl font-semibold">Sign in</h1>
        <Trouble error={error} />
        {(me.demo ?? []).length > 0 && (
          <Card className="max-w-xl" label="People of the demo">
            <p className="border-b border-line px-4 py-2.5 text-ink-2">
              This is the demo. Be one of these people with one click.
            </p>
            <ul className="divide-y divide-line">
              {me.demo!.map((d) => (
                <li key={d.login}>
                  <button
                    type="button"
                    className="flex w-full cursor-pointer items-baseline gap-3 px-4 py-2.5 text-left hover:bg-spruce-100"
                    onClick={() => void enter("/api/sign-in/demo", { Login: d.login })}
                  >
                    <b className="font-semibold">{d.name}</b>
                    <span className="text-ink-2">
                      {d.role}, {d.branch}
                    </span>
                  </button>
                </li>
              ))}
            </ul>
          </Card>
        )}
        <form onSubmit={submit} className="grid max-w-xs gap-3">
          <Field label="Name">
            <input name="login" autoComplete="username" required className={inputLook} />
          </Field>
          <Field label="Password">
            <input name="password" type="password" autoComplete="current-password" required className={inputLook} />
          </Field>
          <Button type="submit" className="justify-self-start">
            Sign in
          </Button>
        </form>
      </main>
    </div>
  );
}
