import { useEffect, useId, useRef, useState, type ReactNode } from "react";
import { useStore } from "zustand";
import { announce } from "../ui/announce";
import { asks, closeAsk, openAsk } from "./asks";
import { Button, inputLook } from "../ui/parts";

export interface Answer {
  label: string;
  /** Going this way needs a reason. */
  reason?: boolean;
  give: (reason: string) => void;
}

/**
 * A question above the tape, answered with a digit and Enter. Nothing waits for it but what it is about; the oldest one
 * keeps the keys, and each has its own reason.
 */
export function Ask({
  id,
  since,
  says,
  answers,
  busy,
  problem,
  children,
}: {
  id: string;
  since: number;
  /** The question as it is read out. */
  says: string;
  answers: Answer[];
  busy?: boolean;
  problem?: string;
  children: ReactNode;
}) {
  const [reason, setReason] = useState("");
  const [missing, setMissing] = useState(false);
  const field = useRef<HTMLInputElement>(null);
  const hint = useId();
  const keys = useStore(asks, ({ open }) => open[0]?.id === id);
  const give = (a: Answer) => {
    if (busy) return;
    if (a.reason && !reason.trim()) {
      setMissing(true);
      field.current?.focus();
      return;
    }
    setMissing(false);
    a.give(reason.trim());
  };
  const giving = useRef(give);
  useEffect(() => {
    giving.current = give;
  });
  const count = answers.length;
  const known = useRef(answers);
  useEffect(() => {
    known.current = answers;
  });
  useEffect(() => {
    openAsk({
      id,
      since,
      answer: (digit) => {
        const a = known.current[digit - 1];
        if (a) giving.current(a);
        return a !== undefined;
      },
    });
    return () => closeAsk(id);
  }, [id, since]);
  useEffect(() => announce(`${says} ${count} answers.`), [says, count]);
  return (
    <div
      className="slant-soft flex flex-wrap items-center gap-x-4 gap-y-2 rounded-card border border-l-4 border-line border-l-amber-500 bg-surface px-4 py-2.5"
      role="group"
      aria-label="Question"
      aria-describedby={keys ? hint : undefined}
    >
      <div className="min-w-64 flex-1">{children}</div>
      {answers.map((a, k) => (
        <Button key={a.label} plain={k > 0} busy={busy} hint={keys ? String(k + 1) : undefined} onClick={() => give(a)}>
          {a.label}
        </Button>
      ))}
      {answers.some((a) => a.reason) && (
        <input
          ref={field}
          aria-label="Reason"
          placeholder={missing ? "Enter a reason first" : "Reason"}
          aria-invalid={missing}
          value={reason}
          onChange={(e) => setReason(e.target.value)}
          onKeyDown={(e) => {
            const needs = answers.find((a) => a.reason);
            if (e.key === "Enter" && needs) give(needs);
          }}
          className={`${inputLook} min-w-48 flex-1`}
        />
      )}
      {problem && (
        <p role="alert" className="w-full text-buoy-700">
          {problem}
        </p>
      )}
      {keys && (
        <p id={hint} className="w-full text-xs text-ink-2">
          Type the number and press Enter in the scan field. You can keep scanning meanwhile.
        </p>
      )}
    </div>
  );
}
