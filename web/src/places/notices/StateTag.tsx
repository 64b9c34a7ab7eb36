import type { Schema } from "../../api/client";
import { Tag, type Tone } from "../../ui/parts";

type Message = Schema["NoticesMessage"];

const words: Record<Message["state"], [Tone, string]> = {
  trial: ["amber", "Trial run"],
  left_out: ["plain", "Left out"],
  queued: ["tide", "Queued"],
  sending: ["tide", "Being sent"],
  sent: ["spruce", "Sent"],
  unclear: ["buoy", "Unclear"],
  refused: ["buoy", "Refused"],
  no_address: ["plain", "No address"],
  by_hand: ["amber", "To do by hand"],
};

export const sayMessage = (m: Message) => words[m.state][1];

/** How a message stands, and what kept it. */
export function StateTag({ message: m }: { message: Message }) {
  const [tone, word] = words[m.state];
  return (
    <>
      <Tag tone={m.problem ? "buoy" : tone}>{word}</Tag>
      {m.problem && <span className="block text-sm text-buoy-700">{m.problem}</span>}
    </>
  );
}
