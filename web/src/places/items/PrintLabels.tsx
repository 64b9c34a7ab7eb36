import { useState } from "react";
import { api, keyed } from "../../api/client";
import { Button, Field, inputLook, Trouble } from "../../ui/parts";
import { useWrite } from "../../shell/write";
import { useAgain } from "./stock";

/** Sheets of labels that there are. */
const sheets = [
  ["a4-3x8", "A4, 3 by 8", 24],
  ["a4-3x7", "A4, 3 by 7", 21],
  ["a4-4x10", "A4, 4 by 10", 40],
  ["letter-3x10", "Letter, 3 by 10", 30],
] as const;

const kept = "nevrin sheet of labels";

/** Labels of items, as a PDF for a sheet that may have been begun. */
export function PrintLabels({ items, onLeave }: { items: { id: number }[]; onLeave?: () => void }) {
  const again = useAgain();
  const [sheet, setSheet] = useState(() => localStorage.getItem(kept) ?? sheets[0][0]);
  const [free, setFree] = useState("0");
  const places = sheets.find(([id]) => id === sheet)?.[2] ?? 24;
  const wrong = !/^\d+$/.test(free) || Number(free) >= places;
  const printed = useWrite(
    (ids: number[], key) => api.POST("/api/labels-printed", { params: { header: keyed(key) }, body: { items: ids } }),
    {
      name: "labels printed",
      about: "Labels",
      done: () => {
        again();
        onLeave?.();
      },
    },
  );
  const ids = items.map((i) => i.id);
  const address = `/api/labels?sheet=${sheet}&free=${free}&items=${ids.join(",")}`;
  return (
    <div className="flex flex-wrap items-end gap-2.5 p-2">
      <Field label="Sheet">
        <select
          className={inputLook}
          value={sheet}
          onChange={(e) => {
            localStorage.setItem(kept, e.target.value);
            setSheet(e.target.value);
          }}
        >
          {sheets.map(([id, name]) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </select>
      </Field>
      <Field label="Positions already used">
        <input
          className={`${inputLook} w-20`}
          inputMode="numeric"
          value={free}
          aria-invalid={wrong || undefined}
          onChange={(e) => setFree(e.target.value)}
        />
      </Field>
      {wrong ? (
        <p role="alert" className="text-buoy-700">
          Enter a number from 0 to {places - 1}.
        </p>
      ) : (
        <a href={address} target="_blank" rel="noreferrer" className="link font-semibold">
          {ids.length === 1 ? "Open label" : `Open ${ids.length} labels`} as PDF
        </a>
      )}
      <Button plain busy={printed.busy} onClick={() => printed.run(ids)}>
        Mark as printed
      </Button>
      {onLeave && (
        <Button plain onClick={onLeave}>
          Cancel
        </Button>
      )}
      <Trouble error={printed.problem} />
    </div>
  );
}
