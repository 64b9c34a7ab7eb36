import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import { ChoiceField, Form, Send } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Button, Card, Quiet, Trouble } from "../../ui/parts";
import { supervises } from "../../shell/places";
import { onPaper } from "../../circulation/print";
import { useWrite } from "../../shell/write";
import { HistorySheet } from "./HistorySheet";

type CardOf = Schema["PeopleCard"];

const lengths = [
  ["usual", "Library default"],
  ["0", "Never"],
  ["1", "One month"],
  ["6", "Six months"],
  ["12", "A year"],
  ["60", "Five years"],
  ["1200", "No limit"],
] as const;

const schema = z.object({ months: z.string(), seen: z.string(), ask: z.string() });

/** What is kept of a patron, and what they choose about it. */
export function Kept({
  card,
  onCard,
  onForgotten,
}: {
  card: CardOf;
  onCard: (c: CardOf) => void;
  onForgotten: (says: string) => void;
}) {
  const me = useMe();
  const [forgetting, setForgetting] = useState(false);
  const choose = useWrite(
    (body: Schema["KeepingChoice"], key) =>
      api.PUT("/api/patrons/{id}/history", { params: { path: { id: card.id }, header: keyed(key) }, body }),
    { name: `history of ${card.id}`, about: `History choice of ${card.name}`, done: onCard },
  );
  const months = card.history_months === undefined ? "usual" : String(card.history_months);
  const known = lengths.some(([code]) => code === months);
  return (
    <Card label="Privacy" className="grid gap-2.5 p-3.5">
      <h2 className="font-semibold">Privacy</h2>
      <Form
        key={`${months} ${card.history_seen} ${card.ask_before}`}
        schema={schema}
        start={{
          months,
          seen: card.history_seen ? "yes" : "no",
          ask: card.ask_before === undefined ? "" : card.ask_before ? "yes" : "no",
        }}
        write={choose}
        onSend={(v) =>
          choose.run({
            months: v.months === "usual" ? null : Number(v.months),
            seen: v.seen === "yes",
            ask: v.ask === "" ? null : v.ask === "yes",
          })
        }
        className="grid gap-2"
      >
        <ChoiceField
          name="months"
          label="Keep loan history for"
          options={known ? lengths : [...lengths, [months, `${months} months`] as const]}
        />
        <ChoiceField
          name="seen"
          label="Staff can see it"
          options={[
            ["no", "No"],
            ["yes", "Yes"],
          ]}
        />
        <ChoiceField
          name="ask"
          label="Ask before lending a title they had before"
          options={[
            ["", `Library default (now: ${card.asks ? "asks" : "does not ask"})`],
            ["yes", "Yes"],
            ["no", "No"],
          ]}
        />
        {card.no_history && (card.asks || card.ask_before) && (
          <p role="status" className="text-sm text-amber-700">
            {card.no_history}
          </p>
        )}
        <span className="flex flex-wrap items-center gap-3">
          <Send plain write={choose}>
            Save
          </Send>
          <Quiet onClick={() => onPaper(<HistorySheet name={card.name} />)}>Print explanation for the patron</Quiet>
        </span>
      </Form>
      {supervises(me.role) && (
        <p className="flex flex-wrap gap-x-4 gap-y-1 text-sm">
          <a className="link" href={`/api/patrons/${card.id}/kept.json`} download={`kept-${card.card}.json`}>
            Export all data of this patron
          </a>
          <Quiet aria-expanded={forgetting} onClick={() => setForgetting(!forgetting)}>
            Delete personal data
          </Quiet>
        </p>
      )}
      {forgetting && <Forgetting id={card.id} onLeave={() => setForgetting(false)} onForgotten={onForgotten} />}
    </Card>
  );
}

/** Forgetting cannot be undone, so what stands in the way is named first, and its effect is said once more. */
function Forgetting({
  id,
  onLeave,
  onForgotten,
}: {
  id: number;
  onLeave: () => void;
  onForgotten: (says: string) => void;
}) {
  const look = useQuery({
    queryKey: ["forgetting", id],
    staleTime: 0,
    queryFn: () => told(api.GET("/api/patrons/{id}/forgetting", { params: { path: { id } } })),
  });
  const forget = useWrite(
    (_: undefined, key) => api.POST("/api/patrons/{id}/forget", { params: { path: { id }, header: keyed(key) } }),
    {
      name: `forget ${id}`,
      about: "Deleting personal data",
      done: (f) => onForgotten(f.says),
    },
  );
  return (
    <div className="rounded-card border border-buoy-500 p-3">
      <Loading of={look} lines={2}>
        {(f) =>
          f.open.length > 0 ? (
            <p>
              {f.name} cannot be deleted yet: {f.open.join(", ")}. Settle this first.
            </p>
          ) : (
            <>
              <p>
                Name, card, addresses and history of {f.name} are deleted and cannot be restored. Loans, events and
                accounts stay without a name. Backups keep the data until they are replaced.
              </p>
              <span className="mt-2 flex gap-2">
                <Button busy={forget.busy} onClick={() => forget.run(undefined)}>
                  Delete permanently
                </Button>
                <Button plain onClick={onLeave}>
                  Cancel
                </Button>
              </span>
              <Trouble error={forget.problem} />
            </>
          )
        }
      </Loading>
    </div>
  );
}
