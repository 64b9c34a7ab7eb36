import { useStore } from "zustand";
import { createStore } from "zustand/vanilla";

/** What a person has chosen for this station. It stays in the browser. */
const get = (name: string, usual: string) => localStorage.getItem(name) ?? usual;
const changes = createStore(() => ({ count: 0 }));
const set = (name: string, value: string) => {
  localStorage.setItem(name, value);
  changes.setState((s) => ({ count: s.count + 1 }));
};

/** What a person has chosen, and chooses while it is shown. */
export const useChosen = <T>(read: () => T) => useStore(changes, read);

const station = createStore(() => ({ id: get("station", "") }));

/** Which of the network's stations this is; empty: none that it knows. */
export const useStationHere = () => useStore(station, (s) => s.id);
export const stationHere = () => station.getState().id;
export function beStation(s?: { id: number; slips: boolean; sounds: boolean; paper: string }) {
  set("station", s ? String(s.id) : "");
  station.setState({ id: get("station", "") });
  if (!s) return;
  // What the network has set for the station holds from then on; a person may still choose otherwise.
  switchSounds(s.sounds);
  switchSlips(s.slips);
  set("paper", s.paper);
}

/** The paper of this station's printer. */
export const paper = () => get("paper", "80mm");

export const soundsOn = () => get("sounds", "on") === "on";
export const switchSounds = (on: boolean) => set("sounds", on ? "on" : "off");

/** Single keys outside of fields: g and a letter, /, ?, w. WCAG 2.1.4 wants that they can be switched off. */
export const singleKeysOn = () => get("single keys", "on") === "on";
export const switchSingleKeys = (on: boolean) => set("single keys", on ? "on" : "off");

/** Slips print by themselves. */
export const slipsPrint = () => get("slips print", "off") === "on";
export const switchSlips = (on: boolean) => set("slips print", on ? "on" : "off");

/** Whether loans are reviewed before they are made at this station, where that was chosen; otherwise the branch's setting holds. */
export const stagesHere = () => ({ on: true, off: false })[get("staged", "")];
export const switchStaging = (on: boolean) => set("staged", on ? "on" : "off");

/** The charge of the price list that was chosen last at this station for something, such as a new card. */
export const usualCharge = (of: string) => get(`charge for ${of}`, "");
export const rememberCharge = (of: string, code: string) => set(`charge for ${of}`, code);

export type Theme = "station" | "light" | "dark";
export const theme = () => get("theme", "station") as Theme;
export function chooseTheme(t: Theme) {
  set("theme", t);
  showTheme();
}
export function showTheme() {
  const dark = theme() === "dark" || (theme() === "station" && matchMedia("(prefers-color-scheme: dark)").matches);
  document.documentElement.dataset.theme = dark ? "dark" : "light";
}
