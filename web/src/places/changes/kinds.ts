import type { Schema } from "../../api/client";

export type Change = Schema["SweepsChange"];
export type Kind = Change["kind"];

/** What many records can be changed in, with the filters of each. */
export const kinds = [
  ["due", "Due dates"],
  ["renewals", "Renewals"],
  ["charges", "Late fines"],
  ["cards", "Cards"],
  ["classes", "Patron classes"],
  ["pickups", "Pickup branches"],
] as const satisfies readonly (readonly [Kind, string])[];

export const nameOf = (kind: Kind) => kinds.find(([code]) => code === kind)?.[1] ?? kind;

/** What each kind does, in a sentence. */
export const says: Record<Kind, string> = {
  due: "Gives loans another due date, for example when a branch must close.",
  renewals: "Renews loans as the rulebook allows. Loans that cannot be renewed stay as they are, with the reason.",
  charges: "Waives what is still owed of late fines. Charges in dispute are included.",
  cards: "Gives cards another last day. No membership fee is charged.",
  classes: "Moves patrons to another class. Loans already made keep their terms.",
  pickups: "Moves waiting holds to another pickup branch. Holds with a copy on its way stay.",
};

/** What is asked for in the form, as it is typed. */
export interface Typed {
  kind: Kind;
  branches: string[];
  owners: string[];
  homes: string[];
  classes: string[];
  materials: string[];
  roster: string;
  from: string;
  to: string;
  fromAge: string;
  toAge: string;
  how: "to" | "days" | "open";
  day: string;
  days: string;
  open: boolean;
  earlier: boolean;
  newClass: string;
  pickup: string;
  reason: string;
}

export const empty = (kind: Kind): Typed => ({
  kind,
  branches: [],
  owners: [],
  homes: [],
  classes: [],
  materials: [],
  roster: "0",
  from: "",
  to: "",
  fromAge: "",
  toAge: "",
  how: "to",
  day: "",
  days: "",
  open: true,
  earlier: false,
  newClass: "",
  pickup: "",
  reason: "",
});

/** Which filters a kind has. */
export const filters: Record<Kind, readonly (keyof Typed)[]> = {
  due: ["branches", "owners", "homes", "classes", "materials", "roster", "from", "to"],
  renewals: ["branches", "owners", "homes", "classes", "materials", "roster", "from", "to"],
  charges: ["branches", "homes", "classes", "materials", "roster", "from", "to"],
  cards: ["homes", "classes", "roster", "from", "to"],
  classes: ["homes", "classes", "roster", "fromAge", "toAge"],
  pickups: ["branches", "homes", "classes", "roster"],
};

/** The change that a form asks for. Fields that its kind does not have are left out. */
export function changeOf(t: Typed, leftOut: number[]): Change {
  const has = (field: keyof Typed) => filters[t.kind].includes(field);
  const list = (field: "branches" | "owners" | "homes" | "classes" | "materials") => (has(field) ? t[field] : []);
  const dated = t.kind === "due" || t.kind === "cards";
  return {
    kind: t.kind,
    which: {
      branches: list("branches"),
      owners: list("owners"),
      homes: list("homes"),
      classes: list("classes"),
      materials: list("materials"),
      roster: has("roster") ? Number(t.roster) : 0,
      ...(has("from") && t.from && { from: t.from }),
      ...(has("to") && t.to && { to: t.to }),
      ...(has("fromAge") && t.fromAge && { from_age: Number(t.fromAge) }),
      ...(has("toAge") && t.toAge && { to_age: Number(t.toAge) }),
    },
    dates: {
      ...(dated && t.how === "to" && { to: t.day }),
      days: dated && t.how === "days" ? Number(t.days) : 0,
      open: t.kind === "due" && (t.how === "open" || t.open),
      earlier: dated && t.earlier,
    },
    class: t.kind === "classes" ? t.newClass : "",
    pickup: t.kind === "pickups" ? t.pickup : "",
    reason: t.reason,
    left_out: leftOut,
  };
}
