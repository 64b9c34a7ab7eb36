import { useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { Button, Field, inputLook, Trouble } from "../../kit/parts";
import { Why } from "../../kit/why";

type CardOf = Schema["PeopleCard"];
type Means = "cash" | "card" | "cheque" | "";

/** Takes a payment or waives, of one charge or the oldest first, in whole or part. */
export function Settle({ card, onChange }: { card: CardOf; onChange: () => void }) {
  const [charge, setCharge] = useState(0);
  const owed = charge ? (card.charges!.find((c) => c.id === charge)?.owed ?? "0.00") : card.owes;
  const [amount, setAmount] = useState<string>();
  const [means, setMeans] = useState<Means>("cash");
  const [reason, setReason] = useState("");
  const [error, setError] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const settle = () => {
    const key = newKey();
    setBusy(true);
    told(
      api.POST("/api/money", {
        params: { header: key },
        body: {
          patron: card.id,
          charge: charge || undefined,
          amount: amount ?? owed,
          means,
          reason: reason || undefined,
        },
      }),
    )
      .then(() => {
        setAmount(undefined);
        setCharge(0);
        setError(undefined);
        onChange();
      })
      .catch(setError)
      .finally(() => setBusy(false));
  };
  return (
    <div className="grid gap-2.5 border-t border-line p-3.5">
      <Field label="What">
        <select className={inputLook} value={charge} onChange={(e) => setCharge(Number(e.target.value))}>
          <option value={0}>All, oldest first (${card.owes})</option>
          {card.charges!.map((c) => (
            <option key={c.id} value={c.id}>
              {c.text} (${c.owed})
            </option>
          ))}
        </select>
      </Field>
      <div className="grid grid-cols-2 gap-2">
        <Field label="Sum">
          <input
            className={inputLook}
            inputMode="decimal"
            value={amount ?? owed}
            onChange={(e) => setAmount(e.target.value)}
          />
        </Field>
        <Field label="How">
          <select className={inputLook} value={means} onChange={(e) => setMeans(e.target.value as Means)}>
            <option value="cash">Cash</option>
            <option value="card">Card</option>
            <option value="cheque">Cheque</option>
            <option value="">Waive it</option>
          </select>
        </Field>
      </div>
      {means === "" && (
        <Field label="Reason">
          <input className={inputLook} value={reason} onChange={(e) => setReason(e.target.value)} />
        </Field>
      )}
      <Trouble error={error} />
      <div className="flex items-center gap-3">
        <Button onClick={settle} disabled={busy}>
          {means === "" ? `Waive $${amount ?? owed}` : `Take $${amount ?? owed}`}
        </Button>
        {charge > 0 && <Why trace={card.charges!.find((c) => c.id === charge)?.why}>Why this sum</Why>}
      </div>
    </div>
  );
}
