import { useQuery, useQueryClient, type QueryClient } from "@tanstack/react-query";
import { sayCount } from "../ui/say";
import { Dialog } from "radix-ui";
import { useEffect, useRef, useState, type FormEvent } from "react";
import { notKnown, Problem } from "../api/client";
import { signIn } from "./house";
import { line } from "./line";
import { meQuery, type Me } from "./me";
import { forgetEarly } from "./scan";
import { takerOf } from "./places";
import { add } from "./scans/scans";
import { play } from "./sound";
import { Button, Card, Field, inputLook, Trouble } from "../ui/parts";

function useEntering() {
  const queries = useQueryClient();
  const [error, setError] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const enter = (path: string, body: unknown) => {
    setBusy(true);
    setError(undefined);
    void signIn(queries, path, body)
      .catch(setError)
      .finally(() => setBusy(false));
  };
  return { enter, error, busy };
}

const isOfType = (e: unknown, type: string) => e instanceof Problem && e.type === type;
const needsSecond = (e: unknown) => isOfType(e, "urn:nevrin:second");

/** Name and password, or in the demo one of its people with one click. */
function Doors({ me }: { me: Me }) {
  const { enter, error, busy } = useEntering();
  const [second, setSecond] = useState(false);
  if (!second && needsSecond(error)) setSecond(true); // and it stays: a wrong code is typed again
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault();
    const form = new FormData(e.currentTarget);
    enter("/api/sign-in", {
      Login: form.get("login"),
      Password: form.get("password"),
      Code: form.get("code") ?? "",
      Own: form.get("own") !== null,
    });
  };
  return (
    <>
      <Trouble error={error} />
      {me.rests && <ComeBack me={me} />}
      {me.demo.length > 0 && (
        <Card className="max-w-xl" label="Demo users">
          <p className="border-b border-line px-4 py-2.5 text-ink-2">
            This is a demo. Sign in as one of these people with one click.
          </p>
          <ul className="divide-y divide-line">
            {me.demo.map((d) => (
              <li key={d.login}>
                <button
                  type="button"
                  disabled={busy}
                  className="flex w-full cursor-pointer flex-wrap items-baseline gap-x-3 px-4 py-2.5 text-left hover:bg-spruce-100"
                  onClick={() => enter("/api/sign-in/demo", { Login: d.login })}
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
        {second && (
          <Field label="Code from your authenticator app">
            <input
              name="code"
              inputMode="numeric"
              autoComplete="one-time-code"
              maxLength={6}
              required
              // eslint-disable-next-line jsx-a11y/no-autofocus -- the password was right, and this is all that is asked now
              autoFocus
              className={inputLook}
            />
          </Field>
        )}
        <label className="flex items-center gap-2 text-sm text-ink-2">
          <input name="own" type="checkbox" /> Only I use this station
        </label>
        <Button type="submit" busy={busy} className="justify-self-start">
          Sign in
        </Button>
      </form>
    </>
  );
}

/** Comes back with a code, which is sent until it is answered. An item that was scanned instead waits with the other scans. */
async function comeBack(queries: QueryClient, code: string) {
  for (;;) {
    try {
      await signIn(queries, "/api/come-back", { Code: code });
      return;
    } catch (e) {
      if (isOfType(e, "urn:nevrin:scanned")) {
        play("ask"); // who scans on looks at the books
        add(takerOf(window.location.pathname), code);
      }
      if (!notKnown(e)) throw e;
      await line.calm(1000);
    }
  }
}

/** The station has rested: its person says that it is them, by the short code or a scan of the badge. */
function ComeBack({ me }: { me: Me }) {
  const queries = useQueryClient();
  const [error, setError] = useState<unknown>();
  const turn = useRef(Promise.resolve());
  const going = useRef(0);
  const submit = (e: FormEvent<HTMLFormElement>) => {
    e.preventDefault();
    const field = e.currentTarget.elements.namedItem("code") as HTMLInputElement;
    const code = field.value;
    if (code === "" && going.current > 0) return; // a second click
    field.value = ""; // the next scan may come before the answer, so that the button stays what Enter presses, too
    going.current++;
    turn.current = turn.current
      .then(() => {
        setError(undefined);
        return comeBack(queries, code);
      })
      .catch(setError)
      .finally(() => {
        going.current--;
      });
  };
  return (
    <form onSubmit={submit} className="grid max-w-xs gap-3">
      <Field label={`${me.name}: enter your short code or scan your badge`}>
        <input
          name="code"
          type="password"
          autoComplete="off"
          // eslint-disable-next-line jsx-a11y/no-autofocus -- a badge is scanned at once, and this is all that is asked
          autoFocus
          className={inputLook}
        />
      </Field>
      <Trouble error={error} />
      <Button type="submit" className="justify-self-start">
        Continue
      </Button>
    </form>
  );
}

/** The page before the house. */
export function SignIn({ me }: { me: Me }) {
  useEffect(forgetEarly, []);
  return (
    <div className="grid min-h-screen md:grid-cols-[minmax(280px,38%)_1fr]">
      <title>Sign in – Nevrin</title>
      <header className="flex flex-col justify-end bg-spruce-900 p-10 text-rail-ink">
        <p className="font-display text-6xl font-bold text-rail-head">nevrin</p>
        <p className="mt-3 max-w-xs text-lg">{me.network}</p>
      </header>
      <main className="grid content-center gap-5 p-6 md:p-10">
        <h1 className="text-2xl font-semibold">Sign in</h1>
        <Doors me={me} />
      </main>
    </div>
  );
}

/** The session has ended: the house and the tape stay behind this, and what waits goes on after it. */
export function SignInAgain({ me, waiting }: { me: Me; waiting: number }) {
  // Another window may have come back meanwhile; and whether the session has ended or rests, the server says.
  const asked = useQuery({ ...meQuery, refetchInterval: 5000, refetchOnMount: "always" });
  const rests = asked.data?.rests ?? false;
  return (
    <Dialog.Root open>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-shade/40" />
        <Dialog.Content
          aria-describedby={undefined}
          onEscapeKeyDown={(e) => e.preventDefault()}
          onInteractOutside={(e) => e.preventDefault()}
          className="fixed top-1/2 left-1/2 z-50 grid max-h-[92vh] w-[min(560px,94vw)] -translate-x-1/2 -translate-y-1/2 gap-4 overflow-auto rounded-card border border-line-strong bg-paper p-5 shadow-2xl"
        >
          <div>
            <Dialog.Title className="text-2xl font-semibold">{rests ? "Who is there?" : "Sign in again"}</Dialog.Title>
            <p className="text-ink-2">
              {rests ? "This station has not been used for a while." : `The session of ${me.name} has ended.`}{" "}
              Everything here is kept
              {waiting > 0 &&
                `; ${sayCount(waiting, "scan is waiting", "scans are waiting")} and will be sent after you sign in`}
              .
            </p>
          </div>
          {asked.isFetchedAfterMount && <Doors me={asked.data ?? me} />}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
