import { useAskAgain } from "../../../api/asked";
import { api, keyed, type Answer } from "../../../api/client";
import { useWrite } from "../../../shell/write";
import type { Intake } from "./sending";

const acts = {
  take: (id: number, key: string) =>
    api.POST("/api/intakes/{id}/take", { params: { path: { id }, header: keyed(key) } }),
  undo: (id: number, key: string) =>
    api.POST("/api/intakes/{id}/undo", { params: { path: { id }, header: keyed(key) } }),
  stop: (id: number, key: string) =>
    api.POST("/api/intakes/{id}/stop", { params: { path: { id }, header: keyed(key) } }),
  drop: (id: number, key: string) =>
    api.POST("/api/intakes/{id}/drop", { params: { path: { id }, header: keyed(key) } }),
} satisfies Record<string, (id: number, key: string) => Promise<Answer<Intake>>>;

type Act = keyof typeof acts;

/** Does something with a file. */
export function useAct(id: number, act: Act, about: string) {
  const askAgain = useAskAgain();
  return useWrite((_: undefined, key) => acts[act](id, key), {
    name: `${act} intake ${id}`,
    about,
    done: () => askAgain("intakes"),
  });
}
