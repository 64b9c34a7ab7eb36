import { newKey, notKnown, Problem, told, type Answer } from "../api/client";
import { personHere } from "../api/station";
import { line } from "./line";

/** How long to wait before asking again, in milliseconds: longer each time, up to three seconds. */
const pause = (tries: number) => Math.min(300 * 2 ** tries, 3000);

export interface Write {
  key?: string;
  /** Is told while nobody knows what became of it, and when somebody does again. */
  onUnknown?: (unknown: boolean) => void;
  /** Ends the asking. What became of it stays unknown then. */
  signal?: AbortSignal;
}

/**
 * Sends a write until it is known what became of it: with one key, so that it counts once however often it is sent.
 * While the server or the line is away it is sent again; while nobody is signed in it waits.
 */
export async function surely<T>(send: (key: string) => Promise<Answer<T>>, options: Write = {}): Promise<T> {
  const { key = newKey(), onUnknown, signal } = options;
  const who = personHere();
  for (let tries = 0; ; tries++) {
    if (line.getState().signedOut) {
      await line.signedIn();
      if (personHere() !== who)
        throw new Problem(401, "Somebody else has signed in here, so this was not sent. If it is yours, do it again.");
    }
    try {
      const answer = await told(send(key));
      if (tries > 0) onUnknown?.(false);
      return answer;
    } catch (e) {
      if (e instanceof Problem && e.status === 401) {
        line.getState().signOut();
        continue;
      }
      if (!notKnown(e)) {
        if (tries > 0) onUnknown?.(false);
        throw e;
      }
      if (signal?.aborted) throw e;
      onUnknown?.(true);
      await line.calm(pause(tries), signal);
      if (signal?.aborted) throw e;
    }
  }
}
