import { useAskAgain } from "../../api/asked";
import { useNavigate, useSearch } from "@tanstack/react-router";
import type { Answer } from "../../api/client";
import { useWrite } from "../../shell/write";
import type { Edition } from "./types";

/** Goes to another tab or edition of the rulebook. */
export function useGo() {
  const navigate = useNavigate();
  const { tab, edition } = useSearch({ from: "/rulebook" });
  return (to: { tab?: string; edition?: number }) =>
    void navigate({
      to: "/rulebook",
      search: { tab: to.tab ?? tab, edition: "edition" in to ? to.edition : edition },
      replace: true,
    });
}

/** A write that changes a draft, or makes one: afterwards that edition is shown. */
export function useDraftWrite<I, O = Edition>(
  name: string,
  about: string,
  send: (input: I, key: string) => Promise<Answer<O>>,
  edition: (answer: O) => Edition | undefined,
  done?: (answer: O) => void,
) {
  const askAgain = useAskAgain();
  const go = useGo();
  return useWrite(send, {
    name,
    about,
    done: (answer: O) => {
      done?.(answer);
      const of = edition(answer);
      if (of) go({ edition: of.id });
      askAgain();
    },
  });
}

/** What is shown while a draft is read anew after a change: what it said before, so that what is half written in it stays. */
export const heldFor =
  (edition: number) =>
  <T>(before: T | undefined, query?: { queryKey: readonly unknown[] }) =>
    query?.queryKey[1] === edition ? before : undefined;

export const itself = (e: Edition) => e;
