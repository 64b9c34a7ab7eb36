import { useEffect, useId, useRef } from "react";
import { useStore } from "zustand";
import { createStore } from "zustand/vanilla";
import { keyUsed, newKey, Problem, type Answer } from "../api/client";
import { surely } from "./surely";

/**
 * Every write that is no scan. It has one key until it is known to have succeeded, under a name of its own: who closes a
 * form and opens it again, or clicks twice, still writes the same thing once.
 */
export interface Doing {
  key: string;
  state: "rest" | "busy" | "unknown";
  /** What it is, for the person who waits: "Payment of $2.00". */
  about: string;
  problem?: unknown;
  stop?: () => void;
}

type Writes = Record<string, Doing>;

export const writes = createStore<Writes>(() => ({}));

const set = (name: string, by: Partial<Doing>) => {
  const known = writes.getState()[name] ?? { key: newKey(), state: "rest" as const, about: "" };
  writes.setState({ [name]: { ...known, ...by } });
};

/** Writes once. While one of this name is under way nothing else is begun; undefined then, and after a problem. */
export async function write<T>(
  name: string,
  about: string,
  send: (key: string) => Promise<Answer<T>>,
): Promise<{ answer: T } | undefined> {
  const known = writes.getState()[name];
  if (known && known.state !== "rest") return undefined;
  const key = known?.key ?? newKey();
  const left = new AbortController();
  set(name, { key, state: "busy", about, problem: undefined, stop: () => left.abort() });
  try {
    const answer = await surely(send, {
      key,
      signal: left.signal,
      onUnknown: (unknown) => set(name, { state: unknown ? "unknown" : "busy" }),
    });
    set(name, { key: newKey(), state: "rest", problem: undefined, stop: undefined });
    return { answer };
  } catch (e) {
    set(name, { state: "rest", problem: explained(e, left.signal.aborted), stop: undefined });
    // What was asked for before under this key has been done after all: what comes now is another thing.
    if (keyUsed(e)) set(name, { key: newKey() });
    return undefined;
  }
}

function explained(e: unknown, stopped: boolean) {
  if (stopped) return new Problem(0, "Stopped. It may have gone through: check before you do it again.");
  if (keyUsed(e))
    return new Problem(422, "Your earlier change, which had no answer, did go through. Check it before you go on.");
  return e;
}

interface Options<I, O> {
  /** The same name is the same thing to do, wherever it is done. Left out: this part of the screen alone. */
  name?: string;
  about?: string | ((input: I) => string);
  done?: (answer: O, input: I) => void;
  /** Where to go after it, unless the screen that wrote has been left meanwhile: nobody is taken away from what they went on to. */
  go?: (answer: O, input: I) => void;
}

/** A write of a screen: run it, whether it is under way, and what stands in its way. */
export function useWrite<I = void, O = unknown>(
  send: (input: I, key: string) => Promise<Answer<O>>,
  { name, about = "Your last change", done, go }: Options<I, O> = {},
) {
  const here = useRef(true);
  useEffect(() => {
    here.current = true;
    return () => void (here.current = false);
  }, []);
  const own = useId();
  const id = name ?? own;
  const doing = useStore(writes, (w) => w[id]);
  const run = async (input: I) => {
    const says = typeof about === "string" ? about : about(input);
    const written = await write(id, says, (key) => send(input, key));
    if (!written) return;
    done?.(written.answer, input);
    if (here.current) go?.(written.answer, input);
  };
  return { run: (input: I) => void run(input), busy: isBusy(doing), problem: doing?.problem };
}

const isBusy = (d?: Doing) => d !== undefined && d.state !== "rest";

/** How a write of a name stands. */
export function useDoing(name: string) {
  const doing = useStore(writes, (w) => w[name]);
  return { busy: isBusy(doing), problem: doing?.problem };
}

/** Writes of this window that nobody knows the end of. */
export const useUnknown = () => {
  const all = useStore(writes);
  return Object.values(all).filter((d) => d.state === "unknown");
};
