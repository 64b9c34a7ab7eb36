import { useEffect, useId, useRef, useState } from "react";
import { Reasons } from "../../circulation/reasons";
import { Button, inputLook, Quiet, Trouble } from "../../ui/parts";
import { useCancel, type Hold } from "./cancel";

/** Cancels a hold, with a reason that is asked for at its row and goes with it. */
export function CancelHold({ hold: h }: { hold: Pick<Hold, "id" | "title"> }) {
  const [open, setOpen] = useState(false);
  const cancel = useCancel(h);
  if (!open) return <Quiet onClick={() => setOpen(true)}>Cancel</Quiet>;
  return (
    <WhyCancelled
      label={`Cancel the hold on ${h.title}`}
      act="Cancel hold"
      busy={cancel.busy}
      problem={cancel.problem}
      onCancel={cancel.run}
      onClose={() => setOpen(false)}
    />
  );
}

/** Asks why, before one or several holds are cancelled. */
export function WhyCancelled({
  label,
  act,
  busy,
  problem,
  onCancel,
  onClose,
}: {
  label: string;
  act: string;
  busy: boolean;
  problem?: unknown;
  onCancel: (reason: string) => void;
  onClose: () => void;
}) {
  const [reason, setReason] = useState("");
  const list = useId();
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => field.current?.focus(), []);
  return (
    <form
      aria-label={label}
      className="flex flex-wrap items-center justify-end gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        onCancel(reason.trim());
      }}
    >
      <input
        ref={field}
        aria-label="Reason"
        placeholder="Reason"
        list={list}
        autoComplete="off"
        maxLength={200}
        className={inputLook}
        value={reason}
        onChange={(e) => setReason(e.target.value)}
        onKeyDown={(e) => {
          if (e.key !== "Escape") return;
          e.preventDefault();
          onClose();
        }}
      />
      <Reasons list="cancel" id={list} />
      <Button plain type="submit" busy={busy} disabled={!reason.trim()}>
        {act}
      </Button>
      <Quiet onClick={onClose}>Keep hold</Quiet>
      <Trouble error={problem} />
    </form>
  );
}
