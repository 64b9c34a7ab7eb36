import { Dialog } from "radix-ui";
import { useState } from "react";
import { Key } from "../ui/parts";
import { placesFor } from "./places";

export interface Action {
  name: string;
  hint?: string;
  run: () => void;
}

const panel =
  "fixed top-12 max-h-[86vh] overflow-auto left-1/2 z-40 w-[min(520px,94vw)] -translate-x-1/2 rounded-card border border-line-strong bg-surface p-3 shadow-2xl";

/** Finds any action by its name. */
export function Palette({ open, onClose, actions }: { open: boolean; onClose: () => void; actions: Action[] }) {
  const [words, setWords] = useState("");
  const [at, setAt] = useState(0);
  const found = actions.filter((a) =>
    words
      .toLowerCase()
      .split(/\s+/)
      .every((w) => a.name.toLowerCase().includes(w)),
  );
  const run = (a?: Action) => {
    if (!a) return;
    onClose();
    setWords("");
    setAt(0);
    a.run();
  };
  return (
    <Dialog.Root open={open} onOpenChange={(o) => !o && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-shade/20" />
        <Dialog.Content className={panel} aria-describedby={undefined}>
          <Dialog.Title className="sr-only">Find an action</Dialog.Title>
          <input
            aria-label="Find an action"
            placeholder="What would you like to do?"
            value={words}
            onChange={(e) => {
              setWords(e.target.value);
              setAt(0);
            }}
            onKeyDown={(e) => {
              if (e.key === "ArrowDown") setAt(Math.min(at + 1, found.length - 1));
              else if (e.key === "ArrowUp") setAt(Math.max(at - 1, 0));
              else if (e.key === "Enter") run(found[at]);
              else return;
              e.preventDefault();
            }}
            className="h-9 w-full rounded-card border border-edge bg-field px-3"
          />
          <ul className="mt-2 max-h-80 overflow-auto">
            {found.map((a, k) => (
              <li key={a.name}>
                <button
                  type="button"
                  onClick={() => run(a)}
                  className={`flex w-full cursor-pointer justify-between rounded px-3 py-1.5 text-left ${k === at ? "bg-spruce-100" : ""}`}
                >
                  {a.name} {a.hint && <Key>{a.hint}</Key>}
                </button>
              </li>
            ))}
            {found.length === 0 && <li className="px-3 py-1.5 text-ink-2">No action matches these words.</li>}
          </ul>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

/** All keys, for the person who asks. */
export function Keys({ open, onClose, role }: { open: boolean; onClose: () => void; role: string }) {
  const rows: [string, string][] = [
    ["1 … 9, Enter", "Answer the oldest question, in the scan field"],
    ["Esc", "Close what is open, or clear the field"],
    ["Ctrl Enter", "At the desk: finish this patron"],
    ["/", "Go to the scan field"],
    ["w", "Why, for the selected row of a list"],
    ["u", "At the desk: undo the selected line"],
    ["g w", "Why, for the newest line"],
    ["↑ ↓", "Move through a list; Enter opens, Space selects"],
    ["[ ]", "Previous and next tab of a place or record"],
    ["Ctrl K", "Find any action"],
    ["?", "Show these shortcuts"],
    ...placesFor(role).map((p): [string, string] => [`g ${p.key}`, `Go to ${p.name}`]),
  ];
  return (
    <Dialog.Root open={open} onOpenChange={(o) => !o && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-shade/20" />
        <Dialog.Content className={panel} aria-describedby={undefined}>
          <Dialog.Title className="mb-2 text-lg font-semibold">Keyboard shortcuts</Dialog.Title>
          <dl className="grid grid-cols-[110px_1fr] gap-y-1.5">
            {rows.map(([key, what]) => (
              <div key={key} className="contents">
                <dt>
                  <Key>{key}</Key>
                </dt>
                <dd>{what}</dd>
              </div>
            ))}
          </dl>
          <p className="mt-3 text-sm text-ink-2">
            In the scan field press Enter after each of these. Elsewhere single keys act at once; you can turn them off
            in the menu at the top right.
          </p>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
