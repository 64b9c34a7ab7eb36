import type { QueryClient } from "@tanstack/react-query";
import { createStore } from "zustand/vanilla";
import { announce } from "../ui/announce";
import { asks } from "./asks";
import { fetched } from "../api/client";
import { branchHere, signedInHere, workHere } from "../api/station";
import { line } from "./line";
import { askMe, who, type Me } from "./me";
import { abandoned, present } from "./scans/keep";
import { adopt, drop, go, open, scans, type Scan } from "./scans/scans";
import { writes } from "./write";

interface Left {
  scans: Scan[];
  forget: () => void;
}
const nothing: Left = { scans: [], forget: () => {} };

/** What windows that are gone have left unanswered. */
export const behind = createStore<Left>(() => nothing);

const lastKey = "nevrin person";

const forgetters = new Set<() => void>();

/** Lets a place forget what it holds of people, when another person comes. */
export const onForget = (forget: () => void) => void forgetters.add(forget);

const leavers = new Set<(patron: number) => void>();

/** Lets a place forget what it holds of one patron, when nothing of them is kept any longer. */
export const onLeave = (leave: (patron: number) => void) => void leavers.add(leave);

/** Nothing of a patron who has been forgotten stays in this window either. */
export async function patronForgotten(queries: QueryClient, patron: number) {
  leavers.forEach((leave) => leave(patron));
  queries.removeQueries({ type: "inactive" });
  await queries.resetQueries({ predicate: (q) => q.queryKey[0] !== "me" });
}

function forget() {
  forgetters.forEach((f) => f());
  writes.setState({}, true);
  trouble.setState({ error: undefined });
  asks.setState({ open: [] });
  announce("");
}

/** Takes in who the server says is signed in. */
export function arrived(me: Me) {
  const known = who.getState().me;
  if (!me.signed_in) {
    if (known) line.getState().signOut();
    return;
  }
  // What this window holds is the last person's, reloads included.
  const last = sessionStorage.getItem(lastKey);
  if (last !== null && last !== String(me.id)) forget();
  sessionStorage.setItem(lastKey, String(me.id));
  signedInHere(me.id);
  if (!branchHere()) workHere(me.branch);
  who.setState({ me });
  line.getState().signIn();
  go();
  if (known?.id !== me.id) void abandoned(me.id).then((left) => behind.setState(left));
}

/** Sends what windows that are gone have left, or forgets it. It is kept here before it is forgotten there. */
export function settleLeft(send: boolean) {
  const left = behind.getState();
  behind.setState(nothing);
  if (send) adopt(left.scans);
  left.forget();
}

/** Signs in. The same person goes on at the branch where this window was; another one begins at their own. */
export async function signIn(queries: QueryClient, path: string, body: unknown) {
  await fetched(path, body);
  const before = branchHere();
  const known = who.getState().me;
  workHere(undefined);
  const me = await askMe();
  if (before && known?.id === me.id && before !== me.branch) await workAt(queries, before);
  // What one person was shown another may not see. Who is here has just been asked.
  if (known && known.id !== me.id) await queries.resetQueries({ predicate: (q) => q.queryKey[0] !== "me" });
  else await queries.invalidateQueries();
}

export async function signOut(queries: QueryClient) {
  await fetched("/api/sign-out", {});
  forget();
  workHere(undefined);
  signedInHere(0);
  who.setState({ me: undefined });
  line.getState().signIn(); // on purpose: nothing waits for it
  queries.clear();
}

/** Goes to another branch; from then on all that this window does counts there. */
export async function workAt(queries: QueryClient, branch: string) {
  await fetched("/api/branch", { Branch: branch });
  workHere(branch);
  await queries.invalidateQueries();
}

/** What did not work and has no place of its own on the screen. */
export const trouble = createStore<{ error?: unknown }>(() => ({}));

/** Does something from a menu; what stands in its way is told below the strip. */
export const doing = (what: Promise<unknown>) =>
  void what.then(
    () => trouble.setState({ error: undefined }),
    (error: unknown) => trouble.setState({ error }),
  );

const underWay = () =>
  scans.getState().scans.some(open) || Object.values(writes.getState()).some((w) => w.state !== "rest");

/** Says that this window is there, and warns before it is left with something on its way. */
export function openWindow() {
  void present(() => drop(open));
  window.addEventListener("beforeunload", (e) => {
    if (underWay()) e.preventDefault();
  });
}
