import { z } from "zod";
import { api, keyed, type Schema } from "../api/client";
import * as check from "./checks";
import { ChoiceField, Follows, Form, MoneyField, ReasonField, Send, saysOf } from "./forms";
import { sayMoney } from "./say";
import { Why } from "./why";
import { useWrite } from "./write";

type CardOf = Schema["PeopleCard"];

const schema = z
  .object({
    charge: z.string(),
    amount: check.sum,
    means: z.enum(["cash", "card", "cheque", "waive"]),
    reason: check.text,
  })
  .refine((v) => v.means !== "waive" || v.reason !== "", { path: ["reason"], message: "Say why it is waived." });

type Settling = z.infer<typeof schema>;

const useSaid = saysOf<Settling>();

const means = [
  ["cash", "Cash"],
  ["card", "Card"],
  ["cheque", "Cheque"],
  ["waive", "Waive it"],
] as const;

/** Takes a payment or waives, of one charge or the oldest first, in whole or part. Said twice, it still counts once. */
export function Settle({ card, onSettled }: { card: CardOf; onSettled: () => void }) {
  const settle = useWrite(
    (v: Settling, key) =>
      api.POST("/api/money", {
        params: { header: keyed(key) },
        body: {
          patron: card.id,
          charge: Number(v.charge) || undefined,
          amount: v.amount,
          means: v.means === "waive" ? "" : v.means,
          reason: v.reason || undefined,
        },
      }),
    {
      name: `settle ${card.id}`,
      about: (v) => `${v.means === "waive" ? "Waiving" : "Payment of"} ${sayMoney(v.amount)}, ${card.name}`,
      done: onSettled,
    },
  );
  return (
    <Form
      key={card.owes}
      label="Pay or waive"
      schema={schema}
      start={{ charge: "", amount: card.owes, means: "cash", reason: "" }}
      write={settle}
      onSend={settle.run}
      className="grid gap-2.5 border-t border-line p-3.5"
    >
      <ChoiceField
        name="charge"
        label="What"
        options={[
          ["", `All, oldest first (${sayMoney(card.owes)})`],
          ...card.charges.map((c) => [String(c.id), `${c.text} (${sayMoney(c.owed)})`] as const),
        ]}
      />
      <div className="grid grid-cols-2 gap-2">
        <MoneyField name="amount" label="Sum" />
        <ChoiceField name="means" label="How" options={means} />
      </div>
      <Rest card={card} write={settle} />
    </Form>
  );
}

/** What depends on what is chosen: the sum, the reason, the word on the button. */
function Rest({ card, write }: { card: CardOf; write: { busy: boolean } }) {
  const id = useSaid("charge");
  const waives = useSaid("means") === "waive";
  const amount = Number(useSaid("amount"));
  const charge = card.charges.find((c) => String(c.id) === id);
  return (
    <>
      <Follows name="amount" value={charge?.owed ?? card.owes} />
      {waives && <ReasonField list="waive" name="reason" label="Reason" />}
      <div className="flex items-center gap-3">
        <Send write={write}>
          {waives ? "Waive" : "Take"} {amount > 0 && sayMoney(amount)}
        </Send>
        {charge && <Why trace={charge.why}>Why this sum</Why>}
      </div>
    </>
  );
}
