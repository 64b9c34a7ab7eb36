import type { QueryClient } from "@tanstack/react-query";
import { askedIn, type Asked, type Key } from "../api/asked";
import { onAnswer } from "../api/client";
import { branchHere } from "../api/station";
import { line } from "./line";
import { trailing } from "../ui/trailing";

/**
 * What changes anywhere in the network is told to this window while it is looked at; what it shows of that it asks for
 * again. That the stream is there is also how the window knows that the line is.
 */

/** What is shown of one patron; it is told of wherever it changes, and asked for where it is shown. */
const ofPatron: Asked[] = ["patron", "account", "household charges"];
const isOf = (areas: Set<string>, [what, patron]: Key) =>
  ofPatron.includes(what) && areas.has(`patron ${String(patron)}`);

/** After this long without a word the line is lost, in milliseconds. The server speaks every 0.8 s. */
const silence = 1900;
/** Changes that come close together are asked for together; then nothing is asked for so long, in milliseconds. */
const gathering = 300;
const rest = 500;
/** A stream that was refused is opened again after this. */
const again = 1000;
/** While changes are held back, what is shown is asked for again this often, in milliseconds. */
const askAgain = 15_000;

type Changes = Record<string, string[]>;

export function listen(queries: QueryClient): () => void {
  let source: EventSource | undefined;
  let heard = Date.now();
  let pending = new Set<string>();
  let timer = 0;
  let asked = 0;
  let opened = 0;
  let waiting = false; // nothing has been heard of the stream since it was opened
  let answering = 0; // since when other questions have been answered meanwhile; 0: they are not
  const later = trailing(queries);

  const ask = () => {
    timer = 0;
    asked = Date.now();
    const areas = pending;
    pending = new Set();
    if (areas.has("everything")) {
      later.ask(() => true);
      return;
    }
    const old = askedIn(areas);
    later.ask((q) => old.has(q.queryKey[0]) || isOf(areas, q.queryKey));
  };
  const changed = (areas: Iterable<string>) => {
    for (const a of areas) pending.add(a);
    timer ||= window.setTimeout(ask, Math.max(gathering, asked + rest - Date.now()));
  };
  const hear = () => {
    heard = Date.now();
    waiting = false;
    answering = 0;
    if (line.getState().changesLate) line.getState().setChangesLate(false);
    if (line.getState().lost) line.getState().find();
  };
  const open = () => {
    source?.close();
    heard = opened = Date.now();
    if (waiting) void queries.invalidateQueries({ queryKey: ["me"] }); // is it only the stream?
    waiting = true;
    source = new EventSource("/api/live");
    source.addEventListener("hello", () => {
      hear();
      changed(["everything"]);
    });
    source.addEventListener("beat", hear);
    source.addEventListener("changes", (e) => {
      hear();
      const said = JSON.parse((e as MessageEvent<string>).data) as Changes;
      const here = branchHere();
      const matters = ([area, branches]: [string, string[]]) =>
        area !== "counter" || branches.length === 0 || !here || branches.includes(here) || onToday();
      changed(Object.entries(said).flatMap((c) => (matters(c) ? [c[0]] : [])));
    });
    source.addEventListener("signed_out", () => {
      source?.close();
      line.getState().signOut();
    });
    source.addEventListener("error", () => {
      line.getState().lose();
      // Refused: the server may be there and the session not.
      if (source?.readyState === EventSource.CLOSED) void queries.invalidateQueries({ queryKey: ["me"] });
    });
  };
  const onToday = () => window.location.pathname === "/";
  const look = () => {
    if (document.visibilityState === "hidden" || line.getState().signedOut) return;
    const { changesLate, setChangesLate, lose } = line.getState();
    if (changesLate && Date.now() - asked > askAgain) changed(["everything"]);
    if (!changesLate && Date.now() - heard > silence) {
      if (answering && Date.now() - answering > 3 * silence) setChangesLate(true);
      else lose();
    }
    const refused = source?.readyState === EventSource.CLOSED && Date.now() - opened > again;
    if (refused || Date.now() - heard > 3 * silence) open();
  };
  // A browser holds few connections to one place, so only a window that is looked at keeps one.
  const seen = () => {
    if (document.visibilityState === "hidden") source?.close();
    else open();
  };
  const offline = () => line.getState().lose();
  const leaveAnswers = onAnswer(({ status }) => {
    if ([0, 502, 504].includes(status)) answering = 0;
    else if (waiting) answering ||= Date.now();
  });
  const leave = line.subscribe((now, before) => {
    if (before.signedOut && !now.signedOut) open();
  });
  const watch = window.setInterval(look, 400);
  document.addEventListener("visibilitychange", seen);
  window.addEventListener("offline", offline);
  open();
  return () => {
    source?.close();
    leave();
    leaveAnswers();
    later.end();
    clearInterval(watch);
    clearTimeout(timer);
    document.removeEventListener("visibilitychange", seen);
    window.removeEventListener("offline", offline);
  };
}
