import createClient from "openapi-fetch";
import type { components, paths } from "./schema.gen";
import { branchHere } from "./station";

export type Schema = components["schemas"];

/** A problem that the server told in a sentence. Status 0: nothing is known of an answer. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    text: string,
    readonly type = "",
  ) {
    super(text);
  }
}

/** How long an answer is waited for before it counts as lost, in milliseconds. */
const patience = 10_000;

/** What is not known to have been done, and may be: no answer, or one of something on the way to the server. */
export const notKnown = (e: unknown): e is Problem => e instanceof Problem && [0, 502, 503, 504].includes(e.status);

/** The window works at a branch where its person has not gone. */
export const wrongBranch = (e: unknown) => e instanceof Problem && e.type === "urn:nevrin:branch";

const branchHeader = "Nevrin-Branch";

/** Headers of a write: its key, and the branch where it was made if that is another than the one of now. */
export const keyed = (key: string) => ({ "Idempotency-Key": key });
export const madeAt = (branch?: string) => (branch ? { [branchHeader]: branch } : {});

/** The key of this was used for something else, which has been done. */
export const keyUsed = (e: unknown) => e instanceof Problem && e.type === "urn:nevrin:key-used";

type Heard = (answer: { status: number }) => void;
const hearers = new Set<Heard>();

/** Lets somebody hear the status of every answer, 0 where none came. */
export function onAnswer(hear: Heard) {
  hearers.add(hear);
  return () => void hearers.delete(hear);
}

async function ask(request: Request): Promise<Response> {
  const branch = branchHere();
  // A scan names the branch where it was made, which may not be the one of now.
  if (branch && !request.headers.has(branchHeader)) request.headers.set(branchHeader, branch);
  const given = AbortSignal.any([request.signal, AbortSignal.timeout(patience)]);
  try {
    const answer = await fetch(request, { signal: given });
    hearers.forEach((hear) => hear({ status: answer.status }));
    return answer;
  } catch (e) {
    if (!request.signal.aborted) hearers.forEach((hear) => hear({ status: 0 }));
    throw e;
  }
}

export const api = createClient<paths>({ baseUrl: "/", fetch: ask });

/** A key for one write. The same key sent again gives the same answer, so a write may be repeated safely. */
export const newKey = () => crypto.randomUUID();

export type Answer<T> = { data?: T; error?: unknown; response: Response };

/** Waits for an answer; throws a Problem with the server's sentence. */
export async function told<T>(answer: Promise<Answer<T>>): Promise<T> {
  let a: Answer<T>;
  try {
    a = await answer;
  } catch {
    throw new Problem(0, "Nevrin cannot be reached.");
  }
  if (a.response.ok) return a.data as T;
  throw problemOf(a.response.status, a.error);
}

type Told = { detail?: string; type?: string; errors?: { message?: string; location?: string }[] };

function problemOf(status: number, error: unknown) {
  const said = (typeof error === "object" && error ? error : {}) as Told;
  const more = said.errors?.map((e) => `${e.location ?? ""} ${e.message ?? ""}`.trim()).join("; ");
  const text = [said.detail ?? `The server answered ${status}.`, more].filter(Boolean).join(" ");
  return new Problem(status, text, said.type);
}

/** Asks for what is not an operation: a session, a file. */
export async function fetched(path: string, body?: unknown): Promise<Response> {
  const headers = { "Content-Type": "application/json" };
  const request = new Request(
    path,
    body === undefined ? undefined : { method: "POST", headers, body: JSON.stringify(body) },
  );
  const answer = await ask(request).catch(() => {
    throw new Problem(0, "Nevrin cannot be reached.");
  });
  if (!answer.ok) throw problemOf(answer.status, await answer.json().catch(() => undefined));
  return answer;
}
