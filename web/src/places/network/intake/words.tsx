import { Tag, type Tone } from "../../../kit/parts";
import type { Intake } from "./sending";

export const kinds: Record<Intake["kind"], { name: string; forms: string }> = {
  patrons: { name: "Patrons", forms: "A table as CSV" },
  stock: { name: "Titles and items", forms: "MARC 21 as ISO 2709 or MARCXML, or a table as CSV" },
  loans: { name: "Open loans", forms: "A table as CSV" },
  holds: { name: "Open holds", forms: "A table as CSV" },
  balances: { name: "What is owed", forms: "A table as CSV" },
};

const states: Record<Intake["state"], [Tone, string]> = {
  sending: ["amber", "Not whole yet"],
  reading: ["amber", "Being read"],
  read: ["plain", "Read"],
  trying: ["amber", "Being tried"],
  tried: ["tide", "Tried"],
  taking: ["amber", "Being taken in"],
  taken: ["spruce", "Taken in"],
  undoing: ["amber", "Being taken back"],
  undone: ["plain", "Taken back"],
};

export const underWay = (n: Intake) => ["reading", "trying", "taking", "undoing"].includes(n.state);

export function StateOf({ intake: n }: { intake: Intake }) {
  const [tone, says] = n.problem ? (["buoy", "Did not work"] as const) : states[n.state];
  return <Tag tone={tone}>{says}</Tag>;
}

export const sayState = (n: Intake) => states[n.state][1];
