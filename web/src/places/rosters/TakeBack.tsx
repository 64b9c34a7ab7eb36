import { useState } from "react";
import { api, keyed } from "../../api/client";
import { Quiet, Trouble } from "../../kit/parts";
import { useWrite } from "../../kit/write";
import { useAgain } from "./roster";

/** Takes back what was done to many at once, and says who stays as they are. */
export function TakeBack({ deed, onDone }: { deed: number; onDone?: () => void }) {
  const again = useAgain();
  const [left, setLeft] = useState<number>();
  const back = useWrite(
    (_: undefined, key) => api.POST("/api/deeds/{id}/undo", { params: { path: { id: deed }, header: keyed(key) } }),
    {
      name: `take back ${deed}`,
      about: "Taking back what was done to many",
      done: (undone) => {
        again();
        if (undone.left === 0) onDone?.();
        else setLeft(undone.left);
      },
    },
  );
  if (left !== undefined)
    return (
      <span role="status">
        Taken back, but for {left} who {left === 1 ? "has" : "have"} changed since and {left === 1 ? "stays" : "stay"}{" "}
        so.
      </span>
    );
  return (
    <>
      <Quiet disabled={back.busy} onClick={() => back.run(undefined)}>
        Take it back
      </Quiet>
      <Trouble error={back.problem} />
    </>
  );
}
