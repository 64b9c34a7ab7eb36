import { z } from "zod";
import { api, keyed, type Schema } from "../../api/client";
import { ChoiceField, Form, Send, type Option } from "../../ui/forms";
import { useWrite } from "../../shell/write";
import { Opens, thenClose, type Part } from "./OnRecord";

type Ways = Schema["PeopleWays"];

const names: Record<string, string> = {
  mail: "by email",
  text: "by text message",
  phone: "by phone",
  letter: "by letter",
  none: "none",
};

const schema = z.object({
  hold_ready: z.enum(["", "mail", "text", "phone", "letter", "none"]),
  overdue: z.enum(["", "mail", "text", "phone", "letter"]),
});

/** By what way they are told of what. */
export function Told({ card, onCard }: Part) {
  const says = (way: string) => names[way] ?? (card.email ? "by email" : "not reached: no email address");
  return (
    <Opens
      title="Notify by"
      act="Edit"
      says={
        <dl className="grid grid-cols-[1fr_auto] gap-x-3 text-sm">
          <dt className="text-ink-2">Ready holds</dt>
          <dd>{says(card.ways.hold_ready)}</dd>
          <dt className="text-ink-2">Overdue items</dt>
          <dd>{says(card.ways.overdue)}</dd>
          {card.email_returned && (
            <dd className="col-span-2 text-amber-700">Email to {card.email} came back. Ask for the correct address.</dd>
          )}
        </dl>
      }
    >
      {(close) => <Choose key={JSON.stringify(card.ways)} card={card} onCard={thenClose(onCard, close)} />}
    </Opens>
  );
}

/** The choice of the ways. One without its address on the record is not offered. */
function Choose({ card, onCard }: Part) {
  const choose = useWrite(
    (body: Ways, key) =>
      api.POST("/api/patrons/{id}/ways", { params: { path: { id: card.id }, header: keyed(key) }, body }),
    { name: `ways ${card.id}`, about: `Notices to ${card.name}`, done: onCard },
  );
  const has: Record<string, string> = {
    mail: card.email,
    text: card.text,
    phone: card.phone,
    letter: card.address,
    none: "-",
  };
  const offered = (ways: readonly string[]): Option[] => [
    ["", card.email ? "by email (default)" : "no way yet"],
    ...ways.filter((w) => has[w]).map((w) => [w, names[w] ?? w] as const),
  ];
  return (
    <Form
      label="Notify by"
      schema={schema}
      start={card.ways}
      write={choose}
      onSend={(v) => choose.run(v)}
      className="grid gap-2"
    >
      <ChoiceField
        name="hold_ready"
        label="Ready holds"
        options={offered(["mail", "text", "phone", "letter", "none"])}
      />
      <ChoiceField name="overdue" label="Overdue items" options={offered(["mail", "text", "phone", "letter"])} />
      <p className="text-sm text-ink-2">
        Only ways with an address on the record are offered. Calls and letters wait under Notices.
      </p>
      <Send write={choose} className="justify-self-start">
        Save
      </Send>
    </Form>
  );
}
