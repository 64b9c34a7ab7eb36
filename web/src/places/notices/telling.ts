import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { useAskAgain } from "../../api/asked";
import { api, told, type Answer, type Schema } from "../../api/client";
import { useWrite } from "../../shell/write";

export type Plan = Schema["PlanPlan"];
export type Wording = Schema["PlanWording"];
export type Telling = Schema["UpkeepTelling"];
/** A plan or wording with the change by which it stands; without a key it is new. */
export interface Shown<T> {
  key: string;
  seen: number;
  is: T;
}

/** What patrons are told of, and in which words. */
export const useTelling = () =>
  useQuery({ queryKey: ["notice plans"], queryFn: () => told(api.GET("/api/notice-plans")) });

/** Writes a plan or a wording. What others keep meanwhile is not lost: who has not seen it is told. */
export function useKeeping<V>(
  name: string,
  about: string,
  send: (v: V, key: string) => Promise<Answer<Schema["UpkeepKept"]>>,
  done: () => void,
) {
  const askAgain = useAskAgain();
  const write = useWrite(send, {
    name: `keep ${name}`,
    about,
    done: () => {
      askAgain("notice plans", "notice week", "mailings", "messages", "changes");
      done();
    },
  });
  useEffect(() => {
    if (write.problem) askAgain("notice plans");
  }, [write.problem, askAgain]);
  return write;
}
