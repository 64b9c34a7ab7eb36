import type { Schema } from "../../api/client";
import { sayMoney, toFigures, toMinor } from "../../ui/say";
import { stops } from "./settings/values";

type Rights = Schema["SettingsRights"];

/** What the form says of somebody's rights: texts, empty for as the role. */
export interface Said {
  waive: string;
  unlimited: boolean;
  back: string;
  past: string[];
  history: "" | "yes" | "no";
  consents: "" | "yes" | "no";
  due: "" | "yes" | "no";
}

const yesNo = (v?: boolean) => (v === undefined ? "" : v ? "yes" : "no");
const fromYesNo = (t: "" | "yes" | "no") => (t === "" ? undefined : t === "yes");

export function startRights(r: Rights, currency: string): Said {
  const sum = r.waive?.sum;
  return {
    waive: toFigures(sum, currency),
    unlimited: r.waive !== undefined && (sum === undefined || sum === null),
    back: r.back_days?.toString() ?? "",
    past: r.past ?? [],
    history: yesNo(r.history),
    consents: yesNo(r.consents),
    due: yesNo(r.due_dates),
  };
}

export function toRights(s: Said, currency: string): Rights {
  const sum = toMinor(s.waive, currency) ?? 0;
  return {
    waive: s.unlimited ? { sum: null } : s.waive === "" ? undefined : { sum },
    back_days: s.back === "" ? undefined : Number(s.back),
    past: s.past.length > 0 ? s.past : undefined,
    history: fromYesNo(s.history),
    consents: fromYesNo(s.consents),
    due_dates: fromYesNo(s.due),
  };
}

/** What somebody may otherwise than their role says, in words. */
export function sayRights(r: Rights, currency: string): string[] {
  const s = startRights(r, currency);
  return [
    s.unlimited ? "Waives without limit" : s.waive && `Waives up to ${sayMoney(s.waive)}`,
    s.back && `Backdates returns up to ${s.back} days`,
    s.past.length > 0 &&
      `Overrides: ${s.past.map((code) => stops.find(([c]) => c === code)?.[1].toLowerCase() ?? code).join(", ")}`,
    s.history && (s.history === "yes" ? "Sees loan histories" : "Does not see loan histories"),
    s.consents && (s.consents === "yes" ? "Changes consents" : "Does not change consents"),
    s.due && (s.due === "yes" ? "Sets due dates" : "Does not set due dates"),
  ].filter((t): t is string => typeof t === "string" && t !== "");
}
