import { createStore } from "zustand/vanilla";
import type { Said } from "./record";

/** What has been written down of who is about to be registered, by the household they join: it stays while one is elsewhere. */
const drafts = createStore<Record<string, { said: Said; others: number[] }>>(() => ({}));

export const draftOf = (household = 0) => drafts.getState()[household];
export const keepDraft = (said: Said, others: number[], household = 0) =>
  drafts.setState({ [household]: { said, others } });
export const dropDraft = (household = 0) =>
  drafts.setState(Object.fromEntries(Object.entries(drafts.getState()).filter(([h]) => h !== String(household))), true);
/** Another person works in this window. */
export const clearDrafts = () => drafts.setState({}, true);
