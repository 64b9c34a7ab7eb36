import type { Schema } from "../../api/client";
import { Tag, type Tone } from "../../ui/parts";

type State = Schema["NoticesInRun"]["state"];

const words: Record<State, [Tone, string]> = {
  trial: ["plain", "To send"],
  left_out: ["plain", "Left out"],
  dropped: ["plain", "Discarded"],
  approved: ["tide", "Queued"],
  told: ["tide", "Queued"],
  gathering: ["tide", "Sent soon"],
  queued: ["tide", "Queued"],
  sending: ["tide", "Being sent"],
  sent: ["spruce", "Sent"],
  stopped: ["buoy", "Stopped"],
  overtaken: ["plain", "No longer needed"],
  unclear: ["buoy", "Unclear"],
  refused: ["buoy", "Refused"],
  no_address: ["plain", "No address"],
  by_hand: ["amber", "To do by hand"],
};

export const sayState = (state: State) => words[state][1];

/** The status of a message, and what kept it. */
export function StateTag({ state, problem }: { state: State; problem?: string }) {
  const [tone, word] = words[state];
  return (
    <>
      <Tag tone={problem ? "buoy" : tone}>{word}</Tag>
      {problem && <span className="block text-sm text-buoy-700">{problem}</span>}
    </>
  );
}
