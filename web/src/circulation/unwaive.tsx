import { useAskAgain } from "../api/asked";
import { useEffect, useRef, useState } from "react";
import { api, keyed } from "../api/client";
import { Button, inputLook, Quiet, Trouble } from "../ui/parts";
import { sayMoney } from "../ui/say";
import { useWrite } from "../shell/write";

/** Asks why a waiver is undone, and undoes it: what it waived is owed again. */
export function UndoWaivers({
  waivers,
  sum,
  onDone,
  onClose,
}: {
  waivers: number[];
  sum: string;
  onDone: () => void;
  onClose: () => void;
}) {
  const askAgain = useAskAgain();
  const [reason, setReason] = useState("");
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => field.current?.focus(), []);
  const undo = useWrite(
    (why: string, key) =>
      api.POST("/api/money/waivers/undo", { params: { header: keyed(key) }, body: { waivers, reason: why } }),
    {
      name: `unwaive ${waivers.join(" ")}`,
      about: `Undoing the waiver of ${sayMoney(sum)}`,
      done: () => {
        askAgain("account");
        onDone();
      },
    },
  );
  return (
    <form
      aria-label="Undo waiver"
      className="flex flex-wrap items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        undo.run(reason.trim());
      }}
    >
      <input
        ref={field}
        aria-label="Reason"
        placeholder="Reason for undoing the waiver"
        maxLength={300}
        className={inputLook}
        value={reason}
        onChange={(e) => setReason(e.target.value)}
        onKeyDown={(e) => {
          if (e.key !== "Escape") return;
          e.preventDefault();
          onClose();
        }}
      />
      <Button plain type="submit" busy={undo.busy} disabled={!reason.trim()}>
        Charge {sayMoney(sum)} again
      </Button>
      <Quiet onClick={onClose}>Cancel</Quiet>
      <Trouble error={undo.problem} />
    </form>
  );
}
