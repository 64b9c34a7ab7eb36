import { Tag, type Tone } from "../../ui/parts";
import { sayDate } from "../../ui/say";
import type { Hold } from "./cancel";

const states: Record<string, [Tone, string]> = {
  ready: ["amber", "Ready"],
  moving: ["tide", "In transit"],
  fetching: ["spruce", "Being fetched"],
  waiting: ["plain", "Waiting"],
};

export const stateOf = (h: Hold): [Tone, string] => {
  if (h.lapsed) return ["buoy", "Expired"];
  if (h.state === "waiting" && h.paused_until) return ["plain", "Paused"];
  return states[h.state] ?? ["plain", h.says];
};

/** How a hold stands: a word, a sentence, and what is special about it. */
export function Standing({ hold: h }: { hold: Hold }) {
  const [tone, word] = stateOf(h);
  return (
    <>
      <Tag tone={tone}>{word}</Tag> <span className="text-sm text-ink-2">{h.says}</span>
      {h.waiting > 0 && <span className="text-sm text-ink-2">, number {h.waiting} in the queue</span>}
      {h.when && <span className="block text-sm">{h.when.says}</span>}
      {h.only && <span className="block text-sm text-ink-2">Only {h.only}</span>}
      {h.wanted_until && <span className="block text-sm text-ink-2">Needed until {sayDate(h.wanted_until)}</span>}
    </>
  );
}
