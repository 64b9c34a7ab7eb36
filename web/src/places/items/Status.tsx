import { useState } from "react";
import { api, keyed, type Schema } from "../../api/client";
import { Button, Card, Field, inputLook, Trouble } from "../../ui/parts";
import { useWrite } from "../../shell/write";
import { useAgain, type Item } from "./stock";

type NewStatus = Schema["StockNewStatus"];

/** What may become of an item, each with what it is called. */
export const statuses: readonly { says: string; to: Omit<NewStatus, "reason"> }[] = [
  { says: "In use", to: { standing: "in_use" } },
  { says: "Missing", to: { standing: "missing" } },
  { says: "Damaged", to: { standing: "aside", aside_for: "damaged" } },
  { says: "In repair", to: { standing: "aside", aside_for: "repair" } },
  { says: "To replace", to: { standing: "aside", aside_for: "rebuy" } },
  { says: "Withdrawn", to: { standing: "withdrawn" } },
];

const isSo = (i: Item, to: Omit<NewStatus, "reason">) =>
  i.standing === to.standing && (to.standing !== "aside" || i.aside_for === (to.aside_for ?? ""));

/** How an item stands, changed by hand; where it cannot, it says what has to be done first. */
export function Status({ item: i }: { item: Item }) {
  const again = useAgain();
  const [reason, setReason] = useState("");
  const stand = useWrite(
    (body: NewStatus, key) =>
      api.PUT("/api/items/{id}/standing", { params: { path: { id: i.id }, header: keyed(key) }, body }),
    {
      name: `standing of ${i.id}`,
      about: `Status of ${i.title}`,
      done: () => {
        setReason("");
        again();
      },
    },
  );
  return (
    <Card label="Status" className="flex flex-wrap items-end gap-2 p-3.5">
      <Field label="Reason (needed to withdraw)">
        <input
          className={`${inputLook} w-64`}
          maxLength={300}
          value={reason}
          onChange={(e) => setReason(e.target.value)}
        />
      </Field>
      {statuses
        .filter((s) => !isSo(i, s.to))
        .map((s) => (
          <Button key={s.says} plain busy={stand.busy} onClick={() => stand.run({ ...s.to, reason })}>
            {s.says}
          </Button>
        ))}
      <Trouble error={stand.problem} />
    </Card>
  );
}
