import { createStore } from "zustand/vanilla";

/** Asks that are open on the screen. The oldest keeps the keys. */
export interface OpenAsk {
  id: string;
  /** When it came up, in milliseconds. */
  since: number;
  /** Gives the answer of a digit, from 1; false where there is none. */
  answer: (digit: number) => boolean;
}

export const asks = createStore<{ open: OpenAsk[] }>(() => ({ open: [] }));

export function openAsk(ask: OpenAsk) {
  asks.setState(({ open }) => ({
    open: [...open.filter((a) => a.id !== ask.id), ask].sort((a, b) => a.since - b.since),
  }));
}

export const closeAsk = (id: string) => asks.setState(({ open }) => ({ open: open.filter((a) => a.id !== id) }));

/** Answers the oldest ask by a digit. */
export const answerOldest = (digit: number) => asks.getState().open[0]?.answer(digit) ?? false;
