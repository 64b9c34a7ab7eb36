import { Dialog } from "radix-ui";
import { createContext, useCallback, useContext, useMemo, useRef, useState, type ReactNode } from "react";
import type { Schema } from "../api/client";

type Trace = Schema["WhyTrace"];
type Step = Schema["WhyStep"];

const WhyContext = createContext<{ show: (trace: Trace) => void; open: boolean; close: () => void }>({
  show: () => {},
  open: false,
  close: () => {},
});

export const useWhy = () => useContext(WhyContext);

/**
 * The one drawer for every why: terms, due dates, fines, routing, signs. It takes the focus and gives it back, never
 * covers the scan line, and stops nothing: a scan made while it is open goes where it would go without it.
 */
export function WhyProvider({ children }: { children: ReactNode }) {
  const [trace, setTrace] = useState<Trace>();
  const from = useRef<HTMLElement | null>(null);
  const show = useCallback((t: Trace) => {
    from.current ??= document.activeElement instanceof HTMLElement ? document.activeElement : null;
    setTrace(t);
  }, []);
  const close = useCallback(() => setTrace(undefined), []);
  const value = useMemo(() => ({ show, open: !!trace, close }), [trace, show, close]);
  return (
    <WhyContext.Provider value={value}>
      {children}
      <Dialog.Root open={!!trace} onOpenChange={(open) => !open && close()} modal={false}>
        <Dialog.Portal>
          <Dialog.Content
            aria-describedby={undefined}
            onCloseAutoFocus={(e) => {
              e.preventDefault();
              if (from.current?.isConnected) from.current.focus();
              from.current = null;
            }}
            onInteractOutside={(e) => e.preventDefault()}
            className="fixed top-[53px] right-0 bottom-0 z-20 w-[380px] max-w-full overflow-y-auto border-l border-line-strong bg-surface shadow-xl outline-none print:hidden"
          >
            <div className="flex items-start gap-3 border-b border-line px-4 py-3">
              <div className="min-w-0 flex-1">
                <Dialog.Title className="text-sm text-ink-2">{trace?.title}</Dialog.Title>
                <p className="text-xl font-bold">{trace?.result}</p>
              </div>
              <Dialog.Close className="link cursor-pointer">Close</Dialog.Close>
            </div>
            <Steps steps={trace?.steps ?? []} />
          </Dialog.Content>
        </Dialog.Portal>
      </Dialog.Root>
    </WhyContext.Provider>
  );
}

const marks: Record<Step["kind"], [string, string, string]> = {
  fact: ["·", "Fact", "bg-sunk text-ink-2"],
  decided: ["✓", "Decided", "bg-spruce-700 text-on"],
  outweighed: ["–", "Outweighed", "bg-sunk text-ink-2"],
  sum: ["=", "Calculation", "bg-tide-100 text-tide-700"],
  limit: ["!", "Limit", "bg-amber-100 text-amber-700"],
  note: ["i", "Note", "bg-sunk text-ink-2"],
};

function Steps({ steps, inner }: { steps: Step[] | null; inner?: boolean }) {
  return (
    <ol className={inner ? "mt-1 border-l border-line pl-2" : "divide-y divide-line"}>
      {(steps ?? []).map((s, k) => {
        const [sign, name, look] = marks[s.kind];
        return (
          <li key={k} className={inner ? "py-1" : "px-4 py-2.5"}>
            <div className="flex gap-2.5">
              <span
                title={name}
                className={`mt-0.5 grid size-5 flex-none place-items-center rounded-full text-xs font-bold ${look}`}
              >
                {sign}
              </span>
              <div className="min-w-0 flex-1">
                <p
                  className={
                    s.kind === "outweighed"
                      ? "text-ink-2 line-through decoration-line-strong"
                      : s.kind === "decided"
                        ? "font-semibold"
                        : ""
                  }
                >
                  {s.text}
                </p>
                {s.detail && <p className="text-sm text-ink-2">{s.detail}</p>}
                {s.steps && s.steps.length > 0 && <Steps steps={s.steps} inner />}
              </div>
            </div>
          </li>
        );
      })}
    </ol>
  );
}

/** A link that opens the why of something; absent where there is none. */
export function Why({ trace, children }: { trace?: Trace | null; children: ReactNode }) {
  const { show } = useWhy();
  if (!trace) return null;
  return (
    <button type="button" data-why onClick={() => show(trace)} className="link cursor-pointer">
      {children}
    </button>
  );
}
