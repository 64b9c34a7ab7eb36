import { useStore } from "zustand";
import { createStore } from "zustand/vanilla";

/** The till into which this station takes money, and the day on which that was chosen. It stays in the browser, as the station does. */
const key = "nevrin till";
const dayKey = "nevrin till day";
const store = createStore(() => ({
  till: Number(localStorage.getItem(key)) || 0,
  day: localStorage.getItem(dayKey) ?? "",
}));

export const tillHere = () => store.getState().till || undefined;
export const useTillHere = () => useStore(store, (s) => s.till);
/** The day on which somebody last said which till this station takes into, or that there is none. */
export const useTillDay = () => useStore(store, (s) => s.day);

/** This station takes into a till from now on; 0: into the only one that is open, or none. */
export function takeInto(till: number, day?: string) {
  if (till) localStorage.setItem(key, String(till));
  else localStorage.removeItem(key);
  if (day) localStorage.setItem(dayKey, day);
  store.setState((s) => ({ till, day: day ?? s.day }));
}
