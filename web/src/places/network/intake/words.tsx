import { Tag, type Tone } from "../../../ui/parts";
import type { Intake } from "./sending";

export const kinds: Record<Intake["kind"], { name: string; forms: string }> = {
  patrons: { name: "Patrons", forms: "CSV" },
  stock: { name: "Titles and items", forms: "MARC 21 (ISO 2709 or MARCXML) or CSV" },
  loans: { name: "Open loans", forms: "CSV" },
  holds: { name: "Open holds", forms: "CSV" },
  balances: { name: "Amounts owed", forms: "CSV" },
};

const states: Record<Intake["state"], [Tone, string]> = {
  sending: ["amber", "Uploading"],
  reading: ["amber", "Reading"],
  read: ["plain", "Read"],
  trying: ["amber", "Testing"],
  tried: ["tide", "Tested"],
  taking: ["amber", "Importing"],
  taken: ["spruce", "Imported"],
  undoing: ["amber", "Undoing"],
  undone: ["plain", "Undone"],
};

export const underWay = (n: Intake) => ["reading", "trying", "taking", "undoing"].includes(n.state);

export function StateOf({ intake: n }: { intake: Intake }) {
  const [tone, says] = n.problem ? (["buoy", "Failed"] as const) : states[n.state];
  return <Tag tone={tone}>{says}</Tag>;
}

export const sayState = (n: Intake) => states[n.state][1];
