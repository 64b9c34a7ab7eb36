import { useRouter, useRouterState } from "@tanstack/react-router";
import { useEffect, useRef } from "react";
import { useStore } from "zustand";
import { createStore } from "zustand/vanilla";
import { api, told } from "../api/client";
import { announce } from "../ui/announce";
import { answerOldest, asks } from "./asks";
import { line } from "./line";
import { placesFor, takerOf, type PlaceInfo } from "./places";
import { Catcher } from "./scans/catcher";
import { add } from "./scans/scans";
import { singleKeysOn } from "./settings";
import { play } from "./sound";

type Field = HTMLInputElement | HTMLTextAreaElement | HTMLSelectElement;

const textless = ["button", "checkbox", "color", "image", "radio", "range", "reset", "submit"];

/** The field that takes what is typed, if one does. */
const fieldOf = (target: EventTarget | null): Field | null =>
  (target instanceof HTMLInputElement && !textless.includes(target.type)) ||
  target instanceof HTMLTextAreaElement ||
  target instanceof HTMLSelectElement
    ? target
    : null;

/** Gives a field its value back, so that the form behind it knows. */
function restore(field: Field, value: string) {
  if (field.value === value || field.type === "file") return;
  const prototype = Object.getPrototypeOf(field) as object;
  Object.getOwnPropertyDescriptor(prototype, "value")?.set?.call(field, value);
  field.dispatchEvent(new Event(field instanceof HTMLSelectElement ? "change" : "input", { bubbles: true }));
}

declare global {
  interface Window {
    /** Keys that came before the application was there (public/early.js); nothing from then on. */
    early?: { key: string; at: number; held: boolean }[];
  }
}

/** Forgets keys that came before the application was there: they were typed into the page before the house. */
export const forgetEarly = () => void (window.early = undefined);

const shown = createStore<{ prompt: string; going: boolean; keys: boolean }>(() => ({
  prompt: "",
  going: false,
  keys: false,
}));

/** Whether the keys that there are should be shown. */
export const useKeysShown = () => useStore(shown, (s) => s.keys);
export const showKeys = (keys: boolean) => shown.setState({ keys });

/** Says in the scan line what a scan does in this place. */
export function usePrompt(prompt: string) {
  useEffect(() => {
    shown.setState({ prompt });
    return () => shown.setState({ prompt: "" });
  }, [prompt]);
}

const lineId = "scan-line";
const scanLine = () => document.getElementById(lineId) as HTMLInputElement | null;
export const toScanLine = () => scanLine()?.focus();

/** Whether an element is the scan line, and nothing has been typed into it. */
export const emptyScanLine = (target: EventTarget | null) =>
  target !== null && target === scanLine() && !scanLine()?.value;

/** Opens the why that was told last in this place. */
const newestWhy = () => document.querySelector<HTMLButtonElement>("main [data-why]")?.click();

/** From the chosen one of the place's tabs to the next or the one before, around the end. */
function walkTabs(by: 1 | -1) {
  const tabs = [...document.querySelectorAll<HTMLElement>("main [data-tabs] button")];
  const at = tabs.findIndex((t) => t.ariaCurrent === "page");
  const next = tabs[(at + by + tabs.length) % tabs.length];
  next?.focus();
  next?.click();
}

/** What was typed into the scan line: an answer, a way to go, or something to be looked up. */
function typed(text: string, places: PlaceInfo[], go: (p: PlaceInfo) => void, take: (text: string) => void) {
  if (/^[1-9]$/.test(text) && asks.getState().open.length > 0) {
    if (answerOldest(Number(text))) return;
    play("wrong");
    announce(`The oldest question has no answer ${text}.`);
    return;
  }
  const letter = /^g ?([a-z])$/.exec(text)?.[1];
  const place = places.find((p) => p.key === letter);
  if (place) go(place);
  else if (letter === "w") newestWhy();
  else if (text === "?") showKeys(true);
  else if (text === "[" || text === "]") walkTabs(text === "]" ? 1 : -1);
  else take(text);
}

/**
 * A scan while a form is open that asks for a new card: a number that nobody has yet is that card; whatever is known goes where
 * it always goes, and the form stays as it was. Where the form has gone meanwhile, the queue keeps it.
 */
async function newCard(text: string, path: string, field: HTMLInputElement) {
  const read = await told(api.GET("/api/scanned", { params: { query: { text } } })).catch(() => undefined);
  if (!field.isConnected || (read && (read.patron || read.item))) add(takerOf(path), text);
  else restore(field, text);
}

/** Hears every key of the window: scans wherever they land, and keys where nothing takes text. */
export function useKeys(role: string) {
  const router = useRouter();
  useEffect(() => {
    const catcher = new Catcher();
    let began: Field | undefined; // where keys went before the question who is there
    const places = placesFor(role);
    let going = 0; // until when a letter after g counts
    const go = (p: PlaceInfo) => void router.navigate({ to: p.path, search: {} });
    const here = () => router.latestLocation.pathname;
    const endGoing = () => {
      going = 0;
      shown.setState({ going: false });
    };

    /** A single key where nothing takes text. True: it was used. */
    const command = (key: string, at: number) => {
      if (!singleKeysOn()) return false;
      if (at < going) {
        endGoing();
        const place = places.find((p) => p.key === key);
        if (place) go(place);
        else if (key === "w") newestWhy();
        return place !== undefined || key === "w";
      }
      if (key === "g") {
        going = at + 3000;
        shown.setState({ going: true });
        window.setTimeout(() => going && performance.now() > going && endGoing(), 3100);
      } else if (key === "?") showKeys(true);
      else if (key === "/") toScanLine();
      else if (key === "[" || key === "]") walkTabs(key === "]" ? 1 : -1);
      else return false;
      return true;
    };

    const onKeyDown = (e: KeyboardEvent) => {
      const input = scanLine();
      if (!input || e.ctrlKey || e.metaKey || e.altKey || e.isComposing) return;
      // Who is asked who they are answers with a code or a badge. A scan that had begun before is still a scan.
      const asked = line.getState().signedOut;
      // Before the question has a field, nothing is answered yet: what comes then is scanned.
      const field = fieldOf(e.target);
      const fresh = !catcher.goesOn(e.timeStamp);
      if (asked && fresh && field?.closest("[role=dialog]")) return;
      const element = e.target instanceof Element ? e.target : null;
      const inMenu = element?.closest("[role=menu], [role=listbox]");
      const itsOwn = e.key.length === 1 && element?.closest(`[data-keys~="${CSS.escape(e.key)}"]`);
      const value = field ? field.value : input.value;
      if (!asked) began = field ?? input;
      else if (fresh) began = undefined;
      const fast = going > 0 && catcher.running;
      const caught = catcher.stroke({
        key: e.key,
        at: e.timeStamp,
        held: e.repeat,
        value,
        inScanLine: !field || field === input,
      });
      if (caught) {
        e.preventDefault();
        e.stopPropagation();
        if (field && field !== input && "takesScans" in field.dataset && !("hereScans" in field.dataset)) {
          restore(field, caught.text); // it asks for a card itself
          return;
        }
        restore(field ?? input, asked ? "" : (caught.before ?? ""));
        if (asked) {
          if (began) restore(began, caught.before ?? "");
          play("ask");
        }
        const wants = document.querySelector<HTMLInputElement>("main [data-here-scans]");
        if (wants && !asked) {
          void newCard(caught.text, here(), wants);
          return;
        }
        add(takerOf(here()), caught.text);
        return;
      }
      if (asked || field || inMenu || itsOwn || e.key.length !== 1 || e.key === " ") return;
      if (!fast && !catcher.running && command(e.key, e.timeStamp)) {
        e.preventDefault();
        return;
      }
      if (going > 0 && catcher.running) {
        input.value += "g"; // it was no command but the beginning of a code
        endGoing();
      }
      input.focus(); // and what is typed goes there
    };
    for (const k of window.early ?? []) {
      const caught = catcher.stroke({ ...k, value: "", inScanLine: true });
      if (caught) add(takerOf(here()), caught.text);
    }
    forgetEarly();
    window.addEventListener("keydown", onKeyDown, true);
    return () => window.removeEventListener("keydown", onKeyDown, true);
  }, [role, router]);
}

/** The scan line: always there, at the top, focused. */
export function ScanLine({ role }: { role: string }) {
  const router = useRouter();
  const input = useRef<HTMLInputElement>(null);
  const hint = useRef<HTMLParagraphElement>(null);
  const { prompt, going } = useStore(shown);
  const path = useRouterState({ select: (s) => s.location.pathname });
  useEffect(() => input.current?.focus(), [path]);
  const places = placesFor(role);
  const hinted = (text: string) => {
    if (hint.current) hint.current.hidden = !/^g ?[a-z]?$/.test(text);
  };
  useEffect(() => {
    if (hint.current) hint.current.hidden = !going && !/^g ?[a-z]?$/.test(input.current?.value ?? "");
  }, [going]);
  return (
    <form
      role="search"
      className="relative min-w-0 flex-1"
      onSubmit={(e) => {
        e.preventDefault();
        const field = input.current;
        const text = field?.value.trim();
        if (!field || !text) return;
        field.value = "";
        hinted("");
        typed(
          text,
          places,
          (p) => void router.navigate({ to: p.path, search: {} }),
          (t) => void add(takerOf(router.latestLocation.pathname), t),
        );
      }}
    >
      <input
        ref={input}
        id={lineId}
        aria-label="Scan field"
        placeholder={prompt || "Scan a card or an item, or type to find"}
        autoComplete="off"
        autoCorrect="off"
        spellCheck={false}
        onInput={(e) => hinted(e.currentTarget.value)}
        onKeyDown={(e) => {
          if (e.key !== "Escape" || !e.currentTarget.value) return;
          e.preventDefault(); // what was typed is cleared, and nothing else
          e.currentTarget.value = "";
          hinted("");
        }}
        className="h-9 w-full rounded-card border-[1.5px] border-spruce-700 bg-field px-3 placeholder:text-ink-3 focus:outline-2 focus:outline-offset-1 focus:outline-spruce-500"
      />
      <p
        ref={hint}
        hidden
        className="absolute top-11 left-0 z-20 flex w-max max-w-full flex-wrap gap-x-3 gap-y-1 rounded-card border border-line-strong bg-surface px-3 py-2 text-sm shadow-lg [&[hidden]]:hidden"
      >
        <b className="font-semibold">{going ? "Go to" : "Letter and Enter go to"}</b>
        {places.map((p) => (
          <span key={p.path}>
            <kbd className="rounded border border-b-2 px-1 font-sans">{p.key}</kbd> {p.name}
          </span>
        ))}
        <span>
          <kbd className="rounded border border-b-2 px-1 font-sans">w</kbd> why, for the newest line
        </span>
      </p>
    </form>
  );
}
