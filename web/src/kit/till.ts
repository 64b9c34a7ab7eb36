import { useStore } from "zustand";
import { createStore } from "zustand/vanilla";

/** The till into which this station takes money. It stays in the browser, as the station does. */
const key = "nevrin till";
const store = createStore(() => ({ till: Number(localStorage.getItem(key)) || 0 }));

export const tillHere = () => store.getState().till || undefined;
export const useTillHere = () => useStore(store, (s) => s.till);

export function takeInto(till: number) {
  if (till) localStorage.setItem(key, String(till));
  else localStorage.removeItem(key);
  store.setState({ till });
}
