import { useStore } from "zustand";
import { createStore } from "zustand/vanilla";

// What is said comes in turns of two places, so that the same sentence said twice is read twice.
const said = createStore<{ turn: number; text: string }>(() => ({ turn: 0, text: "" }));

/** Has a sentence read out, after what is being read. */
export function announce(text: string) {
  said.setState(({ turn }) => ({ turn: 1 - turn, text }));
}

/** The one place from which sign and asks are read out. */
export function Announcer() {
  const { turn, text } = useStore(said);
  return (
    <div className="sr-only" aria-live="assertive" data-announcer>
      <p>{turn === 0 && text}</p>
      <p>{turn === 1 && text}</p>
    </div>
  );
}
