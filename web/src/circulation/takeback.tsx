import { useState } from "react";
import type { Answer } from "../api/client";
import { Quiet, Trouble } from "../ui/parts";
import { useWrite } from "../shell/write";

/**
 * Takes back what was done to many at once, and says who or what stays as they are. That stands where it was said, though the list
 * around it knows by then that it was returned.
 */
export function TakeBack({
  name,
  about,
  undone,
  send,
  stay,
  onDone,
}: {
  name: string;
  about: string;
  /** It has been returned, as the list knows. */
  undone?: boolean;
  send: (key: string) => Promise<Answer<{ left: number }>>;
  /** What is said of so many that stay as they are. */
  stay: (left: number) => string;
  onDone: (left: number) => void;
}) {
  const [left, setLeft] = useState<number>();
  const back = useWrite((_: void, key) => send(key), {
    name,
    about,
    done: (did) => {
      setLeft(did.left);
      onDone(did.left);
    },
  });
  if (left) return <span role="status">Undone, except {stay(left)}.</span>;
  if (undone || left === 0)
    return (
      <span role="status" className="text-ink-2">
        undone
      </span>
    );
  return (
    <>
      <Quiet disabled={back.busy} onClick={() => back.run()}>
        Undo
      </Quiet>
      <Trouble error={back.problem} />
    </>
  );
}
