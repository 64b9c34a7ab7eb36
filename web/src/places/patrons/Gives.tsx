import { useNavigate } from "@tanstack/react-router";
import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { ChoiceField, Form, Send, TextField } from "../../ui/forms";
import { sayCount, sayMoney } from "../../ui/say";
import { useWrite } from "../../shell/write";
import { Opens, thenClose, type Part } from "./OnRecord";

type Receipt = Schema["PeopleCard"]["receipt"];

const names: Record<Schema["PeopleCard"]["gives"], string> = {
  ask: "Ask",
  none: "Nothing",
  slip: "A slip",
  mail: "Email",
  both: "Slip and email",
};

const choosing = z.object({ receipt: z.enum(["", "none", "slip", "mail", "both"]) });

/** What they take home of what was lent to them. */
export function Gives({ card, onCard }: Part) {
  return (
    <Opens title="Loan receipt" act="Edit" says={<p className="text-sm">{names[card.gives]}</p>}>
      {(close) => <Choose key={card.receipt} card={card} onCard={thenClose(onCard, close)} />}
    </Opens>
  );
}

function Choose({ card, onCard }: Part) {
  const choose = useWrite(
    (receipt: Receipt, key) =>
      api.PUT("/api/patrons/{id}/receipt", {
        params: { path: { id: card.id }, header: keyed(key) },
        body: { receipt },
      }),
    { name: `gives ${card.id}`, about: `Loan receipt of ${card.name}`, done: onCard },
  );
  return (
    <Form
      label="Loan receipt"
      schema={choosing}
      start={{ receipt: card.receipt }}
      write={choose}
      onSend={(v) => choose.run(v.receipt)}
      className="grid gap-2"
    >
      <ChoiceField
        name="receipt"
        label="Loan receipt"
        options={[
          ["", "network default"],
          ["none", "nothing"],
          ["slip", "a slip"],
          ...(card.email
            ? ([
                ["mail", "email"],
                ["both", "slip and email"],
              ] as const)
            : []),
        ]}
      />
      <Send write={choose} className="justify-self-start">
        Save
      </Send>
    </Form>
  );
}

const billing = z.object({ note: check.text });

/** An invoice of what an institution owes and stands on no other. */
export function Bills({ card, onStale }: Part & { onStale: () => void }) {
  const navigate = useNavigate();
  const open = card.charges.filter((c) => c.invoice === "" && !c.disputed);
  const make = useWrite(
    (note: string, key) =>
      api.POST("/api/patrons/{id}/invoices", {
        params: { path: { id: card.id }, header: keyed(key) },
        body: { note: note || undefined },
      }),
    {
      name: `invoice ${card.id}`,
      about: `An invoice to ${card.name}`,
      done: onStale,
      go: (v) => void navigate({ to: "/money", search: { tab: "invoices", invoice: v.id } }),
    },
  );
  if (!card.institution) return null;
  return (
    <Opens
      title="Invoices"
      act="New invoice"
      says={
        <p className="text-sm">
          {open.length === 0
            ? "No charges without an invoice."
            : `${sayCount(open.length, "charge")} without an invoice.`}
        </p>
      }
    >
      {() => (
        <Form
          label="New invoice"
          schema={billing}
          start={{ note: "" }}
          write={make}
          onSend={(v) => make.run(v.note)}
          className="grid gap-2"
        >
          <ul className="text-sm">
            {open.map((c) => (
              <li key={c.id} className="flex justify-between gap-3">
                {c.text} <span className="tabular-nums">{sayMoney(c.owed)}</span>
              </li>
            ))}
          </ul>
          <TextField name="note" label="Their reference, such as an order number" />
          <Send write={make} disabled={open.length === 0} className="justify-self-start">
            Create invoice
          </Send>
        </Form>
      )}
    </Opens>
  );
}
