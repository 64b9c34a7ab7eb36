import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Outlet, useNavigate, useRouterState } from "@tanstack/react-router";
import { useEffect, useMemo, useRef, useState } from "react";
import { useStore } from "zustand";
import { Announcer } from "../ui/announce";
import { Bar } from "./bar";
import { Enter } from "./enter";
import { handsOn } from "./hands";
import { closeHelp, useHelpOpen } from "./help";
import { arrived, doing, signOut, workAt } from "./house";
import { line } from "./line";
import { listen } from "./live";
import { meQuery, who, worksAt, type Me } from "./me";
import { Keys, Palette, type Action } from "./palette";
import { placesFor } from "./places";
import { Rail } from "./rail";
import { rememberFor } from "../ui/remember";
import { sayIn } from "../ui/say";
import { showKeys, useKeys, useKeysShown } from "./scan";
import { useWaiting } from "./scans/scans";
import { soundsOn, switchSounds } from "./settings";
import { SignIn, SignInAgain } from "./signin";
import { Strip } from "./strip";
import { useWhy, WhyProvider } from "./why";

/** The frame of every place: rail, strip with the scan line, the place itself, drawer. */
export function Frame() {
  const asked = useQuery(meQuery);
  const me = useStore(who, (w) => w.me);
  const { data } = asked;
  useEffect(() => {
    if (data) arrived(data);
  }, [data]);
  if (data) {
    sayIn(data);
    rememberFor(data.id);
  }
  const path = useRouterState({ select: (s) => s.location.pathname });
  if (path === "/enter") return <Enter />;
  if (me)
    return (
      <WhyProvider>
        <House me={me} />
      </WhyProvider>
    );
  if (data && !data.signed_in) return <SignIn me={data} />;
  return <Waiting reason={asked.failureReason?.message} />;
}

function Waiting({ reason }: { reason?: string }) {
  return (
    <main className="mx-auto mt-24 max-w-lg px-4">
      <h1 className="font-display text-3xl font-bold">nevrin</h1>
      <p className="mt-3" role="status">
        {reason ? `${reason} This page continues by itself as soon as it can.` : "One moment …"}
      </p>
    </main>
  );
}

function House({ me }: { me: Me }) {
  const queries = useQueryClient();
  const why = useWhy();
  const help = useHelpOpen();
  useEffect(() => {
    if (why.open) closeHelp(); // one drawer at a time
  }, [why.open]);
  const waiting = useWaiting();
  const signedOut = useStore(line, (l) => l.signedOut);
  const [palette, setPalette] = useState(false);
  const keys = useKeysShown();
  const actions = useActions(me);
  useKeys(me.role);
  useEffect(() => listen(queries), [queries]);
  useSecondFirst(me);
  useEffect(handsOn, []);
  useEscape(why);
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (!(e.ctrlKey || e.metaKey) || e.key.toLowerCase() !== "k") return;
      e.preventDefault();
      setPalette(true);
    };
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  }, []);
  return (
    <>
      <a
        href="#place"
        className="sr-only z-50 bg-surface px-4 py-2 font-semibold focus:not-sr-only focus:fixed focus:top-2 focus:left-2"
      >
        Skip to content
      </a>
      <div className="grid h-dvh grid-rows-[52px_auto_minmax(0,1fr)] md:grid-cols-[176px_minmax(0,1fr)] print:block print:h-auto">
        <nav
          aria-label="Main navigation"
          className="row-span-3 hidden flex-col overflow-y-auto bg-spruce-900 pb-3 text-rail-ink md:flex print:hidden"
        >
          <Rail me={me} />
        </nav>
        <Strip me={me} />
        <Bar />
        <main id="place" tabIndex={-1} className="relative overflow-auto outline-none print:overflow-visible">
          {/* The room around a place is inside, so that heads of lists stick to the very top. */}
          <div className={`px-3 py-4 md:px-[18px] ${why.open || help ? "xl:pr-[398px]" : ""}`}>
            <Outlet />
          </div>
        </main>
      </div>
      <Announcer />
      <Palette open={palette} onClose={() => setPalette(false)} actions={actions} role={me.role} />
      <Keys open={keys} onClose={() => showKeys(false)} role={me.role} />
      {signedOut && <SignInAgain me={me} waiting={waiting} />}
    </>
  );
}

/** Who has to set up a second factor does that before anything else. */
function useSecondFirst(me: Me) {
  const navigate = useNavigate();
  useEffect(() => {
    if (me.lacks_second) void navigate({ to: "/own", search: {} });
  }, [me.lacks_second, navigate]);
}

/** Esc closes the drawer; otherwise the place hears it. Leaving a place closes the drawer too. */
function useEscape(why: ReturnType<typeof useWhy>) {
  const { open, close } = why;
  const path = useRouterState({ select: (s) => s.location.href });
  const before = useRef(path);
  useEffect(() => {
    if (before.current !== path) close();
    before.current = path;
  }, [path, close]);
  useEffect(() => {
    if (!open) return;
    const onKey = (e: KeyboardEvent) => {
      if (e.key !== "Escape") return;
      e.preventDefault();
      e.stopPropagation();
      close();
    };
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  }, [open, close]);
}

/** Everything that can be done by its name. */
function useActions(me: Me): Action[] {
  const navigate = useNavigate();
  const queries = useQueryClient();
  return useMemo(
    () => [
      ...placesFor(me.role).map((p) => ({
        name: `Go to ${p.name}`,
        hint: `g ${p.key}`,
        run: () => void navigate({ to: p.path, search: {} }),
      })),
      ...worksAt(me).map((b) => ({ name: `Work at ${b.name}`, run: () => doing(workAt(queries, b.code)) })),
      { name: soundsOn() ? "Turn sounds off" : "Turn sounds on", run: () => switchSounds(!soundsOn()) },
      { name: "Keyboard shortcuts", hint: "?", run: () => showKeys(true) },
      { name: "My account", run: () => void navigate({ to: "/own", search: {} }) },
      { name: "Sign out", run: () => doing(signOut(queries)) },
    ],
    [me, navigate, queries],
  );
}
