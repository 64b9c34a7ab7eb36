import { newKey } from "../../api/client";
import { open, type Keeper, type Scan } from "./queue";

/**
 * The tape of a window lives as long as the window, reloads included. What is not answered yet is kept beside it, so
 * that it outlives a window that is closed or killed.
 */
const tapeKey = "nevrin tape";
const windowKey = "nevrin window";
const unsent = "nevrin unsent ";

const named = () => {
  const known = sessionStorage.getItem(windowKey) ?? newKey();
  sessionStorage.setItem(windowKey, known);
  return known;
};
let name = named();

function read(from: Storage, key: string): Scan[] {
  try {
    const kept: unknown = JSON.parse(from.getItem(key) ?? "[]");
    return Array.isArray(kept) ? (kept as Scan[]) : [];
  } catch {
    return [];
  }
}

/** So many answered lines are kept through a reload, the newest; what still wants an answer from somebody is kept besides. */
const answeredKept = 200;

function write(scans: Scan[]) {
  const left = scans.filter(open);
  const newest = new Set(scans.filter((s) => s.state === "done" || s.state === "wrong").slice(-answeredKept));
  // A browser that can keep no more must not stop a scan; what is not answered comes first.
  try {
    if (left.length > 0) localStorage.setItem(unsent + name, JSON.stringify(left));
    else localStorage.removeItem(unsent + name);
    sessionStorage.setItem(tapeKey, JSON.stringify(scans.filter((s) => open(s) || s.state === "ask" || newest.has(s))));
  } catch (e) {
    console.warn("Scans are not kept when the page is reloaded.", e);
    sessionStorage.removeItem(tapeKey);
    try {
      sessionStorage.setItem(tapeKey, JSON.stringify(left));
    } catch {
      // They are kept beside it.
    }
  }
}

export const keeper: Keeper = { load: () => read(sessionStorage, tapeKey), save: write };

/**
 * Says that this window is there, for as long as it is. A window that was doubled gets a name of its own; what waits is
 * then the other one's.
 */
export async function present(onDoubled: () => void) {
  const hold = () =>
    new Promise<boolean>((held) => {
      void navigator.locks.request(windowKey + name, { ifAvailable: true }, (lock) => {
        held(lock !== null);
        return lock ? new Promise(() => {}) : undefined;
      });
    });
  if (await hold()) return;
  name = newKey();
  sessionStorage.setItem(windowKey, name);
  onDoubled();
  await hold();
}

/**
 * Scans of a person that were not answered when their window went, oldest first, and how to forget that they were kept.
 * What others had scanned in the same window stays for them.
 */
export async function abandoned(person: number): Promise<{ scans: Scan[]; forget: () => void }> {
  const alive = new Set((await navigator.locks.query()).held?.map((l) => l.name));
  const keys = Object.keys(localStorage).filter(
    (k) => k.startsWith(unsent) && k !== unsent + name && !alive.has(windowKey + k.slice(unsent.length)),
  );
  const theirs = keys.map((key) => ({
    key,
    scans: read(localStorage, key).flatMap((s) => (s.person === person ? [{ ...s, adopted: key }] : [])),
  }));
  const found = theirs.filter((t) => t.scans.length > 0);
  return {
    scans: found.flatMap((t) => t.scans),
    forget: () =>
      found.forEach(({ key }) => {
        const others = read(localStorage, key).filter((s) => s.person !== person);
        if (others.length > 0) localStorage.setItem(key, JSON.stringify(others));
        else localStorage.removeItem(key);
      }),
  };
}
