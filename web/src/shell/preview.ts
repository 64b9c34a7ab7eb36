import { useState } from "react";
import type { Answer } from "../api/client";
import { useWrite } from "./write";

/** The state of a batch change: not previewed yet, previewed, or applied. */
export interface Previewed<O> {
  /** What it would do; none: it has not been previewed as it is now. */
  would?: O;
  /** What it did, until it is previewed anew. */
  did?: O;
  forget: () => void;
  look: () => void;
  act: () => void;
  busy: boolean;
  problem?: unknown;
}

/**
 * A batch change that is previewed before it is applied. Exactly what was previewed is applied: once its fields change, it has to
 * be previewed again.
 */
export function usePreview<B extends object, O>(
  body: B,
  send: (body: B & { try: boolean }, key: string) => Promise<Answer<O>>,
  { name, about, of = body, done }: { name: string; about: string; of?: object; done: () => void },
): Previewed<O> {
  const [looked, setLooked] = useState<{ of: string; is: O }>();
  const [came, setCame] = useState<O>();
  const now = JSON.stringify(of);
  const write = useWrite((attempt: boolean, key) => send({ ...body, try: attempt }, key), {
    name,
    about,
    done: (is, attempt) => {
      setLooked(attempt ? { of: now, is } : undefined);
      if (attempt) return;
      setCame(is);
      done();
    },
  });
  const would = looked?.of === now ? looked.is : undefined;
  return {
    would,
    did: would ? undefined : came,
    forget: () => setCame(undefined),
    look: () => write.run(true),
    act: () => write.run(false),
    busy: write.busy,
    problem: write.problem,
  };
}
