import { Quiet, Trouble } from "../../kit/parts";
import { useCancel, type Hold } from "./cancel";

/** Cancels a hold, with the reason that is written above its list. */
export function CancelHold({ hold: h }: { hold: Pick<Hold, "id" | "title"> }) {
  const cancel = useCancel(h);
  return (
    <>
      <Quiet disabled={cancel.busy} onClick={() => cancel.run(h.id)}>
        Cancel
      </Quiet>
      <Trouble error={cancel.problem} />
    </>
  );
}
