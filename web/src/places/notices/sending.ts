import { useAskAgain } from "../../api/asked";
import { api, keyed, type Schema } from "../../api/client";
import { useWrite } from "../../shell/write";

/** What a plan tells on a day. */
export type Run = Schema["NoticesRun"];

/** A run whose numbers are not as they were before. */
export const isOdd = (r: Run) => r.state === "trial" && !r.usual && r.last !== undefined;

/** Sends trial runs. */
export function useSend(name: string, about: string) {
  const askAgain = useAskAgain();
  return useWrite(
    (runs: number[], key) => api.POST("/api/mailings/send", { params: { header: keyed(key) }, body: { runs } }),
    { name: `send ${name}`, about, done: () => askAgain("mailings", "messages") },
  );
}
