import { createStore } from "zustand/vanilla";
import { onAnswer } from "../api/client";

/** How things stand between this window and the server. */
interface Line {
  /** The server cannot be reached. */
  lost: boolean;
  /** The server is there and cannot answer now. */
  busy: boolean;
  /** The server answers, but a proxy holds back the stream of what changes elsewhere. */
  changesLate: boolean;
  /** The session has ended; what waits goes on after signing in. */
  signedOut: boolean;
  lose: () => void;
  find: () => void;
  wait: (busy: boolean) => void;
  setChangesLate: (late: boolean) => void;
  signOut: () => void;
  signIn: () => void;
}

const store = createStore<Line>((set) => ({
  lost: false,
  busy: false,
  changesLate: false,
  signedOut: false,
  lose: () => set({ lost: true }),
  find: () => set({ lost: false }),
  wait: (busy) => set({ busy }),
  setChangesLate: (changesLate) => set({ changesLate }),
  signOut: () => set({ signedOut: true }),
  signIn: () => set({ signedOut: false }),
}));

const until = (fine: (l: Line) => boolean) =>
  new Promise<void>((go) => {
    if (fine(store.getState())) {
      go();
      return;
    }
    const leave = store.subscribe((l) => {
      if (!fine(l)) return;
      leave();
      go();
    });
  });

/** Waits so many milliseconds, or until the line is back, or until nobody wants to wait any more. */
const calm = (milliseconds: number, signal?: AbortSignal) =>
  new Promise<void>((go) => {
    const leave = store.subscribe((now, before) => {
      if (before.lost && !now.lost) end();
    });
    const timer = setTimeout(() => end(), milliseconds);
    const end = () => {
      clearTimeout(timer);
      leave();
      signal?.removeEventListener("abort", end);
      go();
    };
    signal?.addEventListener("abort", end);
  });

export const line = Object.assign(store, { signedIn: () => until((l) => !l.signedOut), calm });

/** What every answer tells of the line. */
onAnswer(({ status }) => {
  const { lost, busy, lose, find, wait, signOut } = store.getState();
  if ([0, 502, 504].includes(status)) lose();
  else if (lost) find();
  if (busy !== (status === 503) && status !== 0) wait(status === 503);
  if (status === 401) signOut();
});
