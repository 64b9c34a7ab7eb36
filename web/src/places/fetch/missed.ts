import { useAskAgain } from "../../api/asked";
import { createStore } from "zustand/vanilla";
import { api, keyed, type Schema } from "../../api/client";
import { useWrite } from "../../shell/write";

export type Line = Schema["HoldsFetch"];

/** What was not found here of late, with what came of it; it can be undone. */
export const missed = createStore<{ lines: { line: Line; came: Schema["HoldsNotHere"] }[] }>(() => ({ lines: [] }));

/** Forgets what was not found, when somebody else comes. */
export const clear = () => missed.setState({ lines: [] });

function useAgain() {
  const askAgain = useAskAgain();
  return () => askAgain("fetch");
}

export function useMissed(line: Line) {
  const again = useAgain();
  return useWrite(
    (id: number, key) => api.POST("/api/holds/{id}/missed", { params: { path: { id }, header: keyed(key) } }),
    {
      name: `missed ${line.hold_id}`,
      about: `${line.title} not found`,
      done: (came) => {
        missed.setState((s) => ({ lines: [{ line, came }, ...s.lines].slice(0, 20) }));
        again();
      },
    },
  );
}

export function useFoundAfterAll(line: Line) {
  const again = useAgain();
  return useWrite(
    (_: undefined, key) =>
      api.POST("/api/holds/{id}/found", {
        params: { path: { id: line.hold_id }, header: keyed(key) },
        body: { item: line.item_id },
      }),
    {
      name: `found ${line.hold_id} ${line.item_id}`,
      about: `${line.title} found after all`,
      done: () => {
        missed.setState((s) => ({ lines: s.lines.filter((l) => l.line !== line) }));
        again();
      },
    },
  );
}

export function useGoing(line: Line) {
  const again = useAgain();
  return useWrite(
    (going: boolean, key) =>
      api.POST("/api/holds/{id}/going", {
        params: { path: { id: line.hold_id }, header: keyed(key) },
        body: { going },
      }),
    { name: `going ${line.hold_id}`, about: () => `Getting ${line.title}`, done: again },
  );
}
