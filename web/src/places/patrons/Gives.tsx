import { useNavigate } from "@tanstack/react-router";
import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import * as check from "../../kit/checks";
import { ChoiceField, Form, Send, TextField } from "../../kit/forms";
import { sayMoney } from "../../kit/say";
import { useWrite } from "../../kit/write";
import { Opens, thenClose, type Part } from "./OnRecord";

type Receipt = Schema["PeopleCard"]["receipt"];

const names: Record<Schema["PeopleCard"]["gives"], string> = {
  ask: "They are asked",
  none: "Nothing",
  slip: "A slip",
  mail: "Mail",
  both: "A slip and mail",
};

const choosing = z.object({ receipt: z.enum(["", "none", "slip", "mail", "both"]) });

/** What they take home of what was lent to them. */
export function Gives({ card, onCard }: Part) {
  return (
    <Opens title="Takes home of what is lent" act="change" says={<p className="text-sm">{names[card.gives]}</p>}>
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
    { name: `gives ${card.id}`, about: `What ${card.name} takes home`, done: onCard },
  );
  return (
    <Form
      label="Takes home"
      schema={choosing}
      start={{ receipt: card.receipt }}
      write={choose}
      onSend={(v) => choose.run(v.receipt)}
      className="grid gap-2"
    >
      <ChoiceField
        name="receipt"
        label="Of what is lent to them"
        options={[
          ["", "as the network has settled"],
          ["none", "nothing"],
          ["slip", "a slip"],
          ...(card.email
            ? ([
                ["mail", "mail"],
                ["both", "a slip and mail"],
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
      done: (v) => {
        onStale();
        void navigate({ to: "/money", search: { tab: "invoices", invoice: v.id } });
      },
    },
  );
  if (!card.institution) return null;
  return (
    <Opens
      title="Invoices"
      act="make one"
      says={
        <p className="text-sm">
          {open.length === 0
            ? "Nothing is owed that stands on no invoice yet."
            : `${open.length === 1 ? "1 charge stands" : `${open.length} charges stand`} on no invoice yet.`}
        </p>
      }
    >
      {() => (
        <Form
          label="Make an invoice"
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
          <TextField name="note" label="For them, such as their order number" />
          <Send write={make} disabled={open.length === 0} className="justify-self-start">
            Make the invoice
          </Send>
        </Form>
      )}
    </Opens>
  );
}
