import createClient from "openapi-fetch";
import type { components, paths } from "./schema.gen";

export type Schema = components["schemas"];

/** A problem that the server told in a sentence. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    text: string,
  ) {
    super(text);
  }
}

const client = createClient<paths>({ baseUrl: "/" });
export const api = client;

/** A key for one write. The same key sent again gives the same answer, so a write may be repeated safely. */
export const newKey = () => ({ "Idempotency-Key": crypto.randomUUID() });

type Answer<T> = { data?: T; error?: unknown; response: Response };

/** Waits for an answer; throws a Problem with the server's sentence. */
export async function told<T>(answer: Promise<Answer<T>>): Promise<T> {
  let a: Answer<T>;
  try {
    a = await answer;
  } catch {
    throw new Problem(0, "Nevrin cannot be reached. Nothing was done; try again when the line is back.");
  }
  if (a.response.ok) return a.data as T;
  const error = a.error as { detail?: string; errors?: { message?: string; location?: string }[] } | undefined;
  const more = error?.errors?.map((e) => `${e.location ?? ""} ${e.message ?? ""}`.trim()).join("; ");
  throw new Problem(
    a.response.status,
    [error?.detail ?? `The server answered ${a.response.status}.`, more].filter(Boolean).join(" "),
  );
}

/** Repeats a write with its key while the server or the line is away, so that no scan is lost. */
export async function surely<T>(write: () => Promise<Answer<T>>): Promise<T> {
  for (let wait = 400; ; wait = Math.min(wait * 2, 5000)) {
    try {
      return await told(write());
    } catch (e) {
      if (!(e instanceof Problem) || (e.status !== 0 && e.status !== 503) || wait > 3000) throw e;
      await new Promise((go) => setTimeout(go, wait));
    }
  }
}

/** Sends what is not an operation: signing in and out, changing branch. */
export async function post(path: string, body: unknown) {
  const response = await fetch(path, {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify(body),
  });
  if (!response.ok) {
    const error = (await response.json().catch(() => ({}))) as { detail?: string };
    throw new Problem(response.status, error.detail ?? `The server answered ${response.status}.`);
  }
}
