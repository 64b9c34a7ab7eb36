import type { ReactNode } from "react";
import { Button } from "./parts";

export interface Answer {
  label: string;
  give: () => void;
}

/** A question above the tape, answered with 1, 2, 3. Nothing waits for it but the item it is about. */
export function Ask({ children, answers, keys }: { children: ReactNode; answers: Answer[]; keys?: boolean }) {
  return (
    <div
      className="flex flex-wrap items-center gap-x-4 gap-y-2 rounded-card border border-l-4 border-line border-l-amber-500 bg-surface px-4 py-2.5"
      role="group"
      aria-label="Ask"
    >
      <p className="min-w-64 flex-1">{children}</p>
      {answers.map((a, k) => (
        <Button key={a.label} plain={k > 0} hint={keys ? String(k + 1) : undefined} onClick={a.give}>
          {a.label}
        </Button>
      ))}
    </div>
  );
}
